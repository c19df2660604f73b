# Types of trees: found before anything is calculated.

test_that("what has the wrong type is an error before anything is calculated", {
  called <- 0
  opaque <- function(x) {
    called <<- called + 1
    cumsum(x)
  }
  data <- data.frame(x = c(1, 2), s = c("a", "b"), kind = factor(c("u", "v")), day = as.Date("2025-01-01") + 0:1)
  wrong <- alist(s + 1, x > s, if (x > 1) s else x, if (x > 1) day else x, if (s) 1 else 2, kind * 2, mean(s),
                 sum(kind), any(s), running_total(s), moving_mean(day, rows = 2),
                 running(.above + s, start = 0), pmin(x, s), -s, row_total(x, s), z_score(s),
                   if (is.na(day)) x else day)
  for (formula in wrong) {
    expect_error(eval(bquote(set_columns(data, { a <- opaque(x); b <- .(formula) }))),
                 class = "rowanroot_type_mismatch", info = deparse1(formula))
  }
  local_folder()
  quietly(save_table(data, "in.csv"))
  table <- open_table("in.csv") |> set_columns({ a <- opaque(x) }) |> keep_rows(x > 0) |> rename_columns(text = s) |>
    sort_rows(x)
  expect_error(as.data.frame(set_columns(table, { b <- text + 1 })), class = "rowanroot_type_mismatch")
  expect_error(as.data.frame(keep_rows(table, text)), class = "rowanroot_type_mismatch")
  expect_error(as.data.frame(one_row_per(table, x, { b <- mean(text) })), class = "rowanroot_type_mismatch")
  expect_identical(called, 0)
  # What only the function can say is found when it has said it.
  expect_error(set_columns(data, { a <- opaque(x); b <- a + s }), class = "rowanroot_type_mismatch")
  expect_error(set_columns(data, { a <- opaque(x); b <- if (x > 1) a else s }), class = "rowanroot_type_mismatch")
})

test_that("types that are found are those that formulas come to", {
  set.seed(20261128)
  wrong <- character()
  known <- 0
  for (k in 1:400) {
    data <- random_columns(sample(c(1, 5, 40), 1))
    formula <- random_formula(sample(c("number", "logical", "text", "date"), 1), sample(1:4, 1))
    step <- suppressWarnings(rowanroot:::rooted(eval(bquote(set_columns(open_table(data),
        { new <- .(formula) }))))$steps[[1]])
    schema <- suppressWarnings(rowanroot:::step_schema(step, rowanroot:::schema_of(data), NULL))
    type <- schema$types[["new"]]
    values <- suppressWarnings(run_by(rowanroot:::memory_engine(),
                                      eval(bquote(set_columns(open_table(data), { new <- .(formula) })))))$new
    found <- rowanroot:::value_type(values)
    known <- known + (type != "unknown")
    fits <- type == "unknown" || type == found || type == "number" && found %in% c("integer", "double") || type ==
      "missing"
    if (!fits || type == "other" && !identical(class(schema$likes$new), class(values))) {
      wrong <- c(wrong, paste(deparse1(formula), type, found))
    }
  }
  expect_identical(wrong, character())
  expect_gt(known, 250)
})

test_that("a schema has the columns that each step gives", {
  data <- data.frame(x = c(1, 2), n = 1:2, s = c("a", "b"), day = as.Date("2025-01-01") + 0:1)
  table <- open_table(data) |> set_columns({ y <- x * n; .t <- 1; c(a, b) <- list(s, day); n <- NULL;
                                             empty <- NA }) |> rename_columns(why = y) |> keep_columns(-x) |>
    one_row_per(s, { top <- max(why); last <- last_value(day); rows <- .rows })
  schema <- rowanroot:::schema_of(data)
  for (step in rowanroot:::rooted(table)$steps) schema <- rowanroot:::step_schema(step, schema, NULL)
  expect_identical(names(schema$types), names(table))
  expect_identical(schema$types, c(s = "text", top = "double", last = "other", rows = "integer"))
  expect_s3_class(schema$likes$last, "Date")
})
