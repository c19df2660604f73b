# Functions of one row, as people write them, against themselves called for each row.
data <- data.frame(x = c(-2.5, 0, 1, 7, 100), n = c(3L, 5L, 8L, 12L, 1L), s = c("NB-01", "SH-02", "NB-03", "OM-1", "x"))

rate <- 1.5
helper <- function(v, by = rate) v * by
functions <- list(
  function(x, n) if (x > 1) "big" else if (n > 4) "many" else "small",
  function(x, n) {
    if (x < 0) return(0)
    y <- x + 1
    if (n > 4) y <- y * 2 else y <- y - 1
    if (y > 50) return(50)
    y
  },
  function(x, n) {
    y <- 0
    if (x > 0) {
      z <- helper(x)
      y <- z + helper(n, by = 2)
    }
    y
  },
  function(x, n, limit = x + 10) if (n > limit) limit else n,
  function(x, n) switch(as.character(n), "3" = x, "5" = , "8" = x * 2, -1),
  function(x, n) {
    w <- x
    if (x > 0 && n > 2) if (x > 5) w <- w + 1 else return(w + 2)
    w * 3
  },
  function(x, n) round(sqrt(abs(x)) + max(c(1)), 1),
  function(x, n) {
    for (i in 1:2) x <- x + 1
    x
  },
  function(x, n) nchar(toupper(paste0(n, "kg")))
)

test_that("a function of one row gives what it gives for each row", {
  for (k in seq_along(functions)) {
    f <- functions[[k]]
    expected <- unlist(lapply(seq_len(nrow(data)), function(row) f(data$x[row], data$n[row])))
    found <- set_columns(data, { a <- f(x, n) })$a
    expect_equal(found, expected, info = deparse1(f))
  }
})

test_that("it is taken in when it can be, and else called once with whole columns", {
  calls <- 0
  aggregate <- function(x) {
    calls <<- calls + 1
    x - mean(x)
  }
  expect_equal(set_columns(data, { a <- aggregate(x) })$a, data$x - mean(data$x))
  expect_identical(calls, 1)
  group <- substr(data$s, 1, 2)
  found <- data |> set_columns({ .group <- substr(s, 1, 2); a <- aggregate(x, within = .group) })
  expect_equal(found$a, data$x - stats::ave(data$x, group))
  statement <- rowanroot:::bind_block(quote({ a <- functions[[2]](x, n) }), names(data), environment(), NULL,
                                      rowanroot:::formula_scope)[[1]]
  expect_identical(statement$node$kind, "choose")
  expect_identical(sort(rowanroot:::node_columns(statement$node)), c("n", "x"))
})

test_that("functions of a package are taken in as well, with what they find there", {
  skip_on_cran()
  local_folder()
  write_text(c("Package: hivetools", "Version: 0.1", "Title: Words", "Description: Words.", "License: MIT"),
             "hivetools/DESCRIPTION")
  write_text("export(fee, centred)", "hivetools/NAMESPACE")
  write_text(c("rate <- 0.1", "base <- function(kg) if (kg < 5) 0 else kg * rate",
               "fee <- function(kg, boxes) { b <- base(kg); if (boxes > 2) b * 0.9 else b }",
                 "centred <- function(x) x - mean(x)"), "hivetools/R/words.R")
  dir.create("library")
  utils::install.packages("hivetools", lib = "library", repos = NULL, type = "source", quiet = TRUE,
                          INSTALL_opts = "--no-docs")
  package <- "hivetools"
  home <- loadNamespace(package, lib.loc = "library")
  withr::defer(unloadNamespace(package))
  fee <- getExportedValue(package, "fee")
  centred <- getExportedValue(package, "centred")
  each_row <- mapply(fee, data$x, data$n)
  expect_identical(set_columns(data, { a <- fee(x, n) })$a, each_row)
  expect_equal(set_columns(data, { a <- centred(n) })$a, data$n - mean(data$n))
  key <- function() rowanroot:::canonical(rowanroot:::bind_block(quote({ a <- fee(x, n) }), names(data),
                                                                 environment(), NULL,
                                                                 rowanroot:::formula_scope)[[1]]$node)
  before <- key()
  expect_identical(key(), before)
  rlang::env_binding_unlock(home, "rate")
  assign("rate", 0.2, home)
  expect_false(identical(key(), before))
})

test_that("names that a function shares with the script or the table are its own", {
  n <- 1000
  f <- function(x) {
    n <- x * 2
    n + 1
  }
  expect_identical(set_columns(data, { a <- f(x) + n })$a, data$x * 2 + 1 + data$n)
  g <- function(v) v + n
  expect_identical(set_columns(data, { a <- g(x) })$a, data$x + 1000)
})

test_that("a function that uses a name many times is not followed many times", {
  f <- function(x) {
    y <- x
    for_each <- y + y
    y <- for_each + for_each; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y
    y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y
    y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y
    y
  }
  # Followed many times it would not end: 2^26 times here, and in the table of a file at each look.
  expect_identical(set_columns(data, { a <- f(x) })$a, f(data$x))
  local_folder()
  quietly(save_table(data, "in.csv"))
  table <- open_table("in.csv") |> set_columns({ a <- f(x) }) |> keep_rows(f(x) > 0)
  expect_identical(as.data.frame(table)$a, f(data$x[data$x > 0]))
  expect_identical(why(table, a, 1)$value, f(data$x[data$x > 0][1]))
  expect_identical(show_steps(table)$steps, list("Set a to f(x)", "Keep the rows where f(x) > 0"))
  expect_identical(as.data.frame(lineage(table))$from[1], "in.csv")
  expect_identical(set_columns(data, { a <- running(f(.above) / 2^26 + x, start = 0) })$a, cumsum(data$x))
})

test_that("what can't be run for all rows at once says how it can be run", {
  grade <- function(kg) {
    while (kg > 10) kg <- kg / 2
    kg
  }
  expect_snapshot(error = TRUE, {
    set_columns(data, { a <- grade(x) })
    set_columns(data, { a <- one_by_one(function(v) if (v > 1) "a" else v, x) })
    set_columns(data, { a <- one_by_one(function(v) stop("no bees in ", v), n) })
  })
  expect_identical(set_columns(data, { a <- one_by_one(grade, x) })$a, vapply(data$x, grade, 0))
  endless <- function(x) if (x > 0) endless(x - 1) else 0
  expect_error(set_columns(data, { a <- endless(x) }), class = "rowanroot_endless_recursion")
  two <- function(a, b) max(a, b)
  expect_error(set_columns(data, { a <- grade(x, boxes = 2) }), "unused argument", class = "rowanroot_formula_failed")
  expect_error(set_columns(data, { a <- two(x, n) }), class = "rowanroot_ambiguous_word")
  expect_error(one_by_one(grade, 1:2, 1:3), class = "rowanroot_wrong_length")
  expect_error(one_by_one(function(x) 1:2, 1), class = "rowanroot_wrong_length")
  expect_error(one_by_one(3, 1), class = "rowanroot_bad_argument")
  expect_identical(one_by_one(grade, numeric()), logical())
})
