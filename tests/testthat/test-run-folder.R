three_months <- function() {
  write_text(c("hive,kg", "NB-01,31", "NB-02,28.5"), "visits/2025-01.csv")
  write_text(c("hive,kg", "SH-01,20", "NB-01,"), "visits/2025-02.csv")
  write_text(c("hive,kg", "SH-01,22", "SH-02,9"), "visits/2025-03.csv")
}

doubled <- function() open_table("visits/*.csv") |> set_columns({ double <- kg * 2 })

# The files of a folder by their names, as text.
texts_in <- function(folder) {
  files <- list.files(folder)
  stats::setNames(lapply(file.path(folder, files), readLines), files)
}

told_of <- function(code) conditionMessage(tryCatch(code, message = identity))

test_that("a folder has a file for each part of the source, and only what changed is written", {
  local_folder()
  withr::local_options(rowanroot.keep_from = 0)
  three_months()
  expect_match(told_of(save_table(doubled(), "out/double/")), "out/double/  made: 6 rows in .*, 3 of 3 files written")
  expect_identical(texts_in("out/double"), list(
    "2025-01.csv" = c("hive,kg,double", "NB-01,31,62", "NB-02,28.5,57"),
    "2025-02.csv" = c("hive,kg,double", "SH-01,20,40", "NB-01,,"),
    "2025-03.csv" = c("hive,kg,double", "SH-01,22,44", "SH-02,9,18")))
  expect_error(save_table(doubled(), "out/double"), "it ends in a slash: `\"out/double/\"`",
               class = "rowanroot_unknown_format")
  expect_match(told_of(save_table(doubled(), "out//double/")), "out/double/  up to date")
  before <- file.mtime(Sys.glob("out/double/*"))
  write_text(c("hive,kg", "SH-01,21", "NB-01,"), "visits/2025-02.csv")
  expect_match(told_of(save_table(doubled(), "out/double/")), "1 of 3 files written\n.*visits/2025-02.csv changed")
  expect_identical(file.mtime(Sys.glob("out/double/*")) == before, c(TRUE, FALSE, TRUE))
  expect_identical(readLines("out/double/2025-02.csv"), c("hive,kg,double", "SH-01,21,42", "NB-01,,"))
  found <- as.data.frame(changes("out/double/"))
  expect_identical(found$column[found$status == "changed"], c("kg", "double"))
  unlink("visits/2025-01.csv")
  write_text(c("hive,kg", "SH-01,1"), "visits/2025-04.csv")
  expect_match(told_of(save_table(doubled(), "out/double/")),
               "1 of 3 files written\n.*2025-04.csv is new\n.*01.csv is gone")
  expect_identical(list.files("out/double", all.files = TRUE, no.. = TRUE), paste0("2025-0", 2:4, ".csv"))
  quietly(save_table(doubled() |> set_columns({ r <- rank(kg) }), "out/double/"))
  expect_identical(readLines("out/double/2025-04.csv"), c("hive,kg,double,r", "SH-01,1,2,1"))
  expect_equal(as.data.frame(open_table("out/double/*.csv"))$r,
                   as.data.frame(doubled() |> set_columns({ r <- rank(kg) }))$r)
})

test_that("a column has the type of all files, also in those that are made again by themselves", {
  local_folder()
  withr::local_options(rowanroot.keep_from = 0)
  three_months()
  save <- function() quietly(open_table("visits/*.csv") |> set_columns({ half <- kg / 2; k <- paste0(kg, "!") }) |>
                               save_table("out/"))
  save()
  # Without a fraction in any file they are whole numbers; a file alone is not asked.
  write_text(c("hive,kg", "SH-01,20", "SH-02,12"), "visits/2025-02.csv")
  save()
  folder <- texts_in("out")
  unlink(c("out", ".rowanroot"), recursive = TRUE)
  save()
  expect_identical(texts_in("out"), folder)
  write_text(c("hive,kg", "SH-01,many"), "visits/2025-02.csv")
  expect_error(save(), class = "rowanroot_type_mismatch")
  expect_identical(texts_in("out"), folder)
})

