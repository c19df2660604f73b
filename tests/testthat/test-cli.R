# The command as a process of its own.
rowanroot <- function(...) {
  errors <- tempfile()
  on.exit(unlink(errors))
  command <- system.file("exec", "rowanroot", package = "rowanroot")
  out <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), shQuote(c(command, ...)), stdout = TRUE, stderr = errors))
  status <- attr(out, "status")
  list(out = as.vector(out), errors = readLines(errors, encoding = "UTF-8"), status = if (is.null(status)) 0L else status)
}

test_that("run and status tell what they did, and their status says so too", {
  local_project()
  expect_identical(rowanroot("status", "yield.R")$status, 3L)
  made <- rowanroot("run", "yield.R")
  expect_identical(made$status, 0L)
  expect_match(made$out[1], "^out/yield.csv  made: 3 rows in ")
  expect_identical(rowanroot("run", "yield.R")$out, "out/yield.csv  up to date")
  expect_identical(rowanroot("status", "yield.R"), list(out = "out/yield.csv  up to date", errors = character(), status = 0L))
  write_text(c("hive,gross_kg,tare_kg", "SH-01,20,6,1"), "visits/2025-02.csv")
  status <- rowanroot("status", "yield.R")
  expect_identical(status$out, c("out/yield.csv  out of date", "               because visits/2025-02.csv changed"))
  failed <- rowanroot("run", "yield.R")
  expect_identical(failed$status, 1L)
  expect_match(paste(failed$errors, collapse = " "), "line 8.*Line 2 of .*2025-02.csv.* has 4 fields")
  unlink("visits/2025-02.csv")
  expect_identical(rowanroot("run", "yield.R", "--only", "nothing.csv")$status, 2L)
})

test_that("wrong use has status 2 and one clear message", {
  local_project()
  for (words in list("runn", c("run"), c("run", "a.R", "b.R"), c("run", "yeild.R"), c("run", "yield.R", "--nonsense"), character(),
                     c("peek", "nothing.csv"), c("peek", "visits/2025-01.csv", "--rows", "many"))) {
    result <- do.call(rowanroot, as.list(words))
    expect_identical(result$status, 2L, info = paste(words, collapse = " "))
  }
  expect_match(rowanroot("runn")$errors, "Did you mean `run`?", fixed = TRUE)
  expect_match(paste(rowanroot("run", "yeild.R")$errors, collapse = " "), "Did you mean 'yield.R'?", fixed = TRUE)
})

test_that("every command has its help, and peek shows a file", {
  local_project()
  for (command in c("demo", "run", "status", "peek")) {
    help <- rowanroot(command, "--help")
    expect_identical(help$status, 0L)
    expect_match(help$out[1], paste0("^Usage: rowanroot ", command))
  }
  expect_match(paste(rowanroot("--help")$out, collapse = "\n"), "rowanroot command")
  expect_match(rowanroot("peek", "visits/2025-01.csv", "--rows", "1")$out[1], "visits/2025-01.csv: 2 rows, 3 columns", fixed = TRUE)
})

test_that("two runs at once wait for each other", {
  local_project()
  dir.create(".rowanroot")
  lock <- filelock::lock(".rowanroot/lock")
  on.exit(filelock::unlock(lock))
  waiting <- pipe(paste(shQuote(file.path(R.home("bin"), "Rscript")),
                        shQuote(system.file("exec", "rowanroot", package = "rowanroot")), "run yield.R 2>&1"), "r")
  expect_match(readLines(waiting, 1), "Another run is at work")
  expect_false(file.exists("out/yield.csv"))
  filelock::unlock(lock)
  expect_match(paste(readLines(waiting), collapse = " "), "made: 3 rows")
  close(waiting)
})
