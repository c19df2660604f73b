test_that("numbers are those of base R", {
  set.seed(81)
  data <- data.frame(kg = c(rnorm(199), NA), frames = sample(20L, 200, TRUE), day = as.Date("2025-03-01") +
                     sample(9, 200, TRUE),
                     at = as.POSIXct("2025-03-01 10:00", tz = "UTC") + 1:200,
                       code = sample(c("x", "y", NA), 200, TRUE), kind = factor(rep(c("b", "a"), 100)),
                     ok = rep(c(TRUE, NA), 100))
  data$parts <- as.list(1:200)
  found <- as.data.frame(column_summary(data))
  expect_identical(found$column, names(data))
  expect_identical(found$missing, c(1, 0, 0, 0, sum(is.na(data$code)), 0, 100, 0))
  expect_identical(found$different[1:7], unname(vapply(data[1:7],
                                                       function(x) as.numeric(length(unique(x[!is.na(x)]))), 0)))
  for (k in 1:4) {
    x <- as.double(data[[k]])
    expect_equal(unlist(found[k, c("mean", "sd", "min", "q1", "median", "q3", "max")], use.names = FALSE),
                 c(mean(x, na.rm = TRUE), sd(x, na.rm = TRUE),
                   quantile(x, c(0, 0.25, 0.5, 0.75, 1), na.rm = TRUE, names = FALSE)))
  }
  counts <- sort(table(data$code), decreasing = TRUE)
  expect_identical(found$frequent[5:7], c(paste0(names(counts), " (", counts, ")", collapse = ", "),
                                          "b (100), a (100)", "TRUE (100)"))
  expect_identical(dim(as.data.frame(column_summary(data[0, ]))), c(8L, 13L))
  expect_identical(column_summary(data, code, kg)$column, c("code", "kg"))
  expect_error(column_summary(data, kgs), class = "rowanroot_unknown_column")
  expect_error(column_summary(3), class = "rowanroot_not_a_table")
})

test_that("a summary fits the width, and reads 0 where nothing is left", {
  data <- data.frame(hive = c("NB-01", "NB-02", "NB-01", NA), net_kg = c(25, 22.3, NA, 14.5),
                     day = as.Date("2025-03-01") + 0:3,
                     balance = c(1e6, -1e6, 0.5, -0.5) + c(0, 0, 1e-10, 0), noise = c(-1.3e-17, 1, -1, 0), unknown = NA)
  expect_snapshot({
    print(column_summary(data), width = 80)
    print(column_summary(data, net_kg, balance), width = 60)
    column_summary(data[0])
  })
  expect_true(all(nchar(format(column_summary(data), width = 40)) <= 40))
})

test_that("measures are shown with the digits that the column has", {
  shown <- function(x) {
    lines <- format(column_summary(data.frame(x)), width = 200)
    starts <- gregexpr("(?<= )[^ ]+$|[^ ]+(?=  )|^[^ ]+", lines[1], perl = TRUE)[[1]]
    ends <- starts + attr(starts, "match.length") - 1
    cells <- trimws(substring(lines[2], c(1, utils::head(ends, -1) + 1), ends))
    stats::setNames(cells, regmatches(lines[1], list(starts))[[1]])[c("mean", "sd", "min", "median", "max")]
  }
  expect_identical(unname(shown(c(1L, 11111103L))), c("5,555,552", "7,856,735.57", "1", "5,555,552", "11,111,103"))
  expect_identical(shown(c(2024L, 2025L))[["max"]], "2025")
  expect_identical(unname(shown(c(1.5, 2, 4.1))[c("mean", "max")]), c("2.533", "4.1"))
  expect_identical(unname(shown(c(Inf, 1:9))[c("min", "median", "max")]), c("1", "5.5", "Inf"))
  expect_identical(shown(c(1e-5, 3e-5))[["max"]], "3e-05")
})
