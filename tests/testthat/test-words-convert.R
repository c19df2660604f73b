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

test_that("dates are read in the first of several formats that fits, with English names in every language", {
  days <- as.Date("2024-12-25") + 0:420
  for (format in c("%d %B %Y", "%b %d, %Y", "%A, %d %b %Y", "%Y-%m-%d", "%d.%m.%y")) {
    expect_identical(as_date(format(days, format), c("%Y/%m/%d", format)), days, info = format)
  }
  expect_identical(as_date(toupper(format(days, "%d-%b-%Y")), "%d-%b-%Y"), days)
  expect_identical(as_date(c("2025-03", NA, ""), "%Y-%m"), as.Date(c("2025-03-01", NA, NA)))
  expect_identical(as_date(c("2025", "March 2025"), c("%Y", "%B %Y")), as.Date(c("2025-01-01", "2025-03-01")))
  expect_error(as_date(c("2025-03-01", "x"), c("%Y-%m-%d", "%Y")), "formats .*row 2", class = "rowanroot_unreadable")
  expect_error(as_date("5 May", "%d %B"), "year", class = "rowanroot_bad_argument")
  expect_error(as_date("2025-13", "%Y-%m"), class = "rowanroot_unreadable")
  expect_error(as_date("5 Maybe 2025", "%d %b %Y"), class = "rowanroot_unreadable")
  expect_identical(as_time(c("1 May 2025 10:00", "2025-05-01 11:30"), c("%d %B %Y %H:%M", "%Y-%m-%d %H:%M")),
                   as.POSIXct(c("2025-05-01 10:00", "2025-05-01 11:30"), tz = "UTC"))
})

test_that("days of spreadsheets are dates, but for the one that there was not", {
  numbers <- c(1:59, 61:80, 45717, 2958465)
  days <- c(as.Date("1899-12-31") + 1:59, as.Date("1899-12-30") + c(61:80, 45717, 2958465))
  expect_identical(as_date(numbers, "serial"), days)
  expect_identical(as_date(as.character(numbers), "serial"), days)
  expect_identical(as_date(c(NA, 2.75), "serial"), as.Date(c(NA, "1900-01-02")))
  for (wrong in list(60, 0, -1, 2958466, "x")) expect_error(as_date(wrong, "serial"), class = "rowanroot_unreadable")
  expect_identical(as_time(45717.25, "serial"), as.POSIXct("2025-03-01 06:00", tz = "UTC"))
})

test_that("texts that only rows had which are left out play no part, nor does the order of those in the file", {
  local_folder()
  n <- 4000
  data <- data.frame(id = seq_len(n), day = rep(c("2025/01/02", "2025-01-01"), n / 2),
                     kg = c("much-a-b", rep(c("1.5", "2"), length.out = n - 1)))
  write.csv(data, "visits.csv", row.names = FALSE)
  visits <- open_table("visits.csv", types = c(day = "text", kg = "text"))
  # R takes the format of the first.
  turned <- visits |> sort_rows(descending(id)) |> set_columns({ date <- as.Date(day) }) |> as.data.frame()
  expect_identical(turned$date, as.Date(rev(data$day)))
  expect_warning(kept <- visits |> keep_rows(id > 1) |> set_columns({
    level <- as_category(kg)
    number <- as.numeric(kg)
    own <- as_number(kg)
  }) |> as.data.frame(), NA)
  expect_identical(levels(kept$level), c("1.5", "2"))
  expect_identical(kept$number, as.numeric(data$kg[-1]))
  expect_identical(kept$own, kept$number)
  expect_identical(names(split_text(kept$kg, "-")), "part_1")
})

test_that("numbers below zero may be in parentheses, or have their minus behind", {
  expect_identical(as_number(c("(1,234.5)", "3-", "4", "-5", NA), thousands = ",", negative = c("(1)", "1-")),
                   c(-1234.5, -3, 4, -5, NA))
  expect_identical(as_number(c("(8 EUR)", "EUR (8)", "8- EUR"), signs = "EUR", negative = c("(1)", "1-")),
                   c(-8, -8, -8))
  for (wrong in c("(-8)", "-8-", "(8", "()")) {
    expect_error(as_number(wrong, negative = c("(1)", "1-")), class = "rowanroot_unreadable", info = wrong)
  }
  expect_error(as_number("(8)"), class = "rowanroot_unreadable")
  expect_error(as_number("8", negative = "x"), class = "rowanroot_bad_argument")
  parts <- split_text("a;(1.234,5);1 May 2025", ";", type = c("text", "number", "date"), decimal = ",", thousands = ".",
                      negative = "(1)", format = "%d %B %Y")
  expect_identical(parts[[2]], -1234.5)
  expect_identical(parts[[3]], as.Date("2025-05-01"))
})
