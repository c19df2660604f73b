# What is written to CSV comes back as it was.

round_trip <- function(data, ...) {
  quietly(save_table(data, "there.csv", force = TRUE))
  as.data.frame(open_table("there.csv", ...))
}

test_that("missing text is what R's functions make of it, however many rows there are", {
  local_folder()
  for (rows in c(9, 999, 3000)) for (different in c(3, rows)) {
    t <- rep_len(c("abc", NA, paste0("x", seq_len(different))), rows)
    write_text(c("t,k", ifelse(is.na(t), ",1", paste0(t, ",1"))), "in.csv")
    for (data in list(open_table("in.csv"), as.data.frame(open_table("in.csv")), data.frame(t = t, k = 1L))) {
      found <- as.data.frame(set_columns(data, { a <- paste0("x", t); b <- nchar(t, keepNA = FALSE);
                                                 c <- sprintf("%s!", t); d <- grepl("a", t); e <- toupper(t);
                                                 f <- startsWith(t, "a"); g <- paste(t) }))
      expect_identical(found[c("a", "b", "c", "d", "e", "f", "g")],
                       data.frame(a = paste0("x", t), b = nchar(t, keepNA = FALSE), c = sprintf("%s!", t),
                                  d = grepl("a", t), e = toupper(t), f = startsWith(t, "a"), g = paste(t)),
                                  info = paste(rows, different))
      expect_identical(nrow(as.data.frame(keep_rows(data, !grepl("a", t)))), sum(!grepl("a", t)))
    }
  }
})

test_that("moments come back to the last bit, and days of all years", {
  local_folder()
  set.seed(41)
  seconds <- c(stats::runif(3000, -6e10, 2e11), stats::runif(500, -2, 2), 0.1, 1e-9, -1e-9, 5e-324, -0.25, 1.7e9 +
               0.001, 1.7e9 + 1e-7, NA)
  at <- .POSIXct(seconds, "UTC")
  found <- round_trip(data.frame(at = at))
  expect_identical(as.numeric(found$at), seconds)
  # The shortest text: as much as R needs to show it, and not more.
  expect_identical(readLines("there.csv")[3001 + c(501, 505)], c("1970-01-01T00:00:00.1Z", "1969-12-31T23:59:59.75Z"))
  again <- round_trip(found)
  expect_identical(again, found)
  days <- as.Date(c("0001-01-01", "0024-02-29", "0999-12-31", "1000-01-01", "1970-01-01", "9999-12-31", NA))
  expect_identical(round_trip(data.frame(days))$days, days)
  expect_identical(readLines("there.csv")[2:4], c("0001-01-01", "0024-02-29", "0999-12-31"))
  for (far in list(as.Date(2932897, origin = "1970-01-01"), as.Date(Inf, origin = "1970-01-01"),
                   .POSIXct(1e15, "UTC"), .POSIXct(-Inf, "UTC"))) {
    expect_error(quietly(save_table(data.frame(far = far), "far.csv")), class = "rowanroot_cannot_write", "`far`")
  }
})

test_that("empty texts, blanks in names, zeros with a sign and plus signs are what they were", {
  local_folder()
  expect_identical(round_trip(data.frame(t = c("", "", NA)))$t, c("", "", NA))
  expect_identical(names(round_trip(stats::setNames(data.frame(1, 2, 3), c(" a", "b\t", "c d")))),
                   c(" a", "b\t", "c d"))
  zeros <- round_trip(data.frame(z = c(0, -0, 3)))$z
  expect_identical(1 / zeros, 1 / c(0, -0, 3))
  write_text(c("a,b,c,d", "+5,+1.5,+x,-0", "-3,+2e3,y,1"), "plus.csv")
  expect_identical(as.data.frame(open_table("plus.csv")),
                   data.frame(a = c(5L, -3L), b = c(1.5, 2000), c = c("+x", "y"), d = c(-0, 1)))
  many <- data.frame(x = rep(c(0, -0, 1), 1000))
  expect_identical(set_columns(many, { s <- sprintf("%.1f", x) })$s, sprintf("%.1f", many$x))
})

test_that("tables in columns are refused by the names of their columns", {
  local_folder()
  data <- data.frame(id = 1:2)
  data$m <- matrix(1:4, 2, dimnames = list(NULL, c("left", "right")))
  expect_error(quietly(save_table(data, "m.csv")), class = "rowanroot_cannot_write", "`left`,? and `right`")
  data$m <- data.frame(p = 1:2, q = 3:4)
  expect_error(quietly(save_table(data, "m.csv")), class = "rowanroot_cannot_write", "`p`,? and `q`")
  expect_false(file.exists("m.csv"))
})

test_that("numbers too large and years of two digits are errors", {
  expect_error(as_number(c("1", "1e400")), class = "rowanroot_unreadable", "row 2")
  expect_identical(as_number(c("1", "-1e400"), unreadable = "missing"), c(1, NA))
  expect_error(as_date("24-02-03"), class = "rowanroot_unreadable")
  expect_error(as_time("24-02-03 12:00", "%Y-%m-%d %H:%M"), class = "rowanroot_unreadable")
  expect_error(as_date("3 Feb 24", "%d %b %Y"), class = "rowanroot_unreadable")
  expect_identical(as_date(c("3 Feb 0024", "3 Feb 2024"), "%d %b %Y"), as.Date(c("0024-02-03", "2024-02-03")))
  expect_identical(as_date("24-02-03", "%y-%m-%d"), as.Date("2024-02-03"))
})
