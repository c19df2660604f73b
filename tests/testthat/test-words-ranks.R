# Columns of every type that can be ranked, with ties and missing values.
rankable <- function(n) {
  set.seed(n)
  pick <- function(values) sample(values, n, replace = TRUE)
  data.frame(
    d = pick(c(NA, NaN, Inf, -Inf, 0, -0, 1.5, -2, 1e-300)), w = stats::rnorm(n),
      i = pick(c(NA, -3L, 5L, 2147483647L)), l = pick(c(TRUE, FALSE, NA)),
    s = pick(c("b", "B", "\u00e6", "", NA, "ab")), day = as.Date("2025-01-01") + pick(c(NA, 0, 3, -900)),
    kind = factor(pick(c("low", "high", NA)), levels = c("low", "high")), g = pick(c("x", "y", NA)),
      h = pick(c(1, NaN, NA)),
    o = pick(1:5)
  )
}

in_groups <- function(data, groups, f) {
  key <- group_key(data, groups)
  result <- rep(NA_real_, nrow(data))
  for (one in unique(key)) result[key == one] <- f(data[key == one, , drop = FALSE])
  result
}

test_that("ranks are those of R's rank(), for every type and choice, over all rows and in groups", {
  for (n in c(0, 1, 2, 40, 700)) {
    data <- rankable(n)
    for (column in c("d", "w", "i", "l", "s", "day", "kind")) for (best in c("highest", "lowest"))
      for (ties in c("min", "max", "average", "first", "last", "dense")) for (missing in c("keep", "first", "last")) {
        if (n == 700 && (ties != "average") && column %in% c("l", "kind")) next
        rank_of <- function(part) as.numeric(rank_by_r(part[[column]], best, ties, missing))
        found <- eval(bquote(set_columns(data, {
          all <- ranking(.(as.name(column)), best = .(best), ties = .(ties), missing = .(missing))
          grouped <- ranking(.(as.name(column)), best = .(best), ties = .(ties), missing = .(missing), within = c(g, h))
        })))
        info <- paste(n, column, best, ties, missing)
        expect_equal(as.numeric(found$all), rank_of(data), info = info)
        expect_equal(as.numeric(found$grouped), in_groups(data, c("g", "h"), rank_of), info = info)
      }
  }
})

test_that("ranks of many rows with few different values are R's too", {
  set.seed(11)
  n <- 30000
  data <- data.frame(d = sample(c(NA, NaN, 0, -0, Inf, round(rnorm(500), 1)), n, TRUE),
                     i = sample(c(NA, 1:300), n, TRUE),
                     apart = ifelse(seq_len(n) %% (n %/% 4096) == 1, 0, seq_len(n)))
  for (column in names(data)) for (best in c("highest", "lowest")) for (ties in c("min", "max", "average", "first",
      "dense")) {
    found <- eval(bquote(set_columns(data, { r <- ranking(.(as.name(column)), best = .(best), ties = .(ties)) })))
    expect_equal(as.numeric(found$r), as.numeric(rank_by_r(data[[column]], best, ties, "keep")),
                 info = paste(column, best, ties))
  }
})

test_that("shares of ranks are what the SQL standard says", {
  data <- data.frame(x = c(10, 20, 20, 30, NA), g = c(1, 1, 1, 1, 2))
  found <- set_columns(data, {
    p <- ranking(x, best = "lowest", as = "percent_rank")
    c <- ranking(x, best = "lowest", as = "cume_dist")
    s <- ranking(x, best = "highest", as = "share", ties = "max")
    one <- ranking(x, best = "lowest", as = "percent_rank", within = x)
    grouped <- ranking(x, best = "lowest", as = "cume_dist", within = g)
  })
  expect_equal(found$p, c(0, 1 / 3, 1 / 3, 1, NA))
  expect_equal(found$c, c(0.25, 0.75, 0.75, 1, NA))
  expect_equal(found$s, c(1, 0.75, 0.75, 0.25, NA))
  expect_equal(found$one, c(0, 0, 0, 0, NA))
  expect_equal(found$grouped, found$c)
})

test_that("ranks of many rows do not depend on how they are shared out", {
  set.seed(4)
  n <- 60000
  heavy <- c(stats::rnorm(n / 2) * 10^stats::runif(n / 2, -300, 300), round(stats::rgamma(n / 2, 2), 2))
  heavy[sample(n, 500)] <- NA
  data <- data.frame(heavy, fine = stats::rnorm(n), few = sample(20L, n, TRUE), far = sample(.Machine$integer.max, n))
  for (column in names(data)) for (best in c("highest", "lowest")) for (threads in 1:2) {
    old <- options(rowanroot.threads = threads)
    found <- eval(bquote(ranking(data[[.(column)]], best = .(best), missing = "first", ties = "average")))
    options(old)
    expect_identical(found, rank_by_r(data[[column]], best, "average", "first"), info = paste(column, best, threads))
  }
})

