visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), gross_kg = c(31, 28.5, NA), tare_kg = c(6, 6.2, 5.9),
                     frames = c(3L, 6L, 9L))

# Each wrong formula with the class of its error.
wrong <- list(
  unknown_column = quote({ a <- gros_kg - tare_kg }),
  unknown_column = quote({ a <- 1; b <- toupper(hivee) }),
  unknown_column = quote({ a <- sum }),
  unknown_column = quote({ a <- zz + 1 }),
  unknown_column = quote({ tare <- NULL }),
  unknown_function = quote({ a <- tuoper(hive) }),
  unknown_function = quote({ a <- gross_kg - nope(3) }),
  wrong_length = quote({ a <- c(1, 2) }),
  wrong_length = quote({ a <- range(gross_kg) }),
  type_mismatch = quote({ a <- hive * 2 }),
  type_mismatch = quote({ a <- if (frames > 4) "many" else frames }),
  type_mismatch = quote({ a <- hive > 5 }),
  type_mismatch = quote({ a <- if (hive) 1 else 2 }),
  bad_result = quote({ a <- lm(gross_kg ~ tare_kg) }),
  bad_result = quote({ a <- data.frame(gross_kg) }),
  bad_result = quote({ a <- strsplit(hive, "-") }),
  formula_failed = quote({ a <- strsplit(frames, "-") }),
  formula_failed = quote({ a <- stop("no bees") }),
  ambiguous_word = quote({ a <- max(gross_kg, tare_kg) }),
  not_row_wise = quote({ a <- strsplit(hive, "-")[[1]] }),
  bad_formula = quote({ a <- for (i in frames) i }),
  bad_formula = quote({ a <- b <- 2 }),
  type_mismatch = quote({ gross_kg[1] <- 3 }),
  type_mismatch = quote({ gross_kg[frames > 3] <- "heavy" }),
  bad_target = quote({ gross_kg$a <- 3 }),
  bad_target = quote({ column_named(c("a", "b")) <- 3 }),
  bad_target = quote({ column_named(stop("no")) <- 3 }),
  unknown_column = quote({ a <- column_named("gros_kg") }),
  wrong_columns = quote({ c(a, b) <- list(1) }),
  wrong_columns = quote({ c(a, b) <- range(gross_kg) }),
  bad_target = quote({ c(a, b)[frames > 3] <- 1 }),
  bad_loop = quote({ while (TRUE) a <- 1 }),
  bad_loop = quote({ for (i in 1:3) a <- i }),
  bad_formula = quote({ a <- switch(hive) }),
  bad_formula = quote({ a <- switch(hive, "x", "y", a = "z") }),
  bad_target = quote({ .row <- 1 }),
  not_a_statement = quote({ gross_kg == 3 }),
  not_a_statement = quote({ gross_kg - tare_kg }),
  not_a_block = quote(net_kg <- gross_kg - tare_kg),
  not_a_block = quote(mean)
)

test_that("each wrong formula gives an error of its class", {
  for (k in seq_along(wrong)) {
    expect_error(eval(bquote(set_columns(visits, .(wrong[[k]])))), class = paste0("rowanroot_", names(wrong)[k]))
  }
  expect_error(set_columns(visits), class = "rowanroot_not_a_block")
  expect_error(set_columns(visits, net_kg = gross_kg), class = "rowanroot_not_a_block")
  expect_error(set_columns(visits, { a <- 1 }, b <- 2), class = "rowanroot_not_a_block")
  expect_error(keep_rows(visits, frames = 3), class = "rowanroot_bad_formula")
  expect_error(keep_rows(visits, frames > 3, frames < 9), class = "rowanroot_bad_formula")
  expect_error(set_columns(list(1), { a <- 1 }), class = "rowanroot_not_a_table")
  expect_error(set_columns(cbind(visits, frames = 1), { a <- 1 }), class = "rowanroot_repeated_name")
  expect_error(set_columns(visits, { a <- 1 }, after = nowhere), class = "rowanroot_unknown_column")
  expect_error(set_columns(visits, { a <- 1 }, after = 2), class = "rowanroot_bad_choice")
  expect_error(set_columns(visits, { a <- 1 }, carry = is.numeric), class = "rowanroot_unknown_column")
  expect_error(set_columns(visits, { a <- 1 }, carry = toupper(hive)), class = "rowanroot_bad_choice")
  expect_error(keep_rows(visits), class = "rowanroot_bad_formula")
  expect_error(keep_rows(visits, frames <- 3), class = "rowanroot_bad_formula")
  expect_error(keep_rows(visits, hive), class = "rowanroot_type_mismatch")
  expect_error(all_columns(), class = "rowanroot_bad_choice")
  expect_error(peek(3), class = "rowanroot_not_a_table")
  expect_error(peek(visits, rows = -1), class = "rowanroot_bad_argument")
  expect_error(open_table(c("a.csv", NA)), "number 2 is missing", class = "rowanroot_bad_argument")
  expect_error(open_table(c("", "a.csv")), "number 1 is empty", class = "rowanroot_bad_argument")
  expect_error(save_table(visits, NA_character_), "not a missing text", class = "rowanroot_bad_argument")
  expect_error(peek(new.env()), "not an environment", class = "rowanroot_not_a_table")
  expect_error(keep_columns(visits, "no\xff"), class = "rowanroot_unknown_column")
})

test_that("errors say what is wrong and what to do", {
  expect_snapshot(error = TRUE, cran = TRUE, {
    set_columns(visits, { net_kg <- gros_kg - tare_kg })
    set_columns(visits, { seen_by <- c("Ada", "Ivo") })
    set_columns(visits, { a <- hive * 2 })
    set_columns(visits, { a <- if (frames > 4) "many" else frames })
    set_columns(visits, { a <- max(gross_kg, tare_kg) })
    set_columns(visits, { a <- strsplit(hive, "-")[[1]] })
    set_columns(visits, { a <- strsplit(frames, "-") })
    set_columns(visits, { a <- strsplit(hive, "-") })
    set_columns(visits, { net_kg == gross_kg })
    set_columns(visits, net_kg = gross_kg - tare_kg)
    set_columns(visits, { a <- lm(gross_kg ~ frames) })
    set_columns(visits, { gross_kg[1] <- 3 })
    set_columns(visits, { gross_kg$a <- 3 })
    set_columns(visits, { for (i in 1:3) a <- i })
    set_columns("visits.csv", { a <- 1 })
    keep_rows(visits, frames = 3)
    keep_rows(visits, hive)
  })
})
