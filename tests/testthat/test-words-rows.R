scales <- data.frame(hive = c("a", "b", NA, "d"), a_kg = c(3, 5, NA, NA), b_kg = c(4, NA, NA, 2), c_kg = c(4, 1, NA, 9))

test_that("columns of a row can be chosen by name, by pattern and by what they hold, beside names and formulas", {
  found <- scales |> set_columns({
    by_pattern <- row_total(names_like("*_kg"), missing = "skip")
    by_range   <- row_mean(a_kg:c_kg, missing = "skip")
    by_type    <- row_max(columns_that(is.numeric), missing = "skip")
    mixed      <- row_min(names_like("a*"), b_kg * 2, 3.5, missing = "skip")
    without    <- row_total(c(names_like("*_kg"), -b_kg), missing = "skip")
    first      <- first_known(b_kg:c_kg, a_kg)
    text       <- join_text(hive, names_like("?_kg"), missing = "skip")
  })
  kg <- as.matrix(scales[2:4])
  nothing <- rowSums(!is.na(kg)) == 0
  sums <- replace(rowSums(kg, na.rm = TRUE), nothing, NA)
  expect_identical(found$by_pattern, sums)
  expect_identical(found$by_range, ifelse(nothing, NA, rowMeans(kg, na.rm = TRUE)))
  expect_identical(found$by_type, c(4, 5, NA, 9))
  expect_identical(found$mixed, c(3, 3.5, 3.5, 3.5))
  expect_identical(found$without, c(7, 6, NA, 9))
  expect_identical(found$first, c(4, 1, NA, 2))
  expect_identical(found$text, c("a 3 4 4", "b 5 1", NA, "d 2 9"))
})

test_that("a choice sees the columns that earlier lines have set, in every verb with formulas", {
  data <- set_columns(scales, { d_kg <- 1; .e_kg <- 100; all <- row_total(names_like("*_kg"), missing = "skip") })
  expect_identical(data$all, c(12, 7, 1, 12))
  expect_identical(keep_rows(scales, row_known(columns_that(is.numeric)) > 1)$a_kg, c(3, 5, NA))
  of_hives <- one_row_per(scales, hive, { kg <- sum(row_total(a_kg:c_kg, missing = "skip")) })
  expect_identical(of_hives$kg, c(11, 6, NA, 11))
  expect_error(must_hold(scales, "weighed" = row_known(names_like("*_kg")) > 0), class = "rowanroot_broken_condition")
  expect_identical(run(routine() |> set_columns({ n <- row_missing(columns_that(is.numeric)) }), scales)$n,
                   c(0L, 1L, 3L, 1L))
  doubled <- set_columns(scales, {
    for (name in columns_that(is.numeric)) column_named(name) <- column_named(name) * 2
  })
  expect_identical(doubled[2:4], scales[2:4] * 2)
  withr::with_tempdir({
    save_table(scales, "scales.csv") |> suppressMessages()
    opened <- open_table("scales.csv") |> set_columns({ all <- row_total(names_like("*_kg"), missing = "skip") })
    expect_equal(opened$all, c(11, 6, NA, 11))
    from <- as.data.frame(lineage(opened, all))
    expect_identical(from$from[from$to == "all"], c("a_kg", "b_kg", "c_kg"))
  })
})

test_that("what is known in a row is counted, and its greatest and least columns are named", {
  set.seed(3)
  for (n in c(0, 1, 500)) {
    columns <- lapply(1:5, function(k) sample(c(1:4, NA), n, TRUE))
    names(columns) <- c("a", "b", "c", "d", "e")
    values <- do.call(cbind, columns)
    data <- data.frame(columns)
    found <- set_columns(data, {
      known    <- row_known(a:e)
      missing  <- row_missing(a:e)
      greatest <- row_max_name(a:e, missing = "skip")
      least    <- row_min_name(a:e)
    })
    expect_identical(found$known, as.integer(rowSums(!is.na(values))))
    expect_identical(found$missing, as.integer(rowSums(is.na(values))))
    name_of <- function(row, end) {
      if (all(is.na(row))) NA_character_ else names(columns)[which(row == end(row, na.rm = TRUE))[1]]
    }
    expect_identical(found$greatest, vapply(seq_len(n), function(i) name_of(values[i, ], max), ""))
    expect_identical(found$least, vapply(seq_len(n), function(i) {
      if (anyNA(values[i, ])) NA_character_ else name_of(values[i, ], min)
    }, ""))
  }
  expect_identical(row_known(c("a", NA), 1:2), 2:1)
  expect_identical(row_max_name(1:2, other = c(3, 1)), c("other", "1:2"))
  expect_error(row_max_name(factor("a"), factor("b")), class = "rowanroot_type_mismatch")
  expect_error(row_max_name("a", 1), class = "rowanroot_type_mismatch")
  expect_identical(row_min_name(as.Date("2025-01-02"), before = as.Date("2025-01-01")), "before")
})

test_that("wrong choices are reported with the way out", {
  expect_snapshot(error = TRUE, {
    set_columns(scales, { t <- row_total(names_like("z*")) })
    set_columns(scales, { t <- row_total(names_like("*_kg"), -b_kg) })
    set_columns(scales, { t <- sum(names_like("*_kg")) })
    set_columns(scales, { t <- row_total(all_columns()) })
    set_columns(scales, { t <- row_known() })
  })
})
