make_data <- function(n) {
  set.seed(n)
  pick <- function(values) sample(values, n, replace = TRUE)
  data.frame(d = pick(c(NA, 1.5, -2, 1e6, stats::rnorm(3))), w = stats::rnorm(n), i = pick(c(NA, -3L, 5L, 100L)),
             l = pick(c(TRUE, FALSE, NA)),
             k = pick(c(-0.5, 2)), g = pick(c("a", "b", "\u00e6", NA)), h = pick(c(1L, 2L, NA)),
               r = pick(c(0, -0, NaN, NA)))
}

aggregates <- list(sum = sum, mean = mean, sd = stats::sd, var = stats::var, min = min, max = max,
                   median = stats::median)

# The value of each row's group, by base R: NA and NaN are groups of their own.
by_group <- function(x, groups, f) {
  key <- do.call(paste, lapply(groups, function(g) if (is.numeric(g)) ifelse(is.nan(g), "NaN", format(g + 0)) else g))
  keys <- unique(key)
  do.call(c, lapply(keys, function(one) f(x[key %in% one])))[match(key, keys)]
}

test_that("aggregates are those of base R, over the column and over each group", {
  for (n in c(1, 2, 3000)) {
    data <- make_data(n)
    for (name in names(aggregates)) for (column in c("d", "w", "i", "l")) for (na.rm in c(FALSE, TRUE)) {
      f <- aggregates[[name]]
      formula <- call(name, as.name(column), na.rm = na.rm)
      block <- bquote({ new <- .(formula) })
      expected <- suppressWarnings(f(data[[column]], na.rm = na.rm))
      info <- paste(n, deparse1(formula))
      found <- suppressWarnings(eval(bquote(set_columns(data, .(block))))$new)
      expect_equal(found, rep(expected, n), tolerance = 1e-13, info = info)
      expect_identical(typeof(found), typeof(expected), info = info)
      found <- suppressWarnings(eval(bquote(set_columns(data, .(block), within = c(g, h))))$new)
      expected <- suppressWarnings(by_group(data[[column]], data[c("g", "h")], function(x) f(x, na.rm = na.rm)))
      expect_equal(found, expected, tolerance = 1e-13, info = info)
    }
  }
})

test_that("quantiles, truths and counts are those of base R, over the column and over each group", {
  for (n in c(1, 2, 500)) {
    data <- make_data(n)
    data$day <- as.Date("2025-01-01") + sample(5, n, replace = TRUE)
    data$day[sample(n, n %/% 4)] <- NA
    data$kind <- factor(data$g)
    cases <- c(
      lapply(c(0, 0.1, 1 / 3, 0.5, 1), function(p) list(bquote(quantile(w, .(p))), data$w,
                                                        function(x) stats::quantile(x, p, names = FALSE))),
      lapply(c("i", "d"), function(x) list(bquote(quantile(.(as.name(x)), probs = 0.3, na.rm = TRUE)), data[[x]],
                                           function(x) as.numeric(stats::quantile(x, 0.3, na.rm = TRUE,
                                               names = FALSE)))),
      list(list(quote(any(l)), data$l, any), list(quote(all(l)), data$l, all),
           list(quote(any(l, na.rm = TRUE)), data$l, function(x) any(x, na.rm = TRUE)),
           list(quote(all(i > 0, na.rm = TRUE)), data$i > 0, function(x) all(x, na.rm = TRUE)),
             list(quote(length(day)), data$day, length),
           list(quote(min(day)), data$day, min), list(quote(max(day, na.rm = TRUE)), data$day,
                                                      function(x) if (all(is.na(x))) as.Date(-Inf,
                                                          origin = "1970-01-01") else max(x, na.rm = TRUE)),
           list(quote(median(day)), data$day, stats::median)),
      unlist(lapply(c("d", "i", "l", "g", "day", "kind"),
                    function(x) lapply(c("count_known", "count_distinct", "first_value", "last_value"), function(name)
        list(call(name, as.name(x)), data[[x]], get(name)))), recursive = FALSE)
    )
    for (case in cases) {
      block <- bquote({ new <- .(case[[1]]) })
      info <- paste(n, deparse1(case[[1]]))
      expect_equal(suppressWarnings(eval(bquote(set_columns(data, .(block))))$new),
                   rep(suppressWarnings(case[[3]](case[[2]])), n), tolerance = 1e-14, info = info)
      expect_equal(suppressWarnings(eval(bquote(set_columns(data, .(block), within = c(g, h))))$new),
                   suppressWarnings(by_group(case[[2]], data[c("g", "h")], case[[3]])), tolerance = 1e-14, info = info)
    }
  }
  expect_error(set_columns(data, { q <- quantile(d, 0.5) }), class = "rowanroot_formula_failed")
  for (name in c("mean", "sd", "median", "any", "sum")) {
    expect_error(eval(bquote(set_columns(data, { a <- .(as.name(name))(g) }))), class = "rowanroot_type_mismatch",
                 info = name)
    if (name != "median") {
      expect_error(eval(bquote(set_columns(data, { a <- .(as.name(name))(kind) }))),
                   class = "rowanroot_type_mismatch", info = name)
    }
  }
})

