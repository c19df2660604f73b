test_that("weeks, months and years start where R's cut() starts them", {
  days <- as.Date("1968-01-01") + c(seq(0, 40000, by = 13), NA)
  for (part in c("week", "month", "quarter", "year")) {
    expect_identical(start_of(days, part), as.Date(as.character(cut(days, part))), info = part)
  }
  expect_identical(start_of(days, "day"), days)
  times <- as.POSIXct("2025-03-29 00:30:15", tz = "Europe/Oslo") + c(seq(0, 200) * 3607, NA)
  for (part in c("minute", "hour", "day", "month", "year")) {
    expect_equal(start_of(times, part),
                 as.POSIXct(trunc(times, c(minute = "mins", hour = "hours", day = "days", month = "months",
                                           year = "years")[[part]])), info = part)
  }
  expect_identical(format(start_of(times[200], "week"), "%u %H:%M:%S"), "1 00:00:00")
  twice <- as.POSIXct(c(1761438600, 1761442200), origin = "1970-01-01", tz = "Europe/Oslo")
  expect_identical(as.numeric(start_of(twice, "hour")), c(1761436800, 1761440400))
  expect_error(start_of(days, "hour"), class = "rowanroot_bad_argument")
  expect_error(start_of("2025-01-01", "week"), "as_date", class = "rowanroot_type_mismatch")
})

test_that("time is counted in the unit that is asked for", {
  data <- data.frame(a = as.Date("2025-03-01"), b = as.Date(c("2025-03-08", "2025-02-28", NA)))
  found <- set_columns(data, {
    days  <- time_between(a, b, "days")
    weeks <- time_between(a, b, "weeks")
  })
  expect_identical(found$days, c(7, -1, NA))
  expect_identical(found$weeks, c(1, -1 / 7, NA))
  times <- as.POSIXct(c("2025-03-29 12:00", "2025-03-30 12:00"), tz = "Europe/Oslo")
  expect_identical(time_between(times[1], times[2], "hours"), 23)
  expect_error(time_between(times[1], data$a, "days"), class = "rowanroot_type_mismatch")
  expect_error(time_between(data$a, data$b, "day"), "days", class = "rowanroot_bad_argument")
})
