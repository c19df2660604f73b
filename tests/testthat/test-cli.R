# The command as a process of its own.
rowanroot <- function(...) {
  errors <- tempfile()
  on.exit(unlink(errors))
  command <- system.file("exec", "rowanroot", package = "rowanroot")
  out <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), shQuote(c(command, ...)), stdout = TRUE,
                                  stderr = errors))
  status <- attr(out, "status")
  list(out = as.vector(out), errors = readLines(errors, encoding = "UTF-8"),
       status = if (is.null(status)) 0L else status)
}

test_that("run and status tell what they did, and their status says so too", {
  local_project()
  expect_identical(rowanroot("status", "yield.R")$status, 3L)
  made <- rowanroot("run", "yield.R")
  expect_identical(made$status, 0L)
  expect_match(made$out[1], "^out/yield.csv  made: 3 rows in ")
  expect_identical(rowanroot("run", "yield.R")$out, "out/yield.csv  up to date")
  expect_identical(rowanroot("status", "yield.R"), list(out = "out/yield.csv  up to date", errors = character(),
                                                        status = 0L))
  write_text(c("hive,gross_kg,tare_kg", "SH-01,20,6,1"), "visits/2025-02.csv")
  status <- rowanroot("status", "yield.R")
  expect_identical(status$out, c("out/yield.csv  out of date", "               because visits/2025-02.csv changed"))
  failed <- rowanroot("run", "yield.R")
  expect_identical(failed$status, 1L)
  expect_match(paste(failed$errors, collapse = " "), "line 8.*Line 2 of .*2025-02.csv.* has 4 fields")
  unlink("visits/2025-02.csv")
  expect_identical(rowanroot("run", "yield.R", "--only", "nothing.csv")$status, 2L)
})

test_that("the command is a program of its own", {
  skip_on_os("windows")
  withr::local_path(R.home("bin"))
  command <- system.file("exec", "rowanroot", package = "rowanroot")
  expect_identical(system2(command, "--version", stdout = TRUE),
                   paste("rowanroot", utils::packageVersion("rowanroot")))
})

test_that("wrong use has status 2 and one clear message", {
  local_project()
  for (words in list("runn", c("run"), c("run", "a.R", "b.R"), c("run", "yeild.R"),
                     c("run", "yield.R", "--nonsense"), character(),
                     c("peek", "nothing.csv"), c("peek", "visits/2025-01.csv", "--rows", "many"))) {
    result <- do.call(rowanroot, as.list(words))
    expect_identical(result$status, 2L, info = paste(words, collapse = " "))
  }
  expect_match(rowanroot("runn")$errors, "Did you mean `run`?", fixed = TRUE)
  expect_match(paste(rowanroot("run", "yeild.R")$errors, collapse = " "), "try +'yield.R'")
})

test_that("every command has its help, and peek shows a file", {
  local_project()
  for (command in c("demo", "run", "status", "peek")) {
    help <- rowanroot(command, "--help")
    expect_identical(help$status, 0L)
    expect_match(help$out[1], paste0("^Usage: rowanroot ", command))
  }
  expect_match(paste(rowanroot("--help")$out, collapse = "\n"), "rowanroot command")
  expect_match(rowanroot("peek", "visits/2025-01.csv", "--rows", "1")$out[1],
               "visits/2025-01.csv: 2 rows, 3 columns", fixed = TRUE)
  quietly(save_table(data.frame(hive = c("NB-01", "SH-01"), kg = 1:2), "hives.sqlite", table = "weights"))
  expect_match(rowanroot("peek", "hives.sqlite", "--table", "weights")$out[1], "2 rows, 2 columns", fixed = TRUE)
  expect_match(paste(rowanroot("peek", "hives.sqlite", "--table", "weight")$errors, collapse = " "), "try +\"weights\"")
  expect_match(rowanroot("peek", "hives.sqlite", "--sheet", "June")$errors, "sheet", all = FALSE)
  expect_error(peek(data.frame(a = 1), table = "weights"), class = "rowanroot_bad_argument")
})

