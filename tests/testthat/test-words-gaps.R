# The last known value before each row of its group, in order: the slow way.
known_by_r <- function(x, group, order, next_ones) {
  for (one in unique(group)) {
    rows <- which(group == one)
    rows <- rows[order(order[rows])]
    last <- x[NA_integer_]
    for (row in if (next_ones) rev(rows) else rows) {
      if (is.na(x[row])) x[row] <- last else last <- x[row]
    }
  }
  x
}

test_that("gaps of every type are filled from the rows before and after, in order and by group", {
  set.seed(4)
  for (n in c(0, 1, 2, 60, 3000)) {
    some <- list(rnorm(n), sample(9L, n, TRUE), sample(c(TRUE, FALSE), n, TRUE), sample(letters, n, TRUE),
                 factor(sample(letters, n, TRUE)), as.Date("2025-01-01") + sample(99, n, TRUE),
                 .POSIXct(runif(n, 0, 1e9), "UTC"), as.difftime(runif(n), units = "days"),
                 bit64::as.integer64(sample(99, n, TRUE)))
    group <- sample(7L, n, TRUE)
    day <- sample(20L, n, TRUE)
    for (x in some) {
      x[sample.int(n, 0.6 * n)] <- NA
      same <- rep(1, n)
      info <- paste(class(x)[1], n)
      expect_identical(last_known(x), known_by_r(x, same, seq_len(n), FALSE), info = info)
      expect_identical(next_known(x), known_by_r(x, same, seq_len(n), TRUE), info = info)
      expect_identical(last_known(x, day, group), known_by_r(x, group, day, FALSE), info = info)
      expect_identical(next_known(x, within = group), known_by_r(x, group, seq_len(n), TRUE), info = info)
      turn <- sample.int(n)
      expect_identical(next_known(x, turn, group), known_by_r(x, group, turn, TRUE), info = info)
    }
  }
})

test_that("a change is a difference, a ratio or in percent", {
  x <- c(4, 5, NA, 10, 0, 3)
  before <- c(NA, x[-6])
  expect_identical(change(x), x - before)
  expect_identical(change(x, as = "ratio"), x / before)
  expect_identical(change(x, as = "percent"), (x - before) / before * 100)
  data <- data.frame(x = x, day = 6:1, hive = c("a", "b"))
  found <- set_columns(data, { p <- change(x, as = "percent", along = day, within = hive) })
  expect_identical(found$p, c((4 - NA) / NA, (5 - 10) / 10, NA, (10 - 3) / 3, NA, NA) * 100)
  table <- open_table(data) |> set_columns({ p <- change(x, as = "ratio") })
  expect_match(paste(format(why(table, p, 2)), collapse = " "), "5 / 4", fixed = TRUE)
  expect_error(change(x, as = "share"), class = "rowanroot_bad_argument")
})

test_that("gaps are filled in tables, and explained by the row that the value is from", {
  data <- data.frame(hive = c("a", "a", "b", "a"), day = c(3, 2, 1, 1), kg = c(NA, NA, 5, 7))
  filled <- open_table(data) |> set_columns({
    before <- last_known(kg, along = day, within = hive)
    behind <- next_known(kg)
  })
  expect_identical(filled$before, c(7, 7, 5, 7))
  expect_identical(filled$behind, c(5, 5, 5, 7))
  expect_match(paste(format(why(filled, before, 1)), collapse = " "), "from row 4, among 3 rows")
  expect_match(paste(format(why(filled, behind, 4)), collapse = " "), "its own value, among 4 rows")
  expect_error(set_columns(data, { a <- last_known(rows = 2, kg) }), class = "rowanroot_bad_argument")
  expect_error(last_known(list(1, 2)), class = "rowanroot_type_mismatch")
})
