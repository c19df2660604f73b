visits <- data.frame(hive = c("NB-01", "NB-02", "nb3", NA), apiary = c("NB", "NB", "SH", "SH"),
                     net_kg = c(25, -2, NA, 14), frames = c(3L, 6L, 9L, 4L))

test_that("what holds lets the table through as it is", {
  expect_identical(must_hold(visits, "frames are known" = known(frames, apiary), frames > 0, sum(frames) == 22,
                             .rows == 4, is.na(net_kg) || net_kg > -3), visits)
  expect_invisible(must_hold(visits, frames > 0))
  expect_no_warning(should_hold(visits, .rows == 2, within = apiary))
  expect_identical(must_hold(visits[0, ], net_kg > 0, known(hive), .rows == 0), visits[0, ])
  expect_error(must_hold(visits[0, ], .rows > 0), "it is false", class = "rowanroot_broken_condition")
})

test_that("what does not hold is counted, row by row, for all conditions", {
  error <- expect_error(must_hold(visits, "positive" = net_kg > 0, frames > 0, total = sum(frames) == 1,
                                  known(hive)), class = "rowanroot_broken_condition")
  expect_identical(error$broken, data.frame(name = c("positive", "total", "known(hive)"),
                                            formula = c("net_kg > 0", "sum(frames) == 1", "known(hive)"),
                                            rows = c(2, 0, 1), first = c(2L, NA, 4L)))
  warning <- expect_warning(result <- should_hold(visits, frames < 9), class = "rowanroot_broken_condition")
  expect_identical(warning$broken$first, 3L)
  expect_identical(result, visits)
  expect_error(must_hold(visits, sum(frames) > 10, within = apiary), class = "rowanroot_broken_condition")
  expect_snapshot(error = TRUE, {
    must_hold(visits, "net weight is positive" = net_kg > 0)
    must_hold(visits, net_kg > 0, "all {frames} are few" = sum(frames) == 1, frames < 1)
    must_hold(visits)
    must_hold(visits, hive)
    must_hold(visits, net > 0)
  })
})

test_that("ready conditions say what base R finds", {
  set.seed(71)
  data <- data.frame(a = sample(c(1:20, NA), 100, TRUE), b = sample(c("x", "y", NA), 100, TRUE),
                     low = sample(10, 100, TRUE))
  found <- set_columns(data, {
    k <- known(a, b)
    once <- only_once(a, b)
    one <- only_once(a)
    range <- in_range(a, low, 15)
    above <- in_range(a, low = 4)
    form <- has_form(b, "x|z")
  })
  expect_identical(found$k, !is.na(data$a) & !is.na(data$b))
  expect_identical(found$once, only_once(data$a, data$b))
  expect_identical(found$one, only_once(data$a))
  expect_identical(found$range, in_range(data$a, data$low, 15))
  expect_identical(found$above, data$a >= 4)
  expect_identical(found$form, data$b == "x")
  expect_identical(has_form(c("NB-01", "NB-012", "xNB-01", NA), "[A-Z]{2}-\\d{2}"), c(TRUE, FALSE, FALSE, NA))
  expect_identical(known(c(1, NA), c("a", "b")), c(TRUE, FALSE))
  for (call in expression(known(), only_once(c), in_range(), has_form(b, "("), has_form(b, NA), has_form(a, "x"))) {
    expect_error(eval(bquote(set_columns(data, { new <- .(call) }))), class = "rowanroot_error")
  }
})

test_that("a script stops at a broken condition, and the old output stays", {
  local_folder()
  write_text(c("hive,net_kg", "NB-01,25"), "visits.csv")
  write_text(c("open_table(\"visits.csv\") |>", "  must_hold(\"net weight is positive\" = net_kg > 0) |>",
               "  save_table(\"out.csv\")"), "check.R")
  quietly(run_script("check.R"))
  before <- readLines("out.csv")
  write_text(c("hive,net_kg", "NB-01,-25"), "visits.csv")
  expect_error(quietly(run_script("check.R")), class = "rowanroot_error")
  expect_identical(readLines("out.csv"), before)
})
