test_that("means and deviations keep all digits under an offset that all values share", {
  set.seed(31)
  for (offset in c(0, 1e6, 1e9, 1e15, -1e15, 1e300, 2^52 + 0.5)) for (n in c(2, 7, 2500, 10000)) {
    x <- offset + if (abs(offset) > 1e16) offset * stats::runif(n) else sample(0:9, n, TRUE)
    g <- sample(3L, n, TRUE)
    data <- data.frame(x, g, k = rep(1L, n))
    found <- set_columns(data, { v <- var(x); s <- sd(x); m <- mean(x); z <- z_score(x); vk <- var(x, within = k);
                                 mk <- mean(x, within = k); vg <- var(x, within = g); mg <- mean(x, within = g) })
    info <- paste(offset, n)
    expect_equal(found$v[1], stats::var(x), tolerance = 1e-14, info = info)
    expect_equal(found$vk[1], stats::var(x), tolerance = 1e-14, info = info)
    expect_equal(found$s[1], stats::sd(x), tolerance = 1e-14, info = info)
    expect_equal(found$m[1], mean(x), tolerance = 1e-15, info = info)
    expect_equal(found$mk[1], mean(x), tolerance = 1e-15, info = info)
    expect_equal(found$vg, stats::ave(x, g, FUN = stats::var), tolerance = 1e-14, info = info)
    expect_equal(found$mg, stats::ave(x, g), tolerance = 1e-15, info = info)
    # A mean that is off by its last place moves all z-scores by as much.
    expect_equal(found$z, (x - mean(x)) / stats::sd(x), tolerance = 1e-13, info = info)
  }
})

test_that("a constant has its own value as mean and a deviation of 0, by group too", {
  set.seed(32)
  for (k in 1:300) {
    value <- stats::rnorm(1) * 10^sample(-300:300, 1)
    n <- sample(2:6000, 1)
    found <- set_columns(data.frame(x = rep(value, n), g = rep(1:2, length.out = n)),
                         { m <- mean(x); s <- sd(x); mg <- mean(x, within = g); sg <- var(x, within = g);
                           z <- z_score(x) })
    expect_true(all(found$m == value & found$s == 0 & found$mg == value & is.nan(found$z)), info = value)
    if (n > 3) expect_true(all(found$sg == 0), info = value)
  }
})

test_that("sums through what a double can't hold, and infinite values, are R's", {
  cases <- list(c(1e308, 1e308, -1e308, -1e308), c(1, Inf, 2), c(Inf, -Inf), c(1e308, 1e308), rep(1e308, 20),
                c(-Inf, NA, 3), numeric())
  for (x in cases) for (g in list(NULL, rep("a", length(x)))) {
    data <- data.frame(x = x, g = if (is.null(g)) rep("b", length(x)) else g)
    found <- if (is.null(g)) set_columns(data, { s <- sum(x, na.rm = TRUE); m <- mean(x, na.rm = TRUE);
                                                 v <- var(x, na.rm = TRUE) })
             else set_columns(data, { s <- sum(x, na.rm = TRUE); m <- mean(x, na.rm = TRUE);
                                      v <- var(x, na.rm = TRUE) }, within = g)
    if (!length(x)) next
    known <- x[!is.na(x)]
    expect_equal(c(found$s[1], found$m[1], found$v[1]), c(sum(known), mean(known), stats::var(known)),
                 tolerance = 1e-14, info = deparse1(x))
  }
})

test_that("the greatest of no values is reported, as R tells it", {
  data <- data.frame(g = c("a", "a", "b"), x = c(NA, NA, 1))
  expect_warning(found <- one_row_per(data, g, { top <- max(x, na.rm = TRUE) }), "no values in 1 group: it is -Inf",
                 class = "rowanroot_no_values")
  expect_identical(found$top, c(-Inf, 1))
  expect_warning(set_columns(data[1:2, ], { low <- min(x, na.rm = TRUE) }), "it is Inf there",
                 class = "rowanroot_no_values")
  expect_silent(set_columns(data.frame(x = c(Inf, NA)), { top <- min(x, na.rm = TRUE) }))
})

test_that("texts are compared by code point, whatever the language", {
  data <- data.frame(t = c("a", "B", "\u00e4", "z", NA, "Z", "\U1F41D", "\uffee"),
                     u = c("B", "B", "a", "\u00e4", "a", NA, "\uffee", "\U1F41D"))
  formulas <- expression(t < u, t <= "a", "B" > t, t >= u, pmin(t, u), pmax(t, "b", na.rm = TRUE),
                         row_min(t, u, missing = "skip"), min(t, na.rm = TRUE), max(u), ranking(t, best = "lowest"))
  calculate <- function(locale) withr::with_locale(c(LC_COLLATE = locale),
                                                   lapply(formulas,
                                                          function(formula) eval(bquote(set_columns(data,
                                                              { new <- .(formula) })))$new))
  by_code <- calculate("C")
  expect_identical(by_code[[1]], withr::with_locale(c(LC_COLLATE = "C"), data$t < data$u))
  expect_identical(by_code[[5]], withr::with_locale(c(LC_COLLATE = "C"), pmin(data$t, data$u)))
  expect_identical(by_code[[6]], withr::with_locale(c(LC_COLLATE = "C"), pmax(data$t, "b", na.rm = TRUE)))
  expect_identical(by_code[[8]], rep("B", 8))
  for (locale in intersect(c("C.UTF-8", "en_US.UTF-8", "de_DE.UTF-8"),
                           suppressWarnings(system2("locale", "-a",
                                                    stdout = TRUE)))) expect_identical(calculate(locale), by_code)
})
