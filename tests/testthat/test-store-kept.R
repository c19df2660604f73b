# Everything is kept and copied, however small.
local_keeping <- function(env = parent.frame()) {
  withr::local_options(rowanroot.keep_from = 0, rowanroot.keep_seconds = 0, rowanroot.copy_from = 0, .local_envir = env)
}

made_up <- list(
  integer = function(n) sample(-5:99, n, TRUE), number = function(n) round(rnorm(n, 20, 9), sample(0:6, 1)),
    day = function(n) as.Date("2026-01-01") + sample(90, n, TRUE),
  time = function(n) sprintf("2026-03-01T12:00:0%dZ", sample(0:9, n, TRUE)),
    code = function(n) sample(c("NB", "S,H", "\"q\"", "", "EF\n2"), n, TRUE),
  text = function(n) sprintf("note %d", sample(1e6, n)), logical = function(n) sample(c(TRUE, FALSE), n, TRUE),
    missing = function(n) rep(NA, n)
)

write_part <- function(path, kinds) {
  n <- sample(c(0:3, 40, 9000), 1, prob = c(1, 1, 1, 1, 6, 1))
  data <- as.data.frame(lapply(kinds, function(kind) made_up[[kind]](n)))
  data$kg <- if (n) round(runif(n, 10, 40), 2) else numeric()
  data$frames <- sample(12L, n, TRUE)
  quietly(save_table(data[sample(length(data))], path, force = TRUE))
}

change_parts <- function(what, kinds) {
  if (what %in% c("part", "kind")) write_part(sample(Sys.glob("parts/*.csv"), 1), kinds)
  if (what == "new") write_part(sprintf("parts/%d.csv", sample(9, 1)), kinds)
  if (what == "gone" && length(Sys.glob("parts/*.csv")) > 1) unlink(sample(Sys.glob("parts/*.csv"), 1))
}

changed_formulas <- function(what, formulas) {
  if (what == "formula") formulas[["x"]] <- sprintf("kg * %d", sample(9, 1))
  if (what == "order") sample(formulas) else formulas
}

test_that("what is kept gives the same bytes as reading and calculating all of it, whatever changes", {
  local_folder()
  local_keeping()
  set.seed(20261126)
  dir.create("parts")
  kinds <- c(a = "integer", b = "code", c = "text")
  for (k in 1:4) write_part(sprintf("parts/%d.csv", k), kinds)
  formulas <- c(x = "kg * 2", y = "if (frames > 6) 'strong' else 'weak'", z = "ranking(kg, best = 'highest')",
                t = "running_total(kg, within = frames)", u = "paste(a, b)")
  copied <- kept <- used <- 0
  for (round in 1:60) {
    what <- sample(c("part", "kind", "new", "gone", "formula", "formula", "order"), 1)
    if (what == "kind") kinds[sample(3, 1)] <- sample(names(made_up), 1)
    change_parts(what, kinds)
    formulas <- changed_formulas(what, formulas)
    write_text(c("library(rowanroot)", "open_table('parts/*.csv', file_column = 'part') |> set_columns({",
                 paste(names(formulas), "<-", formulas), "}) |> must_hold(kg > 0) |> save_table('out.csv')"),
                   "script.R")
    kept <- kept + length(list.files(".rowanroot/kept"))
    # A run gives the files that it used a new time.
    files <- list.files(".rowanroot/kept", full.names = TRUE)
    Sys.setFileTime(files, as.POSIXct("2020-01-01"))
    quietly(run_script("script.R"))
    used <- used + sum(file.mtime(files) > as.POSIXct("2021-01-01"), na.rm = TRUE)
    found <- readBin("out.csv", raw(), file.size("out.csv"))
    withr::with_options(list(rowanroot.keep = FALSE), quietly(run_script("script.R", force = TRUE)))
    expect_identical(found, readBin("out.csv", raw(), file.size("out.csv")), label = paste("round", round, what))
  }
  expect_gt(kept, 1000)
  expect_gt(used, 300)
})

