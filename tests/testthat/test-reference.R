# Formulas and chains of steps made at random, run by the engine in memory and by one in plain R that goes row by row
# (helper-reference.R): they must give the same, bit for bit.

seed_of_tests <- as.integer(Sys.getenv("ROWANROOT_SEED", "1"))

# A table, and a block of lines on it, as code; some formulas are of groups and of an order.
random_line <- function(data) {
  formula <- random_formula(sample(c("number", "logical", "text", "date"), 1), sample(1:4, 1))
  part <- random_formula(sample(c("whole", "logical", "text", "date"), 1), 1)
  if (!length(all.vars(part))) part <- quote(d)
  one <- sample(list(
    bquote(.(as.name(sample(c("first_value", "last_value", "count_known", "count_distinct", "length"), 1)))(.(part))),
    bquote(.(as.name(sample(c("min", "max"), 1)))(.(sample(list(quote(e), quote(j), quote(t)), 1)[[1]]),
                                                  na.rm = .(sample(c(TRUE, FALSE), 1)))),
    bquote(sum(.(sample(list(quote(i), quote(j)), 1)[[1]]), na.rm = .(sample(c(TRUE, FALSE), 1)))),
    bquote(ranking(.(sample(list(quote(d), quote(j), quote(t), quote(day), quote(kind)), 1)[[1]]),
                   best = .(sample(c("highest", "lowest"), 1)),
                   ties = .(sample(c("min", "max", "average", "first", "last", "dense"), 1)),
                     missing = .(sample(c("keep", "first", "last"), 1)))),
    bquote(.(as.name(sample(c("previous", "following"), 1)))(.(part), rows = .(sample(1:3, 1)))),
    bquote(.(as.name(sample(c("running_count", "running_min", "running_max"), 1)))(.(sample(list(quote(e), quote(j)),
        1)[[1]]),
                                                                               missing = .(sample(c("skip", "carry",
                                                                                   "stop"), 1)))),
    quote(.row), quote(.rows), quote(mean(e) * 0 + j), quote(rev(e))
  ), 1)[[1]]
  lines <- list(bquote(new <- .(formula)), bquote(new <- .(one)), bquote(e[.(random_formula("logical", 2))] <- e * 2),
                bquote(other <- .(one)))
  sample(lines, 1, prob = c(4, 4, 1, 2))[[1]]
}

random_block <- function(data) as.call(c(quote(`{`), lapply(1:sample(3, 1), function(k) random_line(data))))

random_verb <- function(data) {
  sample(list(
    bquote(set_columns(.table, .(random_block(data)))),
    bquote(set_columns(.table, .(random_block(data)), within = g, along = descending(id))),
    bquote(set_columns(.table, .(random_block(data)), within = c(g, m))),
    bquote(keep_rows(.table, .(random_formula("logical", 2)))),
    bquote(drop_rows(.table, .(random_formula("logical", 2)), within = g)),
    quote(sort_rows(.table, t, descending(j), missing = "first")), quote(sort_rows(.table, descending(g), e)),
    bquote(top_rows(.table, .(sample(0:3, 1)), by = j, within = g, ties = .(sample(c("keep", "cut"), 1)))),
      quote(bottom_rows(.table, 2, by = e)),
    quote(append_rows(.table, some)),
    quote(keep_columns(.table, id, d, e, i, j, l, m, s, t, day, eve, kind, g)),
    quote(should_hold(.table, e > 0)), quote(move_columns(.table, g, after = 0))
  ), 1)[[1]]
}

test_that("a formula gives in memory what the reference engine gives", {
  set.seed(seed_of_tests)
  wrong <- character()
  for (k in seq_len(as.integer(Sys.getenv("ROWANROOT_FORMULAS", "300")))) {
    data <- random_columns(sample(c(1, 3, 40), 1))
    formula <- random_formula(sample(c("number", "logical", "text", "date"), 1), sample(1:4, 1))
    table <- suppressWarnings(eval(bquote(set_columns(open_table(data), { new <- .(formula) }))))
    found <- suppressWarnings(run_by(rowanroot:::memory_engine(), table))
    expected <- suppressWarnings(run_by(reference_engine, table))
    if (!same_values(found$new, expected$new, rows_with_missing(formula, data))) wrong <- c(wrong, deparse1(formula))
  }
  expect_identical(wrong, character())
})

test_that("a chain of steps gives in memory what the reference engine gives", {
  set.seed(2)
  wrong <- character()
  chains <- as.integer(Sys.getenv("ROWANROOT_CHAINS", "150"))
  refused <- 0
  for (k in seq_len(chains)) {
    rows <- sample(c(1, 4, 40), 1)
    data <- random_columns(rows)
    data$g <- sample(c("x", "y", NA), rows, TRUE)
    data$id <- sample(rows)
    some <- utils::head(data, 2)
    table <- open_table(data)
    code <- quote(.table)
    for (step in seq_len(sample(1:4, 1))) {
      verb <- random_verb(data)
      if (identical(verb[[1]], quote(append_rows)) && !identical(names(table), names(data))) next
      code <- do.call(substitute, list(verb, list(.table = code)))
      table <- suppressWarnings(eval(verb, list(.table = table)))
    }
    found <- tryCatch(suppressWarnings(run_by(rowanroot:::memory_engine(), table)), error = identity)
    expected <- tryCatch(suppressWarnings(run_by(reference_engine, table)), error = identity)
    # What can't be calculated is refused by the engine in memory alone.
    if (inherits(found, "rowanroot_error")) {
      refused <- refused + 1
      next
    }
    same <- is.data.frame(found) && is.data.frame(expected) && identical(names(found), names(expected)) &&
      all(mapply(same_values, found, expected))
    if (!same) {
      wrong <- c(wrong, paste0(k, ": ", deparse1(code), if (inherits(expected, "error")) conditionMessage(expected)))
    }
  }
  expect_identical(wrong, character())
  expect_lt(refused, chains / 5)
})

test_that("same_values() tells what it must", {
  expect_false(same_values(NA_real_, NaN))
  expect_false(same_values(0, -0))
  expect_false(same_values(c(1, NA), c(1, 2)))
  expect_false(same_values("a", NA_character_))
  expect_false(same_values(1 + .Machine$double.eps, 1))
  expect_false(same_values("1", 1))
  expect_true(same_values(c(1L, NA), c(1, NA)))
})
