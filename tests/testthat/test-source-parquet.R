test_that(paste0("64-bit integers, categories, durations, zones and both zeros come back from Parquet, in files of ",
                 "others too"), {
  local_folder()
  data <- data.frame(id = bit64::as.integer64(c("9007199254740993", NA, "-9223372036854775807", "1")),
                     kind = factor(c("b", NA, "a", "b"), c("z", "b", "a")),
                     size = factor(c("lo", "hi", NA, "lo"), c("lo", "mid", "hi"), ordered = TRUE),
                     lasts = as.difftime(c(1.5, NA, 3, 4), units = "hours"),
                       at = as.POSIXct("2026-06-01 12:00", tz = "Europe/Zurich") + 0:3, zero = c(0, -0, NA, 1))
  quietly(save_table(data, "own.parquet"))
  found <- as.data.frame(open_table("own.parquet"))
  expect_identical(found, data)
  expect_identical(1 / found$zero, 1 / data$zero)
  nanoparquet::write_parquet(data.frame(id = data$id, small = bit64::as.integer64(1:4)), "theirs.parquet")
  theirs <- as.data.frame(open_table("theirs.parquet"))
  expect_identical(as.character(theirs$id), as.character(data$id))
  expect_identical(theirs$small, c(1, 2, 3, 4))
  # In groups, ranks, look-ups and every other format too.
  ids <- data.frame(id = bit64::as.integer64(c("9007199254740993", "9007199254740992", "9007199254740993")), n = 1:3)
  expect_identical(one_row_per(ids, id, { n <- sum(n) })$n, c(4L, 2L))
  expect_identical(as.numeric(set_columns(ids, { rank <- ranking(id, best = "lowest") })$rank), c(2, 1, 2))
  expect_identical(set_columns(ids, { found <- look_up(id, data, by = "id", take = kind,
                                                       unknown = "missing") })$found,
                   factor(c("b", NA, "b"), c("z", "b", "a")))
  for (ending in c("csv", "jsonl", "parquet", "sqlite")) {
    file <- paste0("ids.", ending)
    quietly(save_table(ids, file, table = if (ending == "sqlite") "ids"))
    back <- if (ending == "csv") open_table(file, types = c(id = "integer64")) else open_table(file)
    expect_identical(as.character(back$id), as.character(ids$id), info = ending)
  }
})

test_that("files in a set have the levels of all, in an order in which each has its own, or an error", {
  local_folder()
  save <- function(number, ...) quietly(save_table(data.frame(size = factor(..., ordered = TRUE)),
                                                   paste0(number, ".parquet"), force = TRUE))
  save(1, "lo", c("lo", "hi"))
  save(2, "mid", c("lo", "mid", "hi"))
  save(3, "top", c("hi", "top"))
  expect_identical(open_table("*.parquet")$size, factor(c("lo", "mid", "top"), c("lo", "mid", "hi", "top"),
                                                        ordered = TRUE))
  save(3, "lo", c("hi", "lo"))
  expect_error(as.data.frame(open_table("*.parquet")), "contradict", class = "rowanroot_type_mismatch")
  quietly(save_table(data.frame(size = factor("c", c("c", "hi"))), "3.parquet", force = TRUE))
  quietly(save_table(data.frame(size = factor("lo", c("lo", "hi"))), "1.parquet", force = TRUE))
  quietly(save_table(data.frame(size = factor("x", c("hi", "x"))), "2.parquet", force = TRUE))
  expect_identical(levels(open_table("*.parquet")$size), c("lo", "hi", "x", "c"))
  quietly(save_table(data.frame(size = c(NA, 3.5)), "2.parquet", force = TRUE))
  expect_snapshot(error = TRUE, as.data.frame(open_table("*.parquet")))
})

test_that("what Parquet changes is counted, and what it can't hold is refused", {
  local_folder()
  rounded <- list(data.frame(x = .POSIXct(c(0.1 + 1e-9, 1), "UTC")),
                  data.frame(x = structure(c(0.5, 1), class = "Date")),
                  data.frame(x = as.difftime(c(1 / 3, 1), units = "secs")))
  for (data in rounded) {
    expect_warning(quietly(save_table(data, "x.parquet", force = TRUE)), "1 value of `x` is rounded",
                   class = "rowanroot_rounded")
  }
  for (x in list(structure(Inf, class = "Date"), structure(3e9, class = "Date"), .POSIXct(1e15, "UTC"),
                 as.difftime(1e300, units = "secs"), I(list(1)), 1i)) {
    expect_error(quietly(save_table(data.frame(x = x), "y.parquet")), class = "rowanroot_cannot_write")
  }
  expect_false(file.exists("y.parquet"))
  own <- data.frame(x = 1:2)
  class(own$x) <- "own"
  quietly(save_table(own, "own.parquet"))
  expect_identical(open_table("own.parquet")$x, c("1", "2"))
  nanoparquet::write_parquet(data.frame(x = c(1, 1e14 + 0.25)), "decimal.parquet",
                             schema = nanoparquet::parquet_schema(x = list("DECIMAL", precision = 18, scale = 2,
                                 primitive_type = "INT64")))
  nanoparquet::write_parquet(data.frame(x = c(1, 2^63)), "unsigned.parquet",
                             schema = nanoparquet::parquet_schema(x = "UINT_64"))
  for (file in c("decimal.parquet", "unsigned.parquet")) {
    expect_error(as.data.frame(open_table(file)), "`x`", class = "rowanroot_unreadable_file")
  }
})

test_that("a damaged file is reported, and never ends R", {
  local_folder()
  withr::local_options(rowanroot.left_alone = 0)
  quietly(save_table(data.frame(hive = c("a", NA, "b"), kg = c(1.5, 2, NA)), "whole.parquet"))
  whole <- readBin("whole.parquet", "raw", 1e5)
  set.seed(11)
  for (k in 1:15) {
    damaged <- whole
    damaged[sample(length(whole), 6)] <- as.raw(sample(0:255, 6, TRUE))
    if (k %% 3 == 0) damaged <- damaged[seq_len(sample(length(whole), 1))]
    writeBin(damaged, "damaged.parquet")
    expect_error(tryCatch(as.data.frame(open_table("damaged.parquet")),
                          rowanroot_unreadable_file = function(e) NULL), NA)
  }
  # As if the file had ended the process that reads it.
  reader <- tempfile(fileext = ".R")
  write_text("tools::pskill(Sys.getpid(), 9)", reader)
  own <- parquet_reader
  withr::defer(utils::assignInNamespace("parquet_reader", own, "rowanroot"))
  utils::assignInNamespace("parquet_reader", function() reader, "rowanroot")
  expect_error(open_table("whole.parquet"), "whole.parquet.*stopped", class = "rowanroot_unreadable_file")
})
