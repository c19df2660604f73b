odd_names <- c("p[1]", "a*", "a?", "~tilde", "with\nnewline", "-dash", "{brace}", "50%", "a b", "'quoted\"", "[!x]",
               "\\back", "$HOME", strrep("\u00e9", 120))

test_that("names are taken literally: what fits them as a pattern is left alone", {
  local_folder()
  dir.create("data")
  others <- c("p1", "aX", "ab", "xx", "p")
  for (name in c(odd_names, others)) write_text(c("kg", nchar(name)), paste0("data/", name, ".csv"))
  for (name in odd_names) {
    path <- paste0("data/", name, ".csv")
    expect_identical(as.data.frame(open_table(path)), data.frame(kg = nchar(name)), info = name)
    for (ending in c("csv", "jsonl", "xlsx", "parquet")) {
      to <- paste0("out/", name, ".", ending)
      for (kg in 1:2) quietly(save_table(data.frame(kg = kg + 0.5), to))
      expect_identical(open_table(to)$kg, 2.5, info = to)
      expect_identical(quietly(changes(to))$both, 1L)
    }
  }
  expect_setequal(list.files("out"), paste0(rep(odd_names, each = 4), c(".csv", ".jsonl", ".xlsx", ".parquet")))
  # What a run that was killed has left of one output is not that of another.
  write_text("x", "out/.p1.csv.12.unfinished")
  write_text("x", "out/.p[1].csv.12.unfinished")
  write_text("x", "out/.p[1].csv.b.csv.12.unfinished")
  write_text("x", "out/.\u00e9.csv.7.unfinished")
  for (to in c("out/p[1].csv", "out/\u00e9.csv")) quietly(save_table(data.frame(kg = 9), to))
  expect_setequal(list.files("out", "unfinished$", all.files = TRUE),
                  c(".p1.csv.12.unfinished", ".p[1].csv.b.csv.12.unfinished"))
  # The store of a folder is its own.
  for (folder in c("p[1]", "p1")) {
    dir.create(folder)
    quietly(in_folder(folder, save_table(data.frame(kg = 1), "a.csv")))
  }
  clean_store("p[1]", journal = TRUE)
  expect_false(file.exists("p[1]/.rowanroot/journal.jsonl"))
  expect_true(file.exists("p1/.rowanroot/journal.jsonl"))
})

test_that("scripts and folders have odd names too", {
  folder <- local_folder()
  for (name in c("-x", "a[1]", "a b")) {
    write_text(c("library(rowanroot)", "visits <- open_table('in*.csv')", "save_table(visits, 'o/[1].csv')"),
               file.path(name, paste0(name, ".R")))
    write_text(c("kg", "1"), file.path(name, "in1.csv"))
    script <- file.path(folder, name, paste0(name, ".R"))
    expect_identical(quietly(run_script(script))$state, "made")
    expect_identical(script_status(script)$state, "up to date")
    write_text(c("kg", "2"), file.path(name, "in2.csv"))
    expect_identical(script_status(script)$why, "in2.csv is new")
  }
})

test_that("what is watched are files, not what fits their names, and what is committed to SQLite", {
  local_folder()
  dir.create("d[1]")
  setwd("d[1]")
  for (name in c("p[1]", "p1", "q1")) write_text(c("kg", "1"), paste0(name, ".csv"))
  connection <- DBI::dbConnect(RSQLite::SQLite(), "stock.sqlite")
  withr::defer(DBI::dbDisconnect(connection))
  DBI::dbExecute(connection, "PRAGMA journal_mode = WAL")
  DBI::dbWriteTable(connection, "kg", data.frame(kg = 1))
  write_text(c("library(rowanroot)", "save_table(open_table('p[1].csv'), 'o.csv')",
               "save_table(open_table('q*.csv'), 'out-q.csv')", "save_table(open_table('stock.sqlite'), 's.csv')"),
             "s.R")
  run <- new_script_run("run", "s.R")
  quietly(run_locked("s.R", run, NULL))
  states <- watched_states(run$watched, getwd())
  expect_setequal(basename(names(states)), c("p[1].csv", "q1.csv", "stock.sqlite", "stock.sqlite-wal", "s.R"))
  DBI::dbExecute(connection, "INSERT INTO kg VALUES (2)")
  now <- watched_states(run$watched, getwd())
  expect_identical(basename(names(now)[now != states]), "stock.sqlite-wal")
  expect_identical(script_status("s.R")$state, c("up to date", "up to date", "out of date"))
})

test_that("a script that goes elsewhere has its journal and its outputs where they are", {
  folder <- local_folder()
  write_text(c("kg", "1"), "elsewhere/in.csv")
  write_text(c("library(rowanroot)", "setwd('elsewhere')", "visits <- open_table('in.csv')",
               "save_table(visits, 'near.csv')", "save_table(visits, '../far.csv')", "setwd('..')",
               "save_table(visits, 'far2.csv')"), "s.R")
  expect_identical(quietly(run_script("s.R"))$output, c("elsewhere/near.csv", "far.csv", "far2.csv"))
  expect_identical(getwd(), folder)
  expect_identical(script_status("s.R")$state, rep("up to date", 3))
  expect_false(file.exists("elsewhere/.rowanroot"))
})

test_that("links to an input are the input", {
  skip_on_os("windows")
  local_folder()
  write_text(c("kg", "1"), "in.csv")
  file.symlink("in.csv", "soft.csv")
  file.link("in.csv", "hard.csv")
  for (to in c("in.csv", "./in.csv", "soft.csv", "hard.csv")) {
    expect_error(save_table(open_table("in.csv"), to, force = TRUE), class = "rowanroot_output_is_input", info = to)
  }
})

test_that("a file that a table looks things up in is an input too", {
  local_folder()
  write_text(c("hive,place", "a,north"), "codes.csv")
  found <- open_table(data.frame(hive = "a")) |> set_columns({ place <- look_up(hive, open_table("codes.csv"),
      by = "hive", take = place) })
  expect_error(save_table(found, "codes.csv", force = TRUE), class = "rowanroot_output_is_input")
})

test_that("names that are not text are reported", {
  skip_on_os("windows")
  local_folder()
  latin1 <- "caf\xe9.csv"
  file.create(latin1)
  expect_error(open_table(latin1), class = "rowanroot_bad_argument")
  expect_error(open_table("caf*"), "not valid UTF-8", class = "rowanroot_no_such_file")
  expect_error(save_table(data.frame(kg = 1), latin1), class = "rowanroot_bad_argument")
  bad <- stats::setNames(data.frame(1), "\xe9")
  expect_error(save_table(bad, "a.csv"), class = "rowanroot_bad_text")
  for (text in list(data.frame(a = "\xe9"), data.frame(a = factor("\xe9")))) {
    for (ending in c("csv", "jsonl", "parquet", "xlsx")) {
      expect_error(save_table(text, paste0("a.", ending)), class = "rowanroot_bad_text", info = ending)
    }
  }
  expect_error(peek(data.frame(`...` = 1, check.names = FALSE)), class = "rowanroot_bad_target")
})
