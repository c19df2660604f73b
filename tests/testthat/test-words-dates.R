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

test_that("months are added as a slow count does, and a day that a month lacks is its last", {
  later <- function(day, months) {
    fields <- as.POSIXlt(day)
    number <- fields$year * 12 + fields$mon + months
    first <- as.Date(sprintf("%04d-%02d-01", number %/% 12 + 1900, number %% 12 + 1))
    after <- as.Date(sprintf("%04d-%02d-01", (number + 1) %/% 12 + 1900, (number + 1) %% 12 + 1))
    pmin(first + fields$mday - 1, after - 1)
  }
  set.seed(9)
  for (n in c(1, 3000)) {
    day <- as.Date("1850-01-01") + sample(90000, n, TRUE)
    months <- sample(-60:60, n, TRUE)
    expect_identical(add_time(day, months, "months"), later(day, months))
    expect_identical(add_time(day, 1, "quarters"), later(day, 3))
    expect_identical(add_time(day, -2, "years"), later(day, -24))
    expect_identical(add_time(day, months, "weeks"), day + 7 * months)
    expect_identical(end_of(day, "month"), as.Date(format(later(day, 1), "%Y-%m-01")) - 1)
    expect_identical(end_of(day, "year"), as.Date(format(day, "%Y-12-31")))
    expect_identical(end_of(day, "week"), start_of(day, "week") + 6)
    expect_identical(start_of(day, "week"), day - (as.POSIXlt(day)$wday + 6) %% 7)
    expect_identical(start_of(day, "month"), as.Date(format(day, "%Y-%m-01")))
    other <- sample(day)
    between <- time_between(day, other, "months")
    up <- other >= day
    expect_true(all(later(day[up], between[up]) <= other[up] & later(day[up], between[up] + 1) > other[up]))
    expect_identical(between[!up], -time_between(other[!up], day[!up], "months"))
    expect_identical(time_between(day, other, "years"), trunc(between / 12))
  }
  expect_identical(add_time(as.Date(c("2025-01-31", NA)), 1, "months"), as.Date(c("2025-02-28", NA)))
  expect_identical(add_time(as.Date("2024-02-29"), c(12, NA), "months"), as.Date(c("2025-02-28", NA)))
  expect_identical(add_time(as.Date(character()), 1, "years"), as.Date(character()))
  expect_identical(time_between(as.Date("2000-02-29"), as.Date(c("2001-02-28", "2001-02-27")), "years"), c(1, 0))
})

test_that("parts, starts and ends of times are those of the zone's clocks, through every change", {
  set.seed(2)
  for (zone in c("UTC", "Europe/Vienna", "America/Sao_Paulo", "Australia/Lord_Howe", "Asia/Kathmandu")) {
    time <- .POSIXct(c(runif(2000, -1e9, 2e9), 1.7e9 + 0:100 * 997, NA), zone)
    fields <- as.POSIXlt(time)
    expect_identical(date_part(time, "hour"), fields$hour, info = zone)
    expect_identical(date_part(time, "minute"), fields$min, info = zone)
    expect_identical(date_part(time, "day"), fields$mday, info = zone)
    expect_identical(date_part(time, "year"), fields$year + 1900L, info = zone)
    expect_identical(date_part(time, "week"), as.integer(format(fields, "%V")), info = zone)
    expect_equal(date_part(time, "second"), fields$sec, info = zone)
    day <- start_of(time, "day")
    expect_true(all(day <= time & format(day, "%F") == format(time, "%F") &
                    format(day - 1, "%F") != format(time, "%F"), na.rm = TRUE), info = zone)
    month <- end_of(time, "month")
    expect_true(all(format(month, "%Y-%m") == format(time, "%Y-%m") &
                    format(month + 1, "%Y-%m") != format(time, "%Y-%m"), na.rm = TRUE), info = zone)
    after <- add_time(time, 3, "months")
    expect_identical(is.na(after), is.na(time))
    expect_gt(mean(format(after, "%H:%M:%S") == format(time, "%H:%M:%S"), na.rm = TRUE), 0.995)
    expect_identical(add_time(time, 2, "hours"), time + 7200)
  }
  skipped <- add_time(as.POSIXct("2025-01-30 02:30", tz = "Europe/Vienna"), 2, "months")
  expect_identical(format(skipped, "%F %H:%M %Z"), "2025-03-30 03:30 CEST")
  from <- as.POSIXct("2025-01-31 12:00", tz = "Europe/Vienna")
  expect_identical(time_between(from, as.POSIXct(c("2025-02-28 11:59", "2025-02-28 12:00"), tz = "Europe/Vienna"),
                                "months"), c(0, 1))
})

