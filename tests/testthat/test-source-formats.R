# Values of each type, with what is missing, odd, or outside ASCII.
every_type <- function(n = 40) {
  set.seed(21)
  with_missing <- function(x) replace(x, sample(n, 4), NA)
  data.frame(whole = with_missing(sample(-1000:1000, n)), number = with_missing(round(stats::rnorm(n), 3) + 0),
             flag = with_missing(sample(c(TRUE, FALSE), n, TRUE)),
             text = with_missing(sample(c("Zo\u00eb", "a,b", "say \"no\"", "\U1F41D", "'; DROP TABLE hives; --"), n,
                                        TRUE)),
             day = with_missing(as.Date("2025-02-28") + seq_len(n)),
               at = with_missing(.POSIXct(1.7e9 + 3600.5 * seq_len(n), "UTC")))
}

test_that("a table comes back from each format as it was written", {
  local_folder()
  data <- every_type()
  as_read <- list(xlsx = transform(data, whole = as.numeric(whole)),
                  jsonl = data, parquet = data, csv = data)
  for (ending in names(as_read)) {
    file <- paste0("data.", ending)
    quietly(save_table(data, file))
    expect_equal(as.data.frame(open_table(file)), as_read[[ending]], tolerance = if (ending == "xlsx") 1e-9 else 0,
                 info = ending)
  }
  kept <- data.frame(size = factor(c("big", "small"), c("small", "big"), ordered = TRUE),
                     at = as.POSIXct("2025-06-01 12:00", tz = "Europe/Zurich"))
  quietly(save_table(kept, "kept.parquet"))
  found <- as.data.frame(open_table("kept.parquet"))
  expect_identical(attr(found$at, "tzone"), "Europe/Zurich")
  expect_s3_class(found$size, "ordered")
  expect_identical(levels(found$size), levels(kept$size))
})

test_that("several files of a kind are one table, and a changed one makes outputs stale", {
  local_folder()
  for (ending in c("xlsx", "parquet", "jsonl")) {
    dir.create(ending)
    for (month in 1:2) {
      quietly(save_table(data.frame(hive = "NB", kg = month + 0.5), file.path(ending, paste0(month, ".", ending))))
    }
    months <- open_table(file.path(ending, paste0("*.", ending)), file_column = "month")
    expect_identical(as.data.frame(months), data.frame(month = c("1", "2"), hive = "NB", kg = c(1.5, 2.5)))
  }
  writeLines(c("months <- rowanroot::open_table('jsonl/*.jsonl')", "rowanroot::save_table(months, 'all.csv')"), "all.R")
  quietly(run_script("all.R"))
  expect_identical(script_status("all.R")$state, "up to date")
  cat("{\"hive\":\"SH\",\"kg\":3}\n", file = "jsonl/2.jsonl", append = TRUE)
  expect_identical(script_status("all.R")$why, "jsonl/2.jsonl changed")
})

test_that("databases give tables and queries, and odd names are not SQL", {
  local_folder()
  data <- every_type()[c("whole", "number", "text")]
  odd <- "hives\"; DROP TABLE \"x"
  connection <- DBI::dbConnect(RSQLite::SQLite(), "hives.sqlite")
  withr::defer(DBI::dbDisconnect(connection))
  DBI::dbWriteTable(connection, odd, data)
  expect_identical(as.data.frame(open_table("hives.sqlite")), data)
  expect_identical(as.data.frame(open_table(connection, table = odd)), data)
  DBI::dbWriteTable(connection, "weights", data.frame(kg = 1:3))
  heavy <- open_table(connection, query = "SELECT kg FROM weights WHERE kg > 1")
  expect_identical(heavy$kg, 2:3)
  DBI::dbExecute(connection, "INSERT INTO weights VALUES (9)")
  expect_message(expect_identical(heavy$kg, c(2L, 3L, 9L)), class = "rowanroot_recalculated")
  expect_error(open_table("hives.sqlite"), "Which table", class = "rowanroot_no_such_table")
  expect_error(open_table(connection, table = "weight"), "try +\"weights\"", class = "rowanroot_no_such_table")
  expect_error(open_table(connection, query = "SELECT nosuch FROM weights"), "no such column",
               class = "rowanroot_database")
})

test_that("what a format can't hold is said before anything is written", {
  local_folder()
  refused <- list(xlsx = data.frame(x = Inf), xlsx = data.frame(x = strrep("a", 40000)),
                  xlsx = data.frame(x = as.difftime(1, units = "mins")),
                  jsonl = data.frame(x = NaN), jsonl = data.frame(x = I(list(1:2))),
                    parquet = data.frame(x = complex(1)), csv = data.frame(x = I(list(1:2))))
  for (k in seq_along(refused)) {
    error <- expect_error(quietly(save_table(refused[[k]], paste0("out.", names(refused)[k]))),
                          class = "rowanroot_cannot_write", info = names(refused)[k])
    expect_identical(error$column, "x")
  }
  expect_identical(list.files(), character())
  expect_warning(quietly(save_table(data.frame(x = structure(c(20000.5, 20000), class = "Date")), "out.xlsx")),
                 "1 value of `x` is rounded", class = "rowanroot_rounded")
  # Numbers are written with all their digits.
  expect_no_warning(quietly(save_table(data.frame(x = c(1 / 3, 0.5)), "out.xlsx", force = TRUE)))
  expect_identical(open_table("out.xlsx")$x, c(1 / 3, 0.5))
  expect_error(save_table(data.frame(x = 1), "out.ods"), class = "rowanroot_unknown_format")
})

test_that("texts that a spreadsheet would run are guarded if that is asked", {
  local_folder()
  risky <- data.frame(row = 1:6, x = c("=1+1", "-2", "@a", "+3", "fine", NA))
  for (file in c("risky.csv", "risky.xlsx")) {
    quietly(save_table(risky, file, guard_formulas = TRUE))
    expect_identical(as.data.frame(open_table(file))$x, c("'=1+1", "'-2", "'@a", "'+3", "fine", NA))
  }
})

test_that("files that are not what their name says, and options of other kinds, are refused", {
  local_folder()
  for (file in c("a.xlsx", "a.parquet", "a.sqlite", "a.jsonl")) {
    write_text(c("no such thing", "at all"), file)
    expect_error(as.data.frame(open_table(file)), class = "rowanroot_error", info = file)
  }
  write_text("{\"a\":{\"b\":1}}", "nested.jsonl")
  quietly(save_table(data.frame(a = 1), "sheet.xlsx"))
  expect_snapshot(error = TRUE, {
    open_table("nested.jsonl")
    open_table("sheet.xlsx", sheet = "hives")
    open_table("sheet.xlsx", separator = ";")
    open_table("sheet.csv", sheet = 2)
    open_table("sheet.xlsx", query = "SELECT 1")
  })
})
