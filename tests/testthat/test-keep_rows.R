test_that("the rows where the condition is true are kept, of columns of every type", {
  set.seed(4)
  n <- 500
  data <- data.frame(d = stats::rnorm(n), i = sample(9L, n, TRUE), l = sample(c(TRUE, NA), n, TRUE),
                     s = sample(letters, n, TRUE),
                     f = factor(sample(letters, n, TRUE)), day = as.Date("2025-01-01") + seq_len(n),
                     time = as.POSIXct("2025-01-01", tz = "UTC") + seq_len(n))
  data$list <- as.list(seq_len(n))
  data$matrix <- matrix(seq_len(2 * n), n)
  data$d[sample(n, 50)] <- NA
  expected <- data[which(data$d > 0 & data$i < 7), ]
  row.names(expected) <- NULL
  expect_identical(keep_rows(data, d > 0 && i < 7), expected)
  expect_identical(keep_rows(data, TRUE), data)
  expect_identical(nrow(keep_rows(data, NA)), 0L)
  limit <- 100
  expect_identical(keep_rows(data, d > limit)$s, character())
})

test_that("row names that are no numbers are kept, and so is the class", {
  data <- structure(data.frame(a = 1:3, row.names = c("x", "y", "z")), class = c("weighing", "data.frame"))
  result <- keep_rows(data, a != 2L)
  expect_identical(row.names(result), c("x", "z"))
  expect_s3_class(result, c("weighing", "data.frame"), exact = TRUE)
})

test_that("rows are dropped where the condition is true, and groups have conditions of their own", {
  set.seed(8)
  data <- data.frame(g = sample(c("a", "b", NA), 200, TRUE), x = sample(c(1:9, NA), 200, TRUE))
  expect_identical(drop_rows(data, x > 4)$x, data$x[is.na(data$x) | data$x <= 4])
  best <- stats::ave(replace(data$x, is.na(data$x), -1), paste(data$g), FUN = max)
  expect_identical(keep_rows(data, x == max(x, na.rm = TRUE), within = g)$x, data$x[which(data$x == best)])
  expect_identical(drop_rows(data, .rows > 60, within = g)$g,
                   data$g[stats::ave(data$x, paste(data$g), FUN = length) <= 60])
  expect_error(drop_rows(data), class = "rowanroot_bad_formula")
  expect_error(keep_rows(data, x > 1, within = h), class = "rowanroot_unknown_column")
})
