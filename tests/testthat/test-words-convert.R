test_that("times are read as R reads them, in every zone", {
  set.seed(41)
  for (zone in c("UTC", "Europe/Vienna", "America/St_Johns", "Australia/Lord_Howe", "Asia/Kathmandu",
                 "Africa/Monrovia")) {
    moments <- .POSIXct(sample(seq(-3e8, 2e9, by = 97), 3000), zone)
    shown <- format(moments, "%Y-%m-%d %H:%M:%S")
    found <- as_time(shown, zone = zone)
    expect_identical(format(found, "%Y-%m-%d %H:%M:%S"), shown)
    expect_identical(attr(found, "tzone"), zone)
    # What comes twice is the first of the two.
    expect_true(all(as.numeric(moments) - as.numeric(found) >= 0))
    expect_lt(mean(moments != found), 0.003)
    expect_identical(as_time(format(moments, "%d/%m/%Y %H.%M"), "%d/%m/%Y %H.%M", zone),
                     as_time(format(moments, "%Y-%m-%dT%H:%M"), zone = zone))
    # Offsets are written without their seconds, which one zone had.
    late <- moments[as.numeric(moments) > 1e8]
    expect_identical(as_time(format(late, "%Y-%m-%dT%H:%M:%S%z"), zone = zone), .POSIXct(as.numeric(late), zone))
    expect_identical(as_time(format(moments, "%d%b%Y %H:%M"), "%d%b%Y %H:%M", zone),
                     as_time(format(moments, "%Y-%m-%d %H:%M"), zone = zone))
  }
})

test_that("ISO 8601 needs no format", {
  shown <- c("2025-03-01T12:30Z", "2025-03-01 12:30:15.25", " 2025-03-01 ", NA, "", "2025-03-01T12:30:00+02",
             "2025-03-01T24:00")
  expect_identical(as_time(shown), .POSIXct(c(1740832200, 1740832215.25, 1740787200, NA, NA, 1740825000, 1740873600),
                                            "UTC"))
  day <- as.Date("2025-07-01")
  expect_identical(as_time(day, zone = "Europe/Vienna"), as.POSIXct("2025-07-01", tz = "Europe/Vienna"))
  expect_identical(as_time(as.POSIXct("2025-07-01", tz = "UTC"), zone = "Asia/Tokyo"),
                   as.POSIXct("2025-07-01 09:00", tz = "Asia/Tokyo"))
  data <- data.frame(seen = shown[1:2], hive = 1:2)
  expect_identical(set_columns(data, { hour <- date_part(as_time(seen), "hour") })$hour, c(12L, 12L))
})

test_that("what is no time is refused, with the row", {
  for (bad in c("2025-02-29 10:00", "2025-13-01 10:00", "2025-01-01 25:00", "2025-01-01 10:60", "2025-01-01x",
                "20250101", "2025-01-01T10", "2025-01-01 24:01", "2025-01-01T10:00+15:00")) {
    expect_error(as_time(c("2025-01-01", bad)), "row 2", class = "rowanroot_unreadable", info = bad)
    expect_identical(as_time(bad, unreadable = "missing"), .POSIXct(NA_real_, "UTC"), info = bad)
  }
  expect_error(as_time("2025-03-30 02:30", zone = "Europe/Vienna"), "put forward", class = "rowanroot_unreadable")
  expect_error(as_time("x", zone = "Europe/Wiena"), "Europe/Vienna", class = "rowanroot_bad_argument")
  expect_error(as_time("10:00", "%H:%M"), "does not have all", class = "rowanroot_bad_argument")
  expect_error(as_time("10:00", "day"), class = "rowanroot_bad_argument")
  expect_error(as_time(3), class = "rowanroot_type_mismatch")
})

test_that("dates are read as R reads them", {
  set.seed(42)
  days <- as.Date("1969-12-01") + sample(60000, 2000)
  for (format in c("%Y-%m-%d", "%d/%m/%Y", "%m%d%Y", "%d %B %Y", "%F")) {
    shown <- format(days, format)
    expect_identical(as_date(shown, format), as.Date(shown, format), info = format)
  }
  bad <- c("2025-02-29", "2024-02-30", "2025-00-10", "2025-1", "x2025-01-01", "2025-01-01x")
  expect_identical(as_date(c("2024-02-29", bad), unreadable = "missing"), as.Date(c("2024-02-29", rep(NA, 6))))
  expect_error(as_date(c(NA, bad)), "6 rows", class = "rowanroot_unreadable")
})

test_that("numbers come in another unit", {
  expect_equal(convert_unit(c(12, NA), "mm", "cm"), c(1.2, NA))
  expect_equal(set_columns(data.frame(t = c(0L, 100L)),
                           { f <- convert_unit(t, "degree_Celsius", "degree_Fahrenheit") })$f, c(32, 212))
  expect_error(convert_unit("1", "mm", "cm"), class = "rowanroot_type_mismatch")
  for (units in list(c("mm", "kg"), c("mmm", "cm"), c("mm", NA))) {
    expect_error(convert_unit(1, units[1], units[2]), class = "rowanroot_bad_argument")
  }
})

test_that("a text that is not a level of a category gives a warning", {
  data <- data.frame(kind = factor(c("weak", "strong", NA)))
  expect_warning(found <- set_columns(data, { weak <- kind == "weka" }), "not a level.*weak",
                 class = "rowanroot_no_level")
  expect_identical(found$weak, c(FALSE, FALSE, NA))
  expect_silent(set_columns(data, { weak <- kind == "weak" }))
})