test_that("an output whose parts are calculated by themselves, a file or a folder, is the same as made at once", {
  local_folder()
  local_keeping()
  set.seed(20261129)
  dir.create("parts")
  kinds <- c(a = "integer", b = "code", c = "text")
  for (k in 1:5) write_part(sprintf("parts/%d.csv", k), kinds)
  formulas <- c(x = "kg * 2", y = "if (frames > 6) 'strong' else 'weak'", u = "paste(a, b)")
  copied <- 0
  for (writer in c("write_csv_parts", "table_of_parts")) {
    suppressMessages(trace(writer, function() copied <<- copied + 1, where = asNamespace("rowanroot"), print = FALSE))
  }
  on.exit(suppressMessages(untrace(c("write_csv_parts", "table_of_parts"), where = asNamespace("rowanroot"))))
  content <- function(name) {
    files <- c(paste0(name, ".csv"), Sys.glob(paste0(name, "/*")))
    stats::setNames(lapply(files, function(file) readBin(file, raw(), file.size(file))), c("", basename(files)[-1]))
  }
  for (round in 1:50) {
    what <- sample(c("part", "part", "kind", "new", "gone", "formula", "order", "rows"), 1)
    if (what == "kind") kinds[sample(3, 1)] <- sample(names(made_up), 1)
    change_parts(what, kinds)
    formulas <- changed_formulas(what, formulas)
    rows <- if (what == "rows") "kg > 30" else "kg > 15"
    write_text(c("library(rowanroot)", "x <- open_table('parts/*.csv', file_column = 'part') |> set_columns({",
                 paste(names(formulas), "<-", formulas), paste0("}) |> keep_rows(", rows, ")"),
                 "save_table(x, paste0(folder, '.csv'))", "save_table(x, paste0(folder, '/'))"), "script.R")
    folder <- "out"
    quietly(source("script.R", local = TRUE))
    folder <- "fresh"
    withr::with_options(list(rowanroot.keep = FALSE), quietly(source("script.R", local = TRUE)))
    expect_identical(content("out"), content("fresh"), label = paste("round", round, what))
  }
  expect_gt(copied, 25)
})

test_that("a table in a session reads what changed alone, and has what a new one has", {
  local_folder()
  set.seed(20261127)
  dir.create("parts")
  kinds <- c(a = "integer", b = "code", c = "text")
  for (k in 1:4) write_part(sprintf("parts/%d.csv", k), kinds)
  read <- character()
  suppressMessages(trace("read_csv_parts", function() read <<- c(read, get("files", parent.frame())$name),
                         where = asNamespace("rowanroot"), print = FALSE))
  on.exit(suppressMessages(untrace("read_csv_parts", where = asNamespace("rowanroot"))))
  open <- function() open_table("parts/*.csv", file_column = "part", types = c(frames = "category"))
  living <- open()
  several <- 0
  for (round in 1:60) {
    what <- sample(c("part", "kind", "new", "gone", "made", "one column"), 1)
    changed <- sprintf("parts/%d.csv", if (what %in% c("part",
                                                       "kind")) sample(as.integer(sub("[.]csv", "",
                                                           list.files("parts"))), 1) else sample(9, 1))
    if (what == "kind") kinds[sample(3, 1)] <- sample(names(made_up), 1)
    if (what %in% c("part", "kind", "new")) quietly(write_part(changed, kinds))
    if (what == "gone" && length(list.files("parts")) > 1) unlink(sample(Sys.glob("parts/*.csv"), 1))
    if (what == "one column") suppressMessages(column_summary(living, c))
    read <- character()
    found <- suppressMessages(as.data.frame(living))
    if (what %in% c("part", "new") && length(list.files("parts")) > 2) {
      several <- several + (length(setdiff(read, changed)) == 0)
    }
    if (what == "made") lapply(found, function(column) if (is.character(column)) sort(column))
    expect_identical(found, as.data.frame(open()), label = paste("round", round, what))
  }
  expect_gt(several, 8)
})

test_that("damaged and lost files of the store are made again", {
  local_project()
  local_keeping()
  quietly(run_script("yield.R"))
  expected <- readLines("out/yield.csv")
  set.seed(3)
  for (harm in c("byte", "cut", "gone", "empty", "foreign")) {
    for (file in list.files(".rowanroot/kept", full.names = TRUE)) {
      bytes <- readBin(file, raw(), file.size(file))
      if (harm == "byte") bytes[sample(length(bytes), 1)] <- as.raw(sample(0:255, 1))
      if (harm == "cut") bytes <- utils::head(bytes, -5)
      if (harm == "empty") bytes <- raw()
      if (harm == "foreign") bytes <- charToRaw("hive,gross_kg\n")
      if (harm == "gone") unlink(file) else writeBin(bytes, file)
    }
    quietly(run_script("yield.R", force = TRUE))
    expect_identical(readLines("out/yield.csv"), expected)
  }
})

