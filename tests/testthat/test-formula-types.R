# Columns with a class: what R's own operators and functions give for whole columns.
data <- data.frame(
  day = as.Date("2025-02-27") + c(0:2, NA), other = as.Date("2025-03-01"),
  time = as.POSIXct("2025-03-30 00:30:00", tz = "Europe/Oslo") + c(0, 3600.5, 7200, NA),
  kind = factor(c("a", "b", "a", NA)), size = factor(c("low", "high", "mid", "low"),
                                                     levels = c("low", "mid", "high"), ordered = TRUE),
  n = c(1.5, 2, NA, 4), s = c("a", "b", "c", NA)
)
data$took <- as.difftime(c(1, 2, 3, NA), units = "hours")

test_that("dates, times, durations and categories follow R", {
  formulas <- expression(
    day + 1, day - other, day > other, day == as.Date("2025-02-28"), is.na(day), time + 60, time - first_value(time),
      time > as.POSIXct("2025-03-30", tz = "UTC"),
    took * 2, took + as.difftime(30, units = "mins"), as.numeric(took, units = "mins"), kind == "a", kind == s,
      size >= "mid", size < "high",
    as.character(kind), as.integer(size), as.numeric(day), months(day), format(time, "%H:%M"), weekdays(other),
      rev(levels(kind))[1],
    paste(kind, n), round(n * 1.25, 1), signif(n, 1), nchar(s), toupper(s), s %in% c("a", "c"), day %in% other,
      n %in% c(2, NA),
    substr(s, 1, 1), startsWith(s, "a"), sprintf("%.1f", n), pmin(n, 2, na.rm = TRUE), as.integer(n), seq_along(n),
      rank(n), cumsum(n)
  )
  for (formula in formulas) {
    expected <- suppressWarnings(eval(formula, data))
    if (length(expected) == 1) expected <- rep(expected, 4)
    found <- suppressWarnings(eval(bquote(set_columns(data, { new <- .(formula) })))$new)
    expect_identical(found, expected, info = deparse1(formula))
  }
})

test_that("choices and picked rows keep the class, and mix no sorts", {
  result <- set_columns(data, {
    a <- if (n > 1.7) day else other
    day[.row == 1] <- as.Date("2024-12-31")
    b <- if (is.na(n)) kind else NA
    size[n > 3] <- NA
    c <- if (n > 1.7) time
    d <- if (n > 1.7) took else as.difftime(30, units = "mins")
  })
  expect_equal(result$d, as.difftime(c(0.5, 2, NA, NA), units = "hours"))
  expect_identical(result$a, as.Date(c("2025-03-01", "2025-02-28", NA, NA)))
  expect_identical(result$day, as.Date(c("2024-12-31", "2025-02-28", "2025-03-01", NA)))
  expect_identical(result$b, factor(c(NA, NA, "a", NA), levels = c("a", "b")))
  expect_identical(levels(result$size), levels(data$size))
  expect_identical(attr(result$c, "tzone"), "Europe/Oslo")
  for (block in expression({ x <- if (n > 1) day else n }, { day[n > 1] <- "today" },
                           { x <- if (n > 1) kind else size })) {
    expect_error(eval(bquote(set_columns(data, .(block)))), class = "rowanroot_type_mismatch")
  }
})

test_that("64-bit integers are exact", {
  big <- data.frame(n = 1:3)
  big$id <- bit64::as.integer64("9007199254740993") + 0:2
  result <- set_columns(big, {
    after <- id + 1L
    same <- id == bit64::as.integer64("9007199254740994")
    picked <- if (n > 1) id
  })
  expect_identical(as.character(result$after), c("9007199254740994", "9007199254740995", "9007199254740996"))
  expect_identical(result$same, c(FALSE, TRUE, FALSE))
  expect_identical(as.character(result$picked), c(NA, "9007199254740994", "9007199254740995"))
})

test_that("lists pass through, and are refused where values must be", {
  data$list <- list(1, "a", NULL, 2:3)
  expect_identical(set_columns(data, { copy <- list; n <- lengths(list) })$copy, data$list)
  expect_identical(set_columns(data, { parts <- I(strsplit(s, "")) })$parts, I(strsplit(data$s, "")))
  expect_error(set_columns(data, { a <- list + 1 }), class = "rowanroot_formula_failed")
})

