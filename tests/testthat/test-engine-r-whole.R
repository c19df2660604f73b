data <- data.frame(g = c("a", "a", "b"), t = c("x y", "y", "z q r"), v = c(1, 2, 3), w = c(5, NA, 1))

test_that(paste0("a function of the script that gives one value for several rows is refused, and both ways to say ",
                 "it are shown"), {
  spread <- function(x) max(x) - min(x)
  error <- expect_error(set_columns(data, { s <- spread(v) }), class = "rowanroot_row_or_columns")
  expect_match(conditionMessage(error), "one_by_one(spread, v)", fixed = TRUE)
  expect_match(conditionMessage(error), "all_at_once(spread, v)", fixed = TRUE)
  expect_error(set_columns(data, { s <- spread(v) }, within = g), class = "rowanroot_row_or_columns")
  expect_identical(set_columns(data, { s <- all_at_once(spread, v) })$s, c(2, 2, 2))
  expect_identical(set_columns(data, { s <- all_at_once(spread, v) }, within = g)$s, c(1, 1, 0))
  expect_identical(set_columns(data, { s <- all_at_once(spread, v, within = g) })$s, c(1, 1, 0))
  expect_identical(set_columns(data, { s <- one_by_one(spread, v) })$s, c(0, 0, 0))
  expect_identical(one_row_per(data, g, { s <- spread(v) })$s, c(1, 0))
  expect_error(all_at_once("spread", 1:3), class = "rowanroot_bad_argument")
  # Functions of R of whole columns are what they are, and a table of one row has one value.
  expect_identical(set_columns(data, { s <- stats::IQR(v) })$s, rep(stats::IQR(data$v), 3))
  expect_identical(set_columns(data[1, ], { s <- spread(v) })$s, 0)
})

test_that("code that means another thing for one row than for a column is refused in a function of the script", {
  first_word <- function(s) strsplit(s, " ")[[1]][1]
  functions <- list(
    function(x) { x[1] <- 99; x }, function(x) x - x[1], function(x) tryCatch(as.numeric(x), error = function(e) x),
      function(x) { y <- rev(x); y[[1]] },
    function(x) paste(first_word(as.character(x)), x), function(x) if (isTRUE(x > 1)) rev(x) else rev(x)
  )
  for (f in functions) {
    expect_error(set_columns(data, { s <- f(v) }), class = "rowanroot_row_or_columns", info = deparse1(body(f)))
    expect_silent(set_columns(data, { s <- all_at_once(f, v) }))
  }
  # A part that is picked within each value is no row.
  initials <- function(s) vapply(strsplit(s, " "), function(words) paste0(substr(words[1], 1, 1), length(words)), "")
  expect_identical(set_columns(data, { s <- initials(t) })$s, initials(data$t))
  constants <- function(x) { steps <- c(10, 20); rev(rev(x)) + steps[2] }
  expect_identical(set_columns(data, { s <- constants(v) })$s, data$v + 20)
  # R looks at the first of several conditions only, with a warning in some versions.
  withr::local_envvar("_R_CHECK_LENGTH_1_LOGIC2_" = "false")
  careful <- function(x) if (x > 1 && nchar(format(x)) > 0) format(x) else "none"
  expect_error(set_columns(data, { s <- careful(v) }), class = "rowanroot_formula_failed", "one_by_one")
  for (formula in expression(v[2], (v + 1)[3], toupper(t)[3], tryCatch(log(v), warning = function(w) NA),
                             strsplit(t, " ")[[1]])) {
    expect_error(eval(bquote(set_columns(data, { s <- .(formula) }))), class = "rowanroot_not_row_wise",
                 info = deparse1(formula))
  }
  expect_identical(set_columns(data, { s <- mean(v[1:2]); f <- c("p", "q", "r")[v] })[c("s", "f")],
                   data.frame(s = rep(1.5, 3), f = c("p", "q", "r")))
  # One row fits the condition here, and another number of rows in another table.
  expect_error(set_columns(data, { s <- w[is.na(w)] }), class = "rowanroot_not_row_wise")
  expect_identical(set_columns(data, { s <- v[order(-v)] })$s, c(3, 2, 1))
  expect_identical(one_row_per(data, g, { f <- v[1]; top <- max(v, 2.5) })[c("f", "top")],
                   data.frame(f = c(1, 3), top = c(2.5, 3)))
  for (formula in expression(any(v > 1, w > 1), all(v > 1, w > 1), max(v, 0), min(v, w), sum(v, 1))) {
    expect_error(eval(bquote(set_columns(data, { s <- .(formula) }))), class = "rowanroot_ambiguous_word",
                 info = deparse1(formula))
  }
})