test_that("rows may be left out, sorted and joined, and must be of a file each", {
  local_folder()
  three_months()
  keepers <- data.frame(hive = c("NB-01", "SH-01"), keeper = c("Ada", "Ivo"))
  table <- open_table("visits/*.csv") |> keep_rows(!is.na(kg)) |> sort_rows(descending(kg)) |>
    join_rows(keepers, by = hive, unmatched = "keep") |> keep_columns(keeper, kg) |> one_of_each() |>
    top_rows(5, by = kg)
  quietly(save_table(table, "out/"))
  expect_identical(texts_in("out"), list("2025-01.csv" = c("keeper,kg", "Ada,31", ",28.5"),
                                         "2025-02.csv" = c("keeper,kg", "Ivo,20"),
                                         "2025-03.csv" = c("keeper,kg", "Ivo,22", ",9")))
  long <- open_table("visits/*.csv", file_column = "month") |>
    rows_from_columns(kg, name = "what", value = "value") |> drop_rows(month == "2025-02")
  quietly(save_table(long, "long/"))
  expect_identical(readLines("long/2025-03.csv"),
                   c("month,hive,what,value", "2025-03,SH-01,kg,22", "2025-03,SH-02,kg,9"))
  expect_identical(readLines("long/2025-02.csv"), "month,hive,what,value")
  per_hive <- open_table("visits/*.csv") |> one_row_per(hive, { most <- max(kg) })
  error <- expect_error(save_table(per_hive, "per/"), class = "rowanroot_no_parts")
  expect_match(conditionMessage(error), "one_row_per.*parts = ")
  expect_error(save_table(keepers, "per/"), class = "rowanroot_no_parts")
  expect_false(file.exists("per"))
  quietly(save_table(per_hive, "per/", parts = hive))
  expect_identical(readLines("per/SH-02.csv"), c("hive,most", "SH-02,9"))
})

test_that("a folder may have a file for each value of a column", {
  local_folder()
  data <- data.frame(hive = factor(c("b", "a", "b")), kg = c(1.5, 2, -0.5), day = as.Date("2026-01-30") + 0:2,
                     text = c("é", "_", "x y"), good = c(TRUE, FALSE, TRUE))
  expected <- list(hive = c("a", "b"), kg = c("-0.5", "1.5", "2"), day = c("2026-01-30", "2026-01-31", "2026-02-01"),
                   text = c("_", "x y", "é"), good = c("FALSE", "TRUE"))
  for (name in names(expected)) {
    quietly(save_table(data, paste0(name, "/"), parts = name))
    expect_setequal(list.files(name), paste0(expected[[name]], ".csv"))
  }
  expect_identical(readLines("hive/b.csv"),
                   c("hive,kg,day,text,good", "b,1.5,2026-01-30,é,TRUE", "b,-0.5,2026-02-01,x y,TRUE"))
  expect_match(told_of(save_table(data, "hive/", parts = good)), "3 rows.*2 of 2 files.*because parts changed")
  expect_identical(list.files("hive"), c("FALSE.csv", "TRUE.csv"))
  expect_error(save_table(data, "hive/", parts = c(hive, kg)), "must be one column", class = "rowanroot_bad_argument")
  expect_error(save_table(data, "hive/", parts = hives), class = "rowanroot_unknown_column")
  expect_error(save_table(data, "hive.csv", parts = hive), "ends in a slash", class = "rowanroot_bad_argument")
  expect_error(save_table(data, "hive/", table = "x"), "is a folder of one table", class = "rowanroot_bad_argument")
  for (itself in c("/", "./", paste0(getwd(), "/"), "hive/../")) {
    expect_error(save_table(data, itself, parts = hive), "folder .* itself", class = "rowanroot_bad_argument")
  }
  quietly(save_table(data[0, ], "hive/", parts = hive))
  expect_identical(list.files("hive"), character())
})