test_that("64-bit integers are grouped and counted by all their bits", {
  id <- bit64::as.integer64(c("0", NA, "9218868437227405313", "9218868437227405314", "0"))
  data <- data.frame(n = 1:5)
  data$id <- id
  expect_identical(set_columns(data, { first <- first_value(n) }, within = id)$first, c(1L, 2L, 3L, 4L, 1L))
  expect_identical(set_columns(data, { ids <- count_distinct(id) })$ids[1], 3L)
})

test_that("a missing value and one that is no number are distinguished", {
  data <- data.frame(a = c(1, NA, NaN), b = c(1, NaN, NA), i = 1:3)
  result <- set_columns(data, { sa <- sum(a); sb <- sum(b); ma <- min(a); mb <- max(b) })
  expect_identical(c(is.nan(result$sa[1]), is.nan(result$sb[1]), is.nan(result$ma[1]), is.nan(result$mb[1])),
                   c(FALSE, TRUE, FALSE, FALSE))
  groups <- set_columns(make_data(500), { n <- .rows }, within = r)
  expect_identical(groups$n, by_group(groups$d, list(groups$r), length))
})

test_that("sums do not depend on the number of threads", {
  x <- data.frame(a = stats::rnorm(1e5) * 10^stats::runif(1e5, -8, 8))
  value <- function(threads) {
    old <- options(rowanroot.threads = threads)
    on.exit(options(old))
    set_columns(x, { s <- sum(a); v <- var(a) }, carry = c())[1, ]
  }
  expect_identical(value(1L), value(2L))
})

test_that("under within, rows are counted by group, and R's functions run for each group", {
  data <- data.frame(g = c("b", "a", "b", NA, "a", "b"), x = c(3, 5, 1, 7, 2, 8), day = as.Date("2025-01-01") + 0:5)
  result <- set_columns(data, {
    number <- .row
    of <- .rows
    middle <- median(x)
    share <- x / sum(x)
    so_far <- cumsum(x)
    last_day <- max(day)
    distinct <- count_distinct(x > 2)
    first <- first_value(x)
    over <- vapply(x, function(v) v - min(x), 0)
    upper <- toupper(g)
    overall <- mean(x, within = c())
  }, within = g)
  expect_identical(result$number, c(1L, 1L, 2L, 1L, 2L, 3L))
  expect_identical(result$of, c(3L, 2L, 3L, 1L, 2L, 3L))
  expect_identical(result$middle, c(3, 3.5, 3, 7, 3.5, 3))
  expect_identical(result$share, data$x / c(12, 7, 12, 7, 7, 12))
  expect_identical(result$so_far, c(3, 5, 4, 7, 7, 12))
  expect_identical(result$last_day, as.Date("2025-01-01") + c(5, 4, 5, 3, 4, 5))
  expect_identical(result$distinct, c(2L, 2L, 2L, 1L, 2L, 2L))
  expect_identical(result$first, c(3, 5, 3, 7, 5, 3))
  expect_identical(result$over, data$x - c(1, 2, 1, 7, 2, 1))
  expect_identical(result$upper, toupper(data$g))
  expect_identical(set_columns(data, { m <- mean(x, within = g) })$m, c(4, 3.5, 4, 7, 3.5, 4))
  expect_identical(set_columns(data, { m <- median(x, within = g) + max(x, within = g) })$m,
                   c(11, 8.5, 11, 14, 8.5, 11))
  expect_identical(set_columns(data, { m <- mean(x, trim = 0.4, within = g) })$m, c(3, 3.5, 3, 7, 3.5, 3))
  expect_identical(dim(set_columns(data[0, ], { m <- mean(x); n <- median(x); k <- .row }, within = g)), c(0L, 6L))
})

test_that("what can't be grouped, and groups that get too many values, are refused", {
  data <- data.frame(g = c("a", "b", "a"), x = 1:3)
  data$list <- list(1, 2, 3)
  expect_error(set_columns(data, { a <- mean(x) }, within = gg), class = "rowanroot_unknown_column")
  expect_error(set_columns(data, { a <- mean(x) }, within = list), class = "rowanroot_type_mismatch")
  expect_error(set_columns(data, { a <- mean(x, within = nothing) }), class = "rowanroot_unknown_column")
  expect_error(set_columns(data, { a <- quantile(x) }, within = g), class = "rowanroot_wrong_length")
  expect_warning(set_columns(data.frame(x = rep(.Machine$integer.max, 2)), { a <- sum(x) }),
                 class = "rowanroot_overflow")
})