test_that("two runs at once wait for each other", {
  local_project()
  dir.create(".rowanroot")
  lock <- filelock::lock(".rowanroot/lock")
  on.exit(filelock::unlock(lock))
  waiting <- pipe(paste(shQuote(file.path(R.home("bin"), "Rscript")),
                        shQuote(system.file("exec", "rowanroot", package = "rowanroot")), "run yield.R 2>&1"), "r")
  first <- readLines(waiting, 1)
  expect_match(first, "Another run is working")
  expect_false(file.exists("out/yield.csv"))
  filelock::unlock(lock)
  expect_match(paste(readLines(waiting), collapse = " "), "made: 3 rows")
  close(waiting)
})

test_that("run, status and changes speak JSON, and a dry run writes nothing", {
  local_project()
  dry <- rowanroot("run", "yield.R", "--dry-run")
  expect_identical(list(dry$status, file.exists("out/yield.csv")), list(3L, FALSE))
  expect_match(dry$out[1], "missing")
  json <- function(...) jsonlite::fromJSON(rowanroot(...)$out)
  expect_identical(json("run", "yield.R", "--json")$state, "made")
  write_text(c("hive,gross_kg,tare_kg", "SH-01,21,6"), "visits/2025-02.csv")
  expect_identical(json("status", "yield.R", "--json")$why[[1]], "visits/2025-02.csv changed")
  rowanroot("run", "yield.R")
  changed <- json("changes", "out/yield.csv", "--by", "hive", "--json")
  expect_match(changed$columns$at, "SH-01", all = FALSE)
  expect_identical(changed$rows, list(both = 3L, added = 0L, removed = 0L))
  write_text(c("hive,gross_kg,tare_kg", "OM-01,21,6"), "visits/2025-02.csv")
  rowanroot("run", "yield.R")
  changed <- json("changes", "out/yield.csv", "--by", "hive", "--json")
  expect_identical(list(changed$added$hive, changed$removed$hive), list("OM-01", "SH-01"))
  expect_match(rowanroot("clean")$out, "removed")
  expect_identical(rowanroot("changes", "out/yield.csv")$status, 1L)
  expect_identical(rowanroot("new", "visits")$status, 2L)
})

test_that("watch runs again when a file changes, goes on after a failure, and ends quietly", {
  local_project()
  log <- file.path(getwd(), "log")
  command <- system.file("exec", "rowanroot", package = "rowanroot")
  system(paste("exec", shQuote(file.path(R.home("bin"), "Rscript")), shQuote(command),
               "watch yield.R --every 0.1 > log 2>&1 & echo $! > pid"))
  withr::defer(tools::pskill(as.integer(readLines("pid")), tools::SIGKILL))
  wait_for <- function(pattern, times) {
    for (try in 1:300) {
      if (file.exists(log) && sum(grepl(pattern, readLines(log, warn = FALSE))) >= times) return(TRUE)
      Sys.sleep(0.1)
    }
    FALSE
  }
  expect_true(wait_for("watching 3 files", 1))
  write_text(c("hive,gross_kg,tare_kg", "SH-01,20,6,1"), "visits/2025-02.csv")
  expect_true(wait_for("has 4 fields", 1) && wait_for("watching", 2))
  write_text(c("hive,gross_kg,tare_kg", "SH-01,20,6"), "visits/2025-03.csv")
  write_text(c("hive,gross_kg,tare_kg", "SH-01,20,6"), "visits/2025-02.csv")
  expect_true(wait_for("made: 4 rows", 1))
  tools::pskill(as.integer(readLines("pid")), tools::SIGINT)
  expect_true(wait_for("Stopped watching", 1))
})

test_that("why explains an output by the script that made it", {
  local_project()
  rowanroot("run", "yield.R")
  told <- rowanroot("why", "out/yield.csv", "--row", "3", "--column", "net_lb")
  expect_identical(told$status, 0L)
  expect_match(paste(told$out, collapse = " "), "14 [*] 2.2.*visits/2025-02.csv, line 2")
  by_key <- rowanroot("why", "out/yield.csv", "--where", "hive == 'SH-01'", "--column", "net_lb", "--json")
  expect_identical(jsonlite::fromJSON(by_key$out)$row, 3L)
  for (wrong in list(c("--row", "99", "--column", "net_lb"), c("--row", "1", "--column", "nett_lb"))) {
    expect_identical(do.call(rowanroot, as.list(c("why", "out/yield.csv", wrong)))$status, 1L)
  }
  expect_identical(rowanroot("why", "out/yield.csv", "--row", "1")$status, 2L)
  expect_identical(rowanroot("why", "visits/2025-01.csv", "--row", "1", "--column", "hive")$status, 2L)
  unlink(".rowanroot", recursive = TRUE)
  expect_match(paste(rowanroot("why", "out/yield.csv", "--row", "1", "--column", "hive")$errors, collapse = " "),
               "is not recorded")
})