test_that("values that can't name a file are refused, and so are very many", {
  local_folder()
  for (value in c("a/b", "..", ".hidden", "a\\b", "a\nb", strrep("x", 201))) {
    error <- expect_error(save_table(data.frame(k = c("fine", value)), "out/", parts = k), class = "rowanroot_bad_part")
    expect_identical(error$values, value)
  }
  for (value in list(NA, "")) {
    error <- expect_error(save_table(data.frame(k = c("fine", value, "b")), "out/", parts = k), "row 2",
                          class = "rowanroot_bad_part")
    expect_identical(error$rows, 2L)
  }
  many <- data.frame(k = seq_len(1e5))
  error <- expect_error(save_table(many, "out/", parts = k), "100,000 values", class = "rowanroot_too_many_parts")
  expect_match(conditionMessage(error), "parts_most = 100000", fixed = TRUE)
  expect_error(save_table(many, "out/", parts = k, parts_most = 0), class = "rowanroot_bad_argument")
  expect_error(save_table(many[1:7, , drop = FALSE], "out/", parts = k, parts_most = 6), "At most 6 files are allowed",
               class = "rowanroot_too_many_parts")
  quietly(save_table(many[1:7, , drop = FALSE], "out/", parts = k, parts_most = 7))
  expect_length(list.files("out"), 7)
  write_text("k\n1", "a/june.csv")
  write_text("k\n2", "b/June.csv")
  expect_error(save_table(open_table(c("a/june.csv", "b/June.csv")), "both/"), "a/june.csv.*b/June.csv",
               class = "rowanroot_bad_part")
})

test_that("other files in the folder, and edited ones, are left alone", {
  local_folder()
  three_months()
  write_text("mine", "out/notes.txt")
  dir.create("out/sub")
  error <- expect_error(quietly(save_table(doubled(), "out/")), "notes.txt and 1 more",
                        class = "rowanroot_foreign_output")
  expect_identical(list.files("out", all.files = TRUE, no.. = TRUE), c("notes.txt", "sub"))
  quietly(save_table(doubled(), "out/", force = TRUE))
  expect_match(told_of(save_table(doubled(), "out/")), "up to date")
  expect_identical(readLines("out/notes.txt"), "mine")
  write_text("kg,hive", "out/2025-01.csv")
  write_text("hive,kg", "visits/2025-02.csv")
  expect_error(quietly(save_table(doubled(), "out/")), "2025-01.csv was changed", class = "rowanroot_foreign_output")
  expect_identical(readLines("out/2025-01.csv"), "kg,hive")
  expect_length(readLines("out/2025-02.csv"), 3)
  quietly(save_table(doubled(), "out/", force = TRUE))
  expect_identical(lengths(lapply(c("out/2025-01.csv", "out/2025-02.csv"), readLines)), c(3L, 1L))
  # Without a journal the files are nobody's, unless they are the same.
  unlink(".rowanroot", recursive = TRUE)
  expect_error(quietly(save_table(doubled(), "out/")), class = "rowanroot_foreign_output")
  unlink(c("out/notes.txt", "out/sub"), recursive = TRUE)
  expect_match(told_of(save_table(doubled(), "out/")), "0 of 3 files written")
})

test_that("a run that was interrupted, or a file that is gone, is made good", {
  local_folder()
  withr::local_options(rowanroot.keep_from = 0)
  three_months()
  quietly(save_table(doubled(), "out/"))
  first <- texts_in("out")
  file.copy("out/2025-01.csv", "old.csv")
  write_text(c("hive,kg", "NB-01,1"), "visits/2025-01.csv")
  write_text(c("hive,kg", "NB-01,2"), "visits/2025-02.csv")
  quietly(save_table(doubled(), "out/"))
  second <- texts_in("out")
  # As a kill between two files leaves it.
  file.copy("old.csv", "out/2025-01.csv", overwrite = TRUE)
  dir.create("out/.123.unfinished")
  expect_match(told_of(save_table(doubled(), "out/")), "1 of 3 files written\n.*2025-01.csv is of an earlier run")
  expect_identical(texts_in("out"), second)
  expect_identical(list.files("out", all.files = TRUE, no.. = TRUE), names(second))
  unlink("out/2025-02.csv")
  expect_match(told_of(save_table(doubled(), "out/")), "1 of 3 files written\n.*2025-02.csv is missing")
  expect_identical(texts_in("out"), second)
  unlink("out", recursive = TRUE)
  expect_match(told_of(save_table(doubled(), "out/")), "3 of 3 files written\n.*not there yet")
  expect_identical(texts_in("out"), second)
})