test_that("ties in row order follow the order of the block", {
  data <- data.frame(x = c(1, 1, 1, 2), day = c(3, 1, 2, 9))
  expect_identical(set_columns(data, { r <- ranking(x, best = "lowest", ties = "first") }, along = day)$r,
                   c(3L, 1L, 2L, 4L))
})

test_that("columns are ranked in each row", {
  data <- data.frame(a = c(3, 5, NA), b = c(4, 1, 2), c = c(4L, NA, 7L))
  found <- set_columns(data, { c(x, y, z) <- row_ranking(a, b, c, best = "highest") })
  expect_identical(lapply(seq_len(3), function(k) c(found$x[k], found$y[k], found$z[k])),
                   list(c(3L, 1L, 1L), c(1L, 2L, NA), c(NA, 2L, 1L)))
  expect_error(row_ranking(1:2, c("a", "b"), best = "highest"), class = "rowanroot_type_mismatch")
  expect_error(row_ranking(1:2, 2:3), class = "rowanroot_bad_argument")
})

test_that("mistakes with ranks are reported with the way out", {
  data <- data.frame(net_kg = c(3, 1), apiary = c("NB", "SH"))
  data$list <- list(1, 2)
  expect_snapshot(error = TRUE, {
    set_columns(data, { place <- ranking(net_kg) })
    set_columns(data, { place <- ranking(net_kg, best = "higest") })
    set_columns(data, { place <- ranking(net_kg, best = "highest", ties = "mean") })
    set_columns(data, { place <- ranking(net_kg, best = "highest", within = apiry) })
    set_columns(data, { place <- ranking(list, best = "highest") })
    set_columns(data, { place <- ranking(net_kg, best = apiary) })
    set_columns(data, { place <- ranking(net_kg, bets = "highest") })
    ranking(3:1)
  })
  for (code in expression(ranking(net_kg), ranking(net_kg, best = 1),
                          ranking(net_kg, best = "lowest", missing = "none"),
                          ranking(net_kg, best = "lowest", as = "rank"))) {
    expect_error(eval(bquote(set_columns(data, { a <- .(code) }))), class = "rowanroot_bad_argument")
  }
  expect_error(set_columns(data, { place <- ranking(list, best = "highest") }), class = "rowanroot_type_mismatch")
  expect_error(set_columns(data, { place <- ranking(net_kg, best = "highest", within = apiry) }),
               class = "rowanroot_unknown_column")
})

test_that("equal parts are NTILE's of the SQL standard, by group and with ties in an order", {
  parts_of <- function(count, parts) rep(seq_len(parts), count %/% parts + (seq_len(parts) <= count %% parts))
  by_r <- function(x, parts, turn) {
    rows <- order(x, turn, na.last = NA)
    result <- rep(NA_integer_, length(x))
    result[rows] <- parts_of(length(rows), parts)
    result
  }
  set.seed(6)
  for (n in c(0, 1, 7, 400)) {
    x <- sample(c(1:9, NA), n, TRUE)
    group <- sample(3L, n, TRUE)
    day <- sample.int(n)
    for (parts in c(1, 3, 4, 10)) {
      expect_identical(equal_parts(x, parts, "lowest"), by_r(x, parts, seq_len(n)))
      expect_identical(equal_parts(x, parts, "highest", along = day), by_r(-x, parts, day))
      found <- equal_parts(x, parts, best = "lowest", within = group)
      for (one in unique(group)) {
        rows <- which(group == one)
        expect_identical(found[rows], by_r(x[rows], parts, seq_along(rows)))
      }
    }
  }
  data <- data.frame(hive = c("a", "b", "c"), kg = c(5, 9, 5), day = 3:1)
  found <- set_columns(data, {
    half  <- equal_parts(kg, 2, best = "highest", along = day)
    place <- ranking(kg, best = "highest", ties = "first", along = day)
  })
  expect_identical(found[4:5], data.frame(half = c(2L, 1L, 1L), place = c(3L, 1L, 2L)))
  expect_error(equal_parts(1:3, best = "lowest"), class = "rowanroot_bad_argument")
  expect_error(equal_parts(1:3, 2), class = "rowanroot_bad_argument")
  expect_error(equal_parts(1:3, 0, "lowest"), class = "rowanroot_bad_argument")
})
