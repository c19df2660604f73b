# Files that lack columns which others have.

test_that("columns that a file lacks are missing in its rows, and said so", {
  local_folder()
  writeLines(c("hive,kg", "NB-01,25", "NB-02,22.5"), "2025-01.csv")
  writeLines(c("kg,hive,frames", "30,NB-01,8", ",SH-01,9"), "2025-02.csv")
  writeLines(c("hive,kg,frames,note", "NB-01,31,8,late", "NB-02,n.b.,7,"), "2025-03.csv")
  writeLines(c("frames,hive,kg", "5,OM-01,1"), "2025-04.csv")
  expect_error(open_table("2025-*.csv") |> as.data.frame(), class = "rowanroot_different_columns")
  x <- open_table("2025-*.csv", absent = "missing", file_column = "month")
  expect_identical(names(x), c("month", "hive", "kg", "frames", "note"))
  told <- capture_messages(found <- as.data.frame(x))
  expect_identical(told, c("`frames` is absent in '2025-01.csv': missing in 2 rows.\n",
                           "`note` is absent in '2025-01.csv' and 2 other files: missing in 5 rows.\n"))
  expect_identical(found, data.frame(
    month = rep(c("2025-01", "2025-02", "2025-03", "2025-04"), c(2, 2, 2, 1)),
    hive = c("NB-01", "NB-02", "NB-01", "SH-01", "NB-01", "NB-02", "OM-01"),
    kg = c("25", "22.5", "30", NA, "31", "n.b.", "1"), frames = c(NA, NA, 8:9, 8:7, 5L),
    note = c(NA, NA, NA, NA, "late", NA, NA)
  ))
  expect_snapshot(error = TRUE, as.data.frame(x |> set_columns({ double <- kg * 2 })), transform = function(lines) {
    lines[!grepl("absent", lines)]
  })
  numbers <- open_table("2025-*.csv", absent = "missing", missing = c("", "n.b."))
  expect_identical(suppressMessages(as.data.frame(numbers))$kg, c(25, 22.5, 30, NA, 31, NA, 1))
  expect_message(as.data.frame(numbers |> keep_columns(hive)), NA)
  expect_identical(suppressMessages(why(numbers, frames, 7))$place, "2025-04.csv, line 2")
  suppressMessages(save_table(numbers, "all.csv"))
  expect_message(save_table(numbers, "all.csv"), "up to date")
  writeLines(c("hive,kg,frames", "NB-01,25,4"), "2025-01.csv")
  expect_message(save_table(numbers, "all.csv"), "2025-01.csv changed")
  expect_identical(open_table("all.csv")$frames, c(4L, 8:9, 8:7, 5L))
})

test_that("it goes for other formats, asked types, and when one table follows another", {
  local_folder()
  writeLines(c('{"hive": "a", "kg": 1}'), "1.jsonl")
  writeLines(c('{"hive": "b", "frames": 2}'), "2.jsonl")
  x <- suppressMessages(as.data.frame(open_table(c("1.jsonl", "2.jsonl"), absent = "missing")))
  expect_identical(x, data.frame(hive = c("a", "b"), kg = c(1L, NA), frames = c(NA, 2L)))
  writeLines(c("code,kg", "007,1"), "1.csv")
  writeLines(c("code,day", "008,2025-01-01"), "2.csv")
  typed <- open_table(c("1.csv", "2.csv"), absent = "missing", types = c(code = "category", day = "text"))
  expect_identical(suppressMessages(as.data.frame(typed)), data.frame(code = factor(c("007", "008")), kg = c(1L, NA),
                                                                      day = c(NA, "2025-01-01")))
  expect_error(open_table(c("1.csv", "2.csv"), absent = "missing", types = c(dya = "date")),
               class = "rowanroot_unknown_column")
  expect_error(open_table("1.csv", absent = "drop"), class = "rowanroot_bad_argument")
})