test_that("with --json nothing but JSON is on the standard output, whatever the script does", {
  local_project()
  noisy <- c("cat('said\\n')", "system('echo by the system')", "sink('aside.txt')", "print(1)", "sink()",
             "sink(stdout())", "message('told')", project_script, "writeLines('more', stdout())")
  write_text(noisy, "yield.R")
  for (command in c("run", "status")) {
    result <- rowanroot(command, "yield.R", "--json")
    outputs <- jsonlite::parse_json(paste(result$out, collapse = "\n"))
    expect_identical(outputs[[1]]$output, "out/yield.csv")
    expect_true("by the system" %in% result$errors)
  }
  write_text(c(noisy, "stop('no more')"), "yield.R")
  for (words in list(c("run", "yield.R"), c("status", "yield.R"),
                     c("why", "out/yield.csv", "--row", "x", "--column", "net_kg"),
                     c("why", "out/yield.csv", "--row", "1.5", "--column", "net_kg"), c("changes", "nothing.csv"),
                     c("status", "yield.R", "--nonsense"))) {
    result <- do.call(rowanroot, as.list(c(words, "--json")))
    expect_gt(result$status, 0L)
    error <- jsonlite::parse_json(paste(result$out, collapse = "\n"))$error
    expect_match(error$class, "^rowanroot_", info = paste(words, collapse = " "))
    expect_gt(nchar(error$message), 10)
  }
})

test_that("values of options that are wrong are wrong use, and -- ends options", {
  local_project()
  quietly(run_script("yield.R"))
  for (words in list(c("why", "out/yield.csv", "--row", "x", "--column", "net_kg"),
                     c("why", "out/yield.csv", "--row", "1.5", "--column", "net_kg"),
                     c("why", "out/yield.csv", "--row", "0", "--column", "net_kg"),
                     c("watch", "yield.R", "--every", "x"), c("watch", "yield.R", "--every", "0"), c("run", "*.R"),
                     c("run", "yield.R", "--memory", "much"), c("run", "yield.R", "--memory", "1 MB"),
                       c("run", "."), c("status", "visits"), c("peek", "out/yield.csv", "--rows", "1.5"),
                       c("run", "--", "-none.R"))) {
    result <- do.call(rowanroot, as.list(words))
    expect_identical(result$status, 2L, info = paste(words, collapse = " "))
    expect_length(result$out, 0)
  }
  file.copy("yield.R", "-x.R")
  expect_match(rowanroot("run", "--", "-x.R")$out, "up to date|made")
  file.remove("yield.R")
  gone <- rowanroot("status", "yield.R")
  expect_identical(gone$status, 2L)
  expect_match(gone$errors[1], "There is no file", fixed = TRUE)
  unknown <- rowanroot("why", "out/yield.csv", "--row", "1", "--column", "net_kg")
  expect_identical(unknown$status, 2L)
  expect_match(unknown$errors[1], "was not found", fixed = TRUE)
})

test_that("a script that prints a million lines does not slow what only looks at it", {
  local_project()
  write_text(c(project_script, "for (k in 1:200) cat(rep(\"a line of the script\\n\", 5000), sep = \"\")"), "yield.R")
  state <- script_status("yield.R")
  expect_identical(state$state, "missing")
})

test_that("lineage shows what an output is made from, by the script that made it", {
  local_project()
  rowanroot("run", "yield.R")
  shown <- rowanroot("lineage", "out/yield.csv")
  expect_identical(shown$status, 0L)
  expect_match(paste(shown$out, collapse = " "), "net_lb <- ")
  edges <- jsonlite::fromJSON(rowanroot("lineage", "out/yield.csv", "--column", "net_kg", "--json")$out)
  expect_true(all(c("gross_kg", "tare_kg") %in% edges$from))
  expect_identical(rowanroot("lineage", "out/yield.csv", "--column", "net_kgs")$status, 1L)
  expect_identical(rowanroot("lineage", "out/yields.csv")$status, 2L)
})