test_that("calculations with dates run in tables, and wrong ones are reported", {
  data <- data.frame(day = as.Date(c("2025-01-31", NA, "2024-02-29")), count = 1:3)
  found <- set_columns(data, { due <- add_time(day, count, "months"); to <- end_of(day, "quarter") })
  expect_identical(found$due, as.Date(c("2025-02-28", NA, "2024-05-29")))
  expect_identical(found$to, as.Date(c("2025-03-31", NA, "2024-03-31")))
  expect_error(add_time(data$day, 1.5, "months"), "row 1", class = "rowanroot_bad_argument")
  expect_error(add_time(data$day, 0.5, "days"), class = "rowanroot_bad_argument")
  expect_error(add_time(data$day, 1, "hours"), class = "rowanroot_bad_argument")
  expect_error(add_time(data$day, "1", "days"), class = "rowanroot_type_mismatch")
  expect_error(add_time(data$day, 1:2, "days"), class = "rowanroot_wrong_length")
  expect_error(time_between(data$day, 3, "months"), class = "rowanroot_type_mismatch")
  expect_error(end_of("2025", "month"), class = "rowanroot_type_mismatch")
})

test_that("dates, times, durations and categories are calculated with as R does, bit for bit", {
  set.seed(3)
  n <- 300
  pick <- function(x) sample(c(x, NA), n, replace = TRUE)
  data <- data.frame(id = seq_len(n))
  data$a <- as.Date("2024-02-28") + pick(c(0, 1, 400, -30000, 0.5, Inf))
  data$b <- as.Date("2024-03-01") + pick(c(0, -1, 1000))
  data$whole <- structure(pick(c(19000L, -1L, 0L)), class = "Date")
  data$t <- as.POSIXct("2024-03-31 01:30:00", tz = "Europe/Oslo") + pick(c(0, 0.25, 3600, 1e9))
  data$u <- as.POSIXct("2024-03-31 01:30:00", tz = "Europe/Oslo") + pick(c(0, 7200))
  data$utc <- as.POSIXct("2024-03-31", tz = "UTC") + pick(1:3)
  data$d <- data$a - data$b
  data$h <- as.difftime(pick(c(1, 2.5)), units = "hours")
  data$k <- factor(pick(c("x", "y")), levels = c("y", "x", "z"))
  data$o <- factor(pick(c("low", "high")), levels = c("low", "high"), ordered = TRUE)
  data$x <- pick(c(1, -2.5, 1e6))
  data$i <- pick(1:3)
  data$l <- pick(c(TRUE, FALSE))
  formulas <- expression(
    a + x, i + a, a - 1, a - l, a - b, b - a, t + x, 3L + t, t - i, d + d, d - d, d + 1, 2 - d, d * x, i * d, d / 2,
    h * 2, h + h, a == b, a != b, a < b, a <= b, a > b, a >= b, a == as.Date("2024-02-28"), t < u, t == u, t >= u,
    d < d, d > 1, h == h, k == k, k != "x", k == "y", o < "high", o == "low", is.na(a), is.na(t), is.na(d), is.na(k),
    !is.na(whole), pmin(a, b), pmax(b, a), pmax(t, u), as.numeric(a), as.numeric(t), as.numeric(d), as.numeric(k),
    whole + 1, whole + 1L, whole - a, whole < a, whole == whole, is.na(whole), a == 19782, t - u, (a - b) * 2 + d,
    a + (b - a) * 0, utc < t, -d, abs(d), round(d), a %in% b, a + h
  )
  for (formula in formulas) {
    expected <- suppressWarnings(eval(formula, data))
    names(expected) <- NULL
    found <- suppressWarnings(eval(bquote(set_columns(data, { new <- .(formula) }))))$new
    expect_true(identical(found, expected), label = deparse1(formula))
  }
})

test_that("an if between columns of one class keeps it", {
  day <- as.Date("2024-01-01") + c(0, NA, 2)
  time <- as.POSIXct("2024-01-01", tz = "UTC") + 0:2
  data <- data.frame(l = c(TRUE, FALSE, NA), day, time, kind = factor(c("a", "b", "a")))
  got <- set_columns(data, {
    d <- if (l) day else day + 1
    e <- if (l) NA else day
    t <- if (l) time else time + 60
    k <- if (l) kind else "b"
    day[is.na(day)] <- as.Date("2020-05-05")
  })
  expect_identical(got$d, as.Date(c("2024-01-01", NA, NA)))
  expect_identical(got$e, as.Date(c(NA, NA, NA)))
  expect_identical(got$t, time + c(0, 60, NA))
  expect_identical(got$k, factor(c("a", "b", NA)))
  expect_identical(got$day, as.Date(c("2024-01-01", "2020-05-05", "2024-01-03")))
  expect_error(set_columns(data, { k <- if (l) kind else "c" }), class = "rowanroot_no_level")
  expect_error(set_columns(data, { k <- if (l) day else time }), class = "rowanroot_type_mismatch")
})
