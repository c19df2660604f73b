# Formulas made at random, over columns made at random, against plain R that evaluates them for one row
# after the other: that is what a formula means.

test_that("a formula gives what plain R gives for one row after the other", {
  set.seed(as.integer(Sys.getenv("ROWANROOT_SEED", "1")))
  wrong <- character()
  for (k in seq_len(as.integer(Sys.getenv("ROWANROOT_FORMULAS", "600")))) {
    data <- random_columns(sample(c(1, 3, 40), 1))
    formula <- random_formula(sample(c("number", "logical", "text", "date"), 1), sample(1:4, 1))
    expected <- row_by_row(formula, data)
    overflow <- FALSE
    found <- withCallingHandlers(
      eval(bquote(set_columns(data, { new <- .(formula) })))$new,
      rowanroot_overflow = function(w) overflow <<- TRUE,
      warning = function(w) invokeRestart("muffleWarning")
    )
    if (!same_values(found, expected$values, rows_with_missing(formula, data)) || overflow != expected$overflow) {
      wrong <- c(wrong, deparse1(formula))
    }
  }
  expect_identical(wrong, character())
})

test_that("results do not depend on the size of blocks or the number of threads", {
  set.seed(2)
  data <- random_columns(5000)
  formulas <- lapply(rep(c("number", "logical", "text", "date"), 10), random_formula, depth = 3)
  calculate <- function(formula) suppressWarnings(eval(bquote(set_columns(data, { new <- .(formula) })))$new)
  usual <- lapply(formulas, calculate)
  for (block_rows in c(1L, 77L, 4096L)) for (threads in 1:2) {
    old <- options(rowanroot.block_rows = block_rows, rowanroot.threads = threads)
    expect_identical(lapply(formulas, calculate), usual)
    options(old)
  }
})

test_that("formulas that share parts give the same as formulas alone", {
  set.seed(3)
  data <- random_columns(50)
  for (k in 1:50) {
    one <- random_formula("number", 2)
    two <- call("+", one, random_formula("number", 2))
    together <- suppressWarnings(eval(bquote(set_columns(data, { a <- .(one); b <- .(two); d <- b - a; c <- d }))))
    b <- suppressWarnings(eval(bquote(set_columns(data, { b <- .(two) })))$b)
    a <- suppressWarnings(eval(bquote(set_columns(data, { a <- .(one) })))$a)
    expect_true(same_values(together$b, b))
    expect_true(same_values(together$c, suppressWarnings(b - a)))
  }
})