test_that("warnings and failed checks are those of the whole table, and nothing is written when one fails", {
  local_folder()
  withr::local_options(rowanroot.keep_from = 0)
  three_months()
  checked <- function() doubled() |> keep_rows(!is.na(kg)) |> must_hold(double < 100)
  quietly(save_table(checked(), "out/"))
  before <- texts_in("out")
  write_text(c("hive,kg", "SH-01,22", "SH-02,90"), "visits/2025-03.csv")
  expect_error(quietly(save_table(checked(), "out/")), "row 5", class = "rowanroot_broken_condition")
  expect_identical(texts_in("out"), before)
  # What warned is made again with the others, so that the warning counts all rows.
  unlink("visits", recursive = TRUE)
  for (k in 1:3) write_text(c("n", "2147483647"), paste0("visits/", k, ".csv"))
  more <- function() open_table("visits/*.csv") |> set_columns({ more <- n + 1L })
  expect_warning(quietly(save_table(more(), "more/")), "3 rows now missing, row 1 first")
  write_text(c("n", "1"), "visits/1.csv")
  expect_warning(quietly(save_table(more(), "more/")), "2 rows now missing, row 2 first")
  for (k in 2:3) write_text(c("n", "2"), paste0("visits/", k, ".csv"))
  expect_silent(quietly(save_table(more(), "more/")))
})

test_that("the folder can't be what the table is made from", {
  local_folder()
  three_months()
  expect_error(save_table(doubled(), "visits/"), class = "rowanroot_output_is_input")
  write_text(c("hive,kg", "a,1"), "data/one/x.csv")
  expect_error(save_table(open_table("data/*/*.csv"), "data/two/"), class = "rowanroot_output_is_input")
  expect_error(save_table(open_table("*/*/*.csv"), "data/two/"), class = "rowanroot_output_is_input")
  expect_false(file.exists("data/two"))
  quietly(save_table(open_table("data/*/*.csv"), "data/two/three/"))
  expect_identical(list.files("data/two/three"), "x.csv")
  file.create("file")
  expect_error(save_table(open_table("data/*/*.csv"), "file/"), class = "rowanroot_cannot_write")
})

test_that("scripts, status and the command know folders", {
  local_folder()
  three_months()
  write_text(c("library(rowanroot)", "x <- open_table('visits/*.csv') |> set_columns({ double <- kg * 2 })",
               "must_hold(x, kg > 5 || is.na(kg)) |> save_table('out/a/')",
               "open_table('out/a/*.csv') |> one_row_per(hive, { kg <- sum(kg) }) |> save_table('out/b.csv')"), "s.R")
  found <- quietly(run_script("s.R"))
  expect_identical(found$rows, c(6, 4))
  expect_identical(script_status("s.R")$state, c("up to date", "up to date"))
  write_text(c("hive,kg", "SH-01,22", "SH-02,1"), "visits/2025-03.csv")
  expect_identical(script_status("s.R")$why, c("visits/2025-03.csv changed", ""))
  # What is made from a folder that could not be made is not made of the old one.
  error <- expect_error(quietly(run_script("s.R")), class = "rowanroot_script_failed")
  expect_identical(error$outputs$state, c("failed", "failed"))
  write_text(c("hive,kg", "SH-01,22", "SH-02,7"), "visits/2025-03.csv")
  expect_identical(quietly(run_script("s.R"))$state, c("made", "made"))
  command <- shQuote(system.file("exec", "rowanroot", package = "rowanroot"))
  run <- function(...) suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), c(command, ...), stdout = TRUE,
                                                stderr = TRUE))
  for (name in c("out/a/", "out/a")) {
    expect_match(run("why", name, "--row", "6", "--column", "double"), "visits/2025-03.csv, line 3", all = FALSE)
    expect_match(run("changes", name), "7", all = FALSE)
  }
  expect_match(run("lineage", "out/a"), "double", all = FALSE)
})