test_that("an expensive column is calculated again only if its formula, or what that uses, changed", {
  local_folder()
  local_keeping()
  write_text(c("hive,kg", "NB-01,31", "NB-02,28"), "visits.csv")
  script <- c("library(rowanroot)", "weigh <- function(x) { cat('weighed\n'); rev(rev(x)) + 1 }",
              "open_table('visits.csv') |> set_columns({",
              "  .half <- kg / 2", "  slow <- weigh(.half)", "  quick <- kg * 2",
                "  label <- factor(paste(hive, round(slow)))", "}) |> save_table('out.csv')")
  run <- function(pattern = "$^", by = "") {
    script <<- sub(pattern, by, script)
    write_text(script, "script.R")
    sum(grepl("weighed", utils::capture.output(suppressMessages(run_script("script.R")))))
  }
  expect_identical(run(), 1L)
  expect_identical(run("kg \\* 2", "kg * 3"), 0L)
  expect_identical(readLines("out.csv"), c("hive,kg,slow,quick,label", "NB-01,31,16.5,93,NB-01 16",
                                           "NB-02,28,15,84,NB-02 15"))
  expect_identical(run("kg / 2", "kg / 4"), 1L)
  expect_identical(run("[+] 1", "+ 2"), 1L)
  write_text(c("hive,kg", "NB-01,31", "NB-02,29"), "visits.csv")
  expect_identical(run(), 1L)
  expect_identical(readLines("out.csv")[3], "NB-02,29,9.25,87,NB-02 9")
})

test_that("a column that was calculated with a warning warns again", {
  local_folder()
  local_keeping()
  write_text(c("hive,kg", "NB-01,31", "NB-02,28"), "visits.csv")
  warned <- function(by) {
    write_text(c("library(rowanroot)", "weigh <- function(x) { warning('old scale'); rev(rev(x)) }",
                 sprintf(paste0("open_table('visits.csv') |> set_columns({ slow <- weigh(kg); quick <- kg * %d }) ",
                                "|> save_table('out.csv')"), by)), "script.R")
    expect_warning(quietly(run_script("script.R")), "old scale")
  }
  warned(2)
  warned(3)
})

test_that("the store is limited, and looking at a table alone keeps nothing", {
  local_project()
  local_keeping()
  as.data.frame(open_table("visits/*.csv"))
  expect_false(dir.exists(".rowanroot"))
  withr::local_options(rowanroot.kept_bytes = 1000)
  quietly(run_script("yield.R"))
  files <- list.files(".rowanroot/kept", full.names = TRUE)
  expect_gt(length(files), 0)
  expect_lte(sum(file.size(files)), 1000)
  expect_gt(clean_store("."), 0)
  expect_length(list.files(".rowanroot/kept"), 0)
})

test_that("columns that nobody needs are not read", {
  local_folder()
  write_text(c("hive,kg,note", "NB-01,31,x", "NB-02,28,y"), "visits.csv")
  visits <- open_table("visits.csv", types = c(note = "integer"))
  expect_error(as.data.frame(visits), class = "rowanroot_csv")
  for (verb in list(function(x) one_row_per(x, hive, { kg <- sum(kg) }), function(x) keep_columns(x, hive, kg),
                    function(x) keep_rows(keep_columns(x, kg), kg > 0))) {
    expect_identical(as.data.frame(verb(visits))$kg, c(31L, 28L))
  }
  expect_identical(as.data.frame(visits |> set_columns({ n <- .rows }, carry = c()))$n, c(2L, 2L))
})

test_that("files of one name in several folders stay apart", {
  local_folder()
  local_keeping()
  rows <- function(from) c("x", from + 0:3)
  for (folder in c("a", "b")) write_text(rows(1), file.path(folder, "june.csv"))
  write_text(rows(50), "c/july.csv")
  save <- function() quietly(save_table(set_columns(open_table("*/*.csv"), { y <- x * 2 }), "out.csv"))
  save()
  write_text(rows(9)[-2], "b/june.csv")
  save()
  found <- as.data.frame(open_table("out.csv"))
  expect_identical(found$x, c(1:4, 10:12, 50:53))
  expect_equal(found$y, found$x * 2)
})
