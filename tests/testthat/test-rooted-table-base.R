local_live <- function(env = parent.frame()) {
  local_folder(env)
  write_text(c("g,x,y", "a,1,2", "b,3,5", "a,4,1"), "in.csv")
  open_table("in.csv")
}

test_that("a table of files can't be changed in place, and the error names the verb", {
  y <- local_live()
  changes <- expression(y$new <- 1, y[["k"]] <- 1, y[1, 2] <- 0, dim(y) <- c(1, 1), length(y) <- 2, levels(y) <- "a",
                        is.na(y) <- 1, row.names(y) <- 1:3)
  for (change in changes) expect_error(eval(change), class = "rowanroot_not_in_place", info = deparse1(change))
  for (change in expression(names(y) <- c("a", "b", "c"), colnames(y) <- 1:3, dimnames(y) <- list(1:3, 1:3))) {
    expect_error(eval(change), "rename_columns", class = "rowanroot_not_in_place", info = deparse1(change))
  }
  expect_error(set_columns(y, { z <- x }) |> transform(k = 1) |> set_columns({ v <- k + missing_one }),
               class = "rowanroot_unknown_column")
  expect_identical(names(y), c("g", "x", "y"))
})

test_that("R's functions do with it what they do with its values", {
  y <- local_live()
  data <- as.data.frame(y)
  uses <- expression(
    length(y), names(y), colnames(y), dim(y), nrow(y), split(y, y$g), lapply(y, class), sapply(y, class),
      vapply(y, length, 1L), cbind(y, z = 1), cbind(data, y), cbind(y, y), rbind(y, y),
    utils::capture.output(str(y)), with(y, x + y), subset(y, x > 1, c(g, x)), transform(y, z = x * 2),
      within(y, z <- x), aggregate(x ~ g, data = y, sum), aggregate(y["x"], list(y$g), sum),
    merge(y, data.frame(g = "a", k = 1)), y == 1, !is.na(y), -y[2:3], is.na(y), unique(y), duplicated(y),
      max(y[2:3]), utils::tail(y, 1), utils::head(y, 1), t(y), as.list(y), as.matrix(y), unlist(y), c(y, 1),
    rev(y), data.frame(y), Map(function(a) a[1], y), do.call(rbind, list(y, y)),
      stats::coef(stats::lm(x ~ y, data = y)), apply(y, 1, paste, collapse = ""), summary(y), y[["x"]], y[2, ],
      y[y$x > 1, "g"],
    tapply(y$x, y$g, sum), Reduce(`+`, y[2:3]), utils::stack(y[2:3]), format(y), eval(quote(x * 2), y),
    stats::na.omit(y), data.matrix(y), all.equal(y, y), table(y$g), stats::na.fail(y)
  )
  of_values <- function(use) do.call(substitute, list(use, list(y = quote(data))))
  for (use in as.list(uses)) {
    # `y` is also a column: in formulas it stays.
    if (grepl("lm[(]|with[(]|by = y", deparse1(use))) next
    expected <- eval(of_values(use))
    expect_equal(eval(use), expected, info = deparse1(use))
  }
  expect_identical(with(y, x + y), data$x + data$y)
  expect_equal(stats::coef(stats::lm(x ~ y, data = y)), stats::coef(stats::lm(x ~ y, data = data)))
  expect_error(for (column in y) NULL)
  expect_error(do.call(paste, y))
  expect_error(table(y), "table(as.data.frame(x))", class = "rowanroot_not_a_column", fixed = TRUE)
})

test_that("figures of other packages take its values", {
  skip_if_not_installed("ggplot2")
  y <- local_live()
  figure <- ggplot2::ggplot(y, ggplot2::aes(x, y)) + ggplot2::geom_point()
  expect_identical(ggplot2::layer_data(figure)$x, as.numeric(as.data.frame(y)$x))
})

test_that("a table's name, in a function of the script, does not go round in circles", {
  local_live()
  helper <- function(v) { inner <- function(x) x + 1; inner(v) }
  x <- open_table("in.csv")
  x <- set_columns(x, { z <- helper(x); w <- all_at_once(function(v) helper(v), x) })
  quietly(save_table(x, "out.csv"))
  expect_identical(as.data.frame(open_table("out.csv"))$z, c(2L, 4L, 5L))
  expect_message(save_table(x, "out.csv"), "up to date")
})

test_that("a column can't have the name of a row's number", {
  local_live()
  expect_error(set_columns(data.frame(.row = 1), { a <- 1 }), class = "rowanroot_bad_target", ".row")
  expect_error(open_table(data.frame(.above = 1)), class = "rowanroot_bad_target")
})
