test_that("what base R reads is read the same, type by type", {
  local_folder()
  set.seed(5)
  n <- 300
  with_missing <- function(x) replace(x, sample(n, 30), NA)
  data <- data.frame(whole = with_missing(sample(-1000:1000, n)), number = with_missing(stats::rnorm(n)),
                     logical = with_missing(sample(c(TRUE, FALSE), n, TRUE)),
                     text = with_missing(sample(c("a,b", "say \"no\"", "two\nlines", "z\u00e6", "x"), n, TRUE)),
                     code = sprintf("%03d", seq_len(n)), unknown = NA)
  utils::write.csv(data, "data.csv", row.names = FALSE, na = "", fileEncoding = "UTF-8")
  found <- as.data.frame(open_table("data.csv"))
  expected <- utils::read.csv("data.csv", colClasses = c(code = "character", text = "character"), na.strings = c("NA", ""), encoding = "UTF-8")
  expect_identical(found[-2], expected[-2])
  expect_equal(found$number, data$number, tolerance = 1e-14)
})

test_that("a table comes back from a CSV file as it was written", {
  local_folder()
  set.seed(6)
  n <- 200
  data <- data.frame(d = c(stats::rnorm(n - 5), NA, 1e300, -5e-324, 0.1 + 0.2, 1 / 3), i = sample(c(NA, -5:5), n, TRUE),
                     l = sample(c(TRUE, FALSE, NA), n, TRUE), s = sample(c("", "NA", NA, " a ", "q\"", "l\nm", "\U1F41D"), n, TRUE),
                     day = as.Date("2024-02-28") + seq_len(n))
  quietly(save_table(data, "data.csv"))
  expect_identical(as.data.frame(open_table("data.csv")), data)
})

test_that("text that can't be read back is not written", {
  local_folder()
  data <- data.frame(text = c("fine", "\xff\xfe"))
  error <- expect_error(quietly(save_table(data, "data.csv")), "row 2", class = "rowanroot_bad_text")
  expect_identical(error$column, "text")
  expect_identical(list.files(), character())
  data$text <- iconv(c("fine", "\u00e9"), "UTF-8", "latin1")
  quietly(save_table(data, "data.csv"))
  expect_identical(readLines("data.csv", encoding = "UTF-8"), c("text", "fine", "\u00e9"))
})

test_that("several files are one table, with types that fit all of them and columns by name", {
  local_folder()
  write_text(c("a,b,c", "1,2,x"), "one.csv")
  write_text(c("c,a,b", "007,NA,2.5"), "two.csv")
  expect_identical(as.data.frame(open_table("*.csv")), data.frame(a = c(1L, NA), b = c(2, 2.5), c = c("x", "007")))
  expect_identical(as.data.frame(open_table(c("two.csv", "one.csv")))$a, c(1L, NA))
  write_text("a;b", "empty.txt")
  expect_identical(as.data.frame(open_table("empty.txt", separator = ";")), data.frame(a = logical(), b = logical()))
})

test_that("what is wrong with files has a class, and names the file and the line", {
  local_folder()
  write_text(c("a,b", "1,2", "1,2,3"), "wide.csv")
  write_text(c("a,c", "1,2"), "other.csv")
  write_text(c("a,b", "1,2"), "fine.csv")
  wide <- open_table("wide.csv")
  error <- expect_error(as.data.frame(wide), class = "rowanroot_csv")
  expect_identical(list(error$file, error$line, error$problem), list("wide.csv", 3, "too_many_fields"))
  expect_snapshot(error = TRUE, {
    as.data.frame(wide)
    as.data.frame(open_table(c("fine.csv", "other.csv")))
    open_table("fin.csv")
  }, transform = function(lines) gsub("'/[^']*'|'[A-Z]:[^']*'|/[^ ]*rowanroot-[^ ]*", "<folder>", lines))
  expect_error(open_table("nothing/*.csv"), class = "rowanroot_no_such_file")
  expect_error(open_table("fine.csv", separator = ",,"), class = "rowanroot_bad_argument")
  expect_error(open_table(3), class = "rowanroot_bad_argument")
  dir.create("folder")
  expect_error(open_table("folder"), class = "rowanroot_no_such_file")
})