test_that("in a function of one row, what is put together is of the row", {
  functions <- list(
    function(a, b) any(is.na(c(a, b))), function(a, b) max(c(a, b)), function(a, b) sum(c(a, b), na.rm = TRUE),
      function(a, b) length(c(a, b, 1)), function(a, b) min(c(a, 2)),
    function(a, b) all(c(a, b) > 1), function(a, b) any(c(a > 1, b > 1), na.rm = TRUE),
      function(a, b) all(!is.na(c(a, b)), na.rm = TRUE), function(a, b) sum(c(a > 1, b > 1)),
    function(a, b) isTRUE(a > b), function(a, b) isFALSE(a > b), function(a, b) identical(a, 2),
      function(a, b) if (any(c(a, b) > 2, na.rm = TRUE)) a else -a
  )
  for (f in functions) {
    expected <- mapply(f, data$v, data$w)
    expect_identical(set_columns(data, { s <- f(v, w) })$s, expected, info = deparse1(body(f)))
  }
  expect_identical(set_columns(data, { s <- identical(v, 2L) })$s, rep(FALSE, 3))
  expect_error(set_columns(data, { s <- identical(v, w) }), class = "rowanroot_not_row_wise")
  given <- function(x, y) if (missing(y)) x else x + y
  y <- 100
  expect_identical(set_columns(data, { a <- given(v); b <- given(v, 1) })[c("a", "b")],
                   data.frame(a = data$v, b = data$v + 1))
})

test_that("functions that join rows join those of the group", {
  joined <- function(t) paste(t, collapse = "+")
  expect_identical(one_row_per(data, g, { all <- paste(t, collapse = "+"); n <- nchar(paste(t, collapse = "+"));
                                          h <- joined(t) }),
                   data.frame(g = c("a", "b"), all = c("x y+y", "z q r"), n = c(5L, 5L), h = c("x y+y", "z q r")))
  by_group <- c("x y+y", "x y+y", "z q r")
  expect_identical(set_columns(data, { all <- paste(t, collapse = "+") }, within = g)$all, by_group)
  expect_identical(set_columns(data, { all <- paste0(t, collapse = "+", within = g);
                                       n <- nchar(paste(t, collapse = "+", within = g)) })[c("all", "n")],
                   data.frame(all = by_group, n = 5L))
  expect_identical(set_columns(data, { a <- t %in% rev(t)[1] }, within = g)$a, c(FALSE, TRUE, TRUE))
  expect_identical(set_columns(data, { a <- v %in% w }, within = g)$a, c(FALSE, FALSE, FALSE))
})

test_that("a column that has one value for the group is not added up over its rows", {
  for (formula in expression(sum(m), length(m), mean(m * 2), paste(m, collapse = "+"), max(m))) {
    error <- expect_error(eval(bquote(one_row_per(data, g, { m <- max(v); s <- .(formula) }))),
                          class = "rowanroot_not_row_wise", info = deparse1(formula))
    expect_match(conditionMessage(error), "`m`", fixed = TRUE)
  }
  expect_identical(one_row_per(data, g, { m <- max(v); s <- sum((v - m)^2); k <- length(g) })$s, c(1, 0))
})

test_that("methods that the script has for a class are used", {
  Ops.money <- function(e1, e2) structure(get(.Generic)(unclass(e1), unclass(e2)) * 100, class = "money")
  mean.money <- function(x, ...) -1
  min.money <- function(..., na.rm = FALSE) -2
  round.money <- function(x, digits = 0) rep(-3, length(x))
  bought <- data.frame(id = 1:2)
  bought$price <- structure(c(1, 2), class = "money")
  found <- set_columns(bought, { a <- unclass(price + price); b <- mean(price); c <- min(price); d <- round(price) })
  expect_identical(found[c("a", "b", "c", "d")], data.frame(a = c(200, 400), b = -1, c = -2, d = -3))
})