test_that("parts of dates and times are those that R formats", {
  days <- as.Date("2018-12-25") + c(0:2000, NA)
  as_number <- function(format) as.integer(format(days, format))
  for (part in list(c("year", "%Y"), c("month", "%m"), c("day", "%d"), c("weekday", "%u"), c("week", "%V"))) {
    expect_identical(date_part(days, part[1]), as_number(part[2]))
  }
  expect_identical(date_part(days, "quarter"), match(quarters(days), paste0("Q", 1:4)))
  expect_identical(date_part(data$time, "hour"), c(0L, 1L, 3L, NA))
  expect_identical(date_part(data$time, "second"), c(0, 0.5, 0, NA))
  expect_identical(set_columns(data, { m <- date_part(day, "month") })$m, c(2L, 2L, 3L, NA))
  expect_error(date_part(days, "moon"), class = "rowanroot_bad_argument")
  expect_error(date_part("2025-01-01", "year"), class = "rowanroot_type_mismatch")
})

test_that("modulus and whole division are R's to the last bit, at the ends of the numbers too", {
  set.seed(9)
  ends <- c(0, -0, 5e-324, -5e-324, 1e-300, 1e308, -1e308, 2^53, 1e16 + 2, Inf, -Inf, NaN, NA, 1, -1, 3, -0.1)
  pairs <- rbind(expand.grid(a = ends, b = ends), data.frame(a = stats::rnorm(5000) * 10^stats::runif(5000, -20, 20),
                                                             b = stats::rnorm(5000) * 10^stats::runif(5000, -20, 20)))
  result <- set_columns(pairs, { modulus <- a %% b; whole <- a %/% b })
  unknown_as_na <- function(x) replace(x, is.na(x), NA)
  expect_identical(unknown_as_na(result$modulus), unknown_as_na(suppressWarnings(pairs$a %% pairs$b)))
  expect_identical(unknown_as_na(result$whole), unknown_as_na(pairs$a %/% pairs$b))
})

test_that("categories are not calculated with", {
  for (code in expression(kind + 1, 2 * kind, -kind, round(kind), z_score(kind))) {
    expect_error(eval(bquote(set_columns(data, { a <- .(code) }))), class = "rowanroot_type_mismatch",
                 info = deparse1(code))
  }
  expect_error(row_total(), class = "rowanroot_bad_argument")
  expect_identical(lengths(row_ranking(integer(), integer(), best = "lowest")), c(0L, 0L))
})

test_that("a category takes texts that are its levels, and keeps these", {
  data <- data.frame(n = 1:3, kind = factor(c("queen", "drone", NA)), name = c("queen", "worker", "drone"))
  expect_identical(set_columns(data, { kind[n == 3] <- "drone" })$kind, factor(c("queen", "drone", "drone")))
  expect_identical(set_columns(data, { new <- if (is.na(kind)) name else kind })$new,
                   factor(c("queen", "drone", "drone")))
  expect_error(set_columns(data, { kind[n == 3] <- "dron" }), "try +\"drone\"", class = "rowanroot_no_level")
  expect_error(set_columns(data[0, ], { kind[n == 3] <- "dron" }), class = "rowanroot_no_level")
  expect_error(set_columns(data, { new <- if (n == 2) name else kind }), "worker", class = "rowanroot_no_level")
  more <- set_columns(data, { kind <- as_category(kind, levels = c("drone", "queen", "worker"));
                              kind[n == 3] <- "worker" })
  expect_identical(more$kind, factor(c("queen", "drone", "worker")))
})

test_that("overflows in arguments of R's functions count for the rows that use them", {
  data <- data.frame(i = c(2147483647L, 1L, NA), j = 1:3, l = c(TRUE, FALSE, NA), s = c("x", "y", "z"))
  expect_no_warning(used <- set_columns(data, {
    a <- l || (i + 1L) %in% c(2, NA)
    b <- if (l) "z" else substr(s, i + j - 2L, 5L)
  }))
  expect_identical(used$a, c(TRUE, TRUE, TRUE))
  expect_identical(used$b, c("z", "y", NA))
  expect_warning(set_columns(data, { a <- if (l) paste(i + j) else "z" }), "row 1 first", class = "rowanroot_overflow")
})
