#' A part of a date or a time
#'
#' @param x Dates or times. The parts of times are those of their own time zone.
#' @param part `"year"`, `"quarter"`, `"month"`, `"day"` (of the month), `"weekday"` (Monday is 1,
#'   as in ISO 8601), `"week"` (ISO 8601: week 1 contains the year's first Thursday), `"hour"`,
#'   `"minute"` or `"second"`.
#' @return Whole numbers; seconds have a fraction where the times have one. Missing values stay
#'   missing.
#' @section Errors: `rowanroot_bad_argument` for a wrong part; `rowanroot_type_mismatch` for
#'   anything but dates and times.
#' @examples
#' visits <- data.frame(day = as.Date(c("2025-01-01", "2025-06-30", NA)))
#' visits |> set_columns({
#'   month   <- date_part(day, "month")
#'   weekday <- date_part(day, "weekday")
#' })
#' @concept month
#' @concept weekday
#' @concept year
#' @export
date_part <- function(x, part) {
  call <- quote(date_part())
  check_date_part(x, part, call)
  of_day <- !part %in% c("hour", "minute", "second")
  if (inherits(x, "Date")) {
    return(if (of_day) date_part_cpp(as.numeric(x), part, 1) else ifelse(is.na(x), NA_integer_, 0L))
  }
  clock <- clock_seconds(x)
  if (of_day) return(date_part_cpp(clock, part, 86400))
  clock[!is.finite(clock)] <- NA
  if (part == "hour") return(as.integer(clock %% 86400 %/% 3600))
  if (part == "minute") return(as.integer(clock %% 3600 %/% 60))
  seconds <- clock %% 60
  if (any(seconds != floor(seconds), na.rm = TRUE)) seconds else as.integer(seconds)
}

# The zone in which times are shown.
zone_of <- function(x) {
  zone <- attr(x, "tzone")[1]
  if (is.null(zone) || zone == "") zone <- Sys.timezone()
  if (is.na(zone)) "UTC" else zone
}

# What the clocks of the times' zone show, as seconds since 1970 by these clocks. Within most hours the distance to
# Universal Time stays, and one look serves all of the hour.
clock_seconds <- function(x) {
  seconds <- as.numeric(x)
  zone <- zone_of(x)
  if (zone %in% c("UTC", "GMT")) return(seconds)
  hour <- floor(seconds / 3600)
  hours <- unique(hour[is.finite(hour)])
  first <- distance_to_utc(hours * 3600, zone)
  steady <- first == distance_to_utc(hours * 3600 + 3599.999, zone)
  at <- match(hour, hours)
  distance <- first[at]
  exactly <- which(!steady[at])
  distance[exactly] <- distance_to_utc(seconds[exactly], zone)
  seconds + distance
}

distance_to_utc <- function(seconds, zone) {
  fields <- as.POSIXlt(.POSIXct(seconds, zone))
  attr(fields, "tzone") <- "UTC"
  fields$isdst[] <- 0L
  round(as.numeric(as.POSIXct(fields, tz = "UTC")) - seconds)
}

# The times, of the zone of `like`, at which clocks show this first; where clocks skip it, as much later as they skip.
times_at <- function(clock, like) {
  zone <- zone_of(like)
  seconds <- seconds_in_zone(clock, zone)
  skipped <- which(is.na(seconds) & is.finite(clock))
  earlier <- clock[skipped] - 3 * 3600
  seconds[skipped] <- clock[skipped] - (earlier - seconds_in_zone(earlier, zone))
  with_class_of(seconds, like)
}

date_parts <- c("year", "quarter", "month", "day", "weekday", "week", "hour", "minute", "second")

check_date_part <- function(x, part, call) {
  if (!is.character(part) || length(part) != 1 || !part %in% date_parts) {
    stop_because(c("{.code {one_line(part)}} is not a part of a date.",
                   "try" = "The parts are {.code {date_parts}}."), "bad_argument", call)
  }
  if (inherits(x, c("Date", "POSIXt"))) return(invisible())
  stop_because(c("{.arg x} must be dates or times, not {what_is(x)}.",
                 "try" = "Convert text with {.code as_date(x, \"%d/%m/%Y\")}."), "type_mismatch", call)
}

#' Calculate with dates and times
#'
#' `start_of()` and `end_of()` give the first and the last day of the week, month, quarter or year that
#' a date is in, `add_time()` a later or an earlier date, and `time_between()` how far one is from another.
#'
#' Months, quarters and years are those of the calendar: a day that a month lacks becomes its last,
#' so that a month after 31 January is 28 or 29 February. `time_between()` counts whole ones, as an
#' age does: the most that can be added to the earlier date without passing the later one. For times
#' a day is always 24 hours, also when clocks change; months and years keep the time of day of their
#' own zone. If clocks skip that time of day, the result is as much later as they skip.
#'
#' @param x,from,to Dates or times; `from` and `to` must both be dates or both be times. If `to` is
#'   earlier than `from`, the result is negative. Days, weeks and so on begin in the times' own time
#'   zone.
#' @param part `"year"`, `"quarter"`, `"month"`, `"week"` (from Monday, as in ISO 8601) or `"day"`;
#'   for times also `"hour"` or `"minute"`.
#' @param count How many units to add: a number, or one for each row. Fewer than 0 go back. Months,
#'   quarters and years must be whole numbers, and so must days and weeks added to dates.
#' @param unit `"years"`, `"quarters"`, `"months"`, `"weeks"` or `"days"`; for times also `"hours"`,
#'   `"minutes"` or `"seconds"`, which `time_between()` takes for dates too.
#' @return Dates or times, as `x` has; for times `end_of()` gives the last whole second.
#'   `time_between()` gives numbers. Missing values stay missing.
#' @section Errors: `rowanroot_bad_argument` for a wrong part, unit or count;
#'   `rowanroot_type_mismatch` for anything but dates and times, and for a date together with a time;
#'   `rowanroot_wrong_length`.
#' @examples
#' start_of(as.Date(c("2025-01-01", "2025-08-17")), "week")
#' add_time(as.Date("2025-01-31"), 1:3, "months")
#' visits <- data.frame(
#'   day = as.Date(c("2025-03-01", "2025-03-15")), before = as.Date(c("2024-12-31", NA))
#' )
#' visits |> set_columns({
#'   month    <- start_of(day, "month")
#'   month_to <- end_of(day, "month")
#'   next_due <- add_time(day, 6, "weeks")
#'   gap      <- time_between(before, day, "days")
#'   months   <- time_between(before, day, "months")
#' })
#' @concept age
#' @concept months between
#' @concept truncate dates
#' @concept add months
#' @export
start_of <- function(x, part) period_end(x, part, FALSE, quote(start_of()))

#' @rdname start_of
#' @export
end_of <- function(x, part) period_end(x, part, TRUE, quote(end_of()))

period_end <- function(x, part, last, call) {
  is_time <- inherits(x, "POSIXct")
  check_moments(x, "x", call)
  check_one_of(part, c("year", "quarter", "month", "week", "day", if (is_time) c("hour", "minute")), "part", call)
  if (!is_time) return(with_class_of(period_days_cpp(as.numeric(x), part, last, 1), x))
  clock <- clock_seconds(x)
  # Within an hour no clock is changed: the hour that comes twice keeps to its own.
  if (part %in% c("hour", "minute")) {
    length <- c(hour = 3600, minute = 60)[[part]]
    return(x - clock %% length + if (last) length - 1 else 0)
  }
  days <- period_days_cpp(clock, part, last, 86400)
  if (last) times_at(days + 86400, x) - 1 else times_at(days, x)
}

#' @rdname start_of
#' @export
add_time <- function(x, count, unit) {
  call <- quote(add_time())
  check_moments(x, "x", call)
  is_time <- inherits(x, "POSIXct")
  check_one_of(unit, c(names(months_in), "weeks", "days", if (is_time) c("hours", "minutes", "seconds")), "unit", call)
  check_count_of_units(x, count, unit, is_time, call)
  rows <- if (length(x) && length(count)) max(length(x), length(count)) else 0
  if (length(x) != rows) x <- rep_len(x, rows)
  if (unit %in% names(months_in)) {
    months <- as.numeric(count) * months_in[[unit]]
    if (!is_time) return(with_class_of(add_months_cpp(as.numeric(x), months, 1), x))
    return(times_at(add_months_cpp(clock_seconds(x), months, 86400), x))
  }
  with_class_of(as.numeric(x) + as.numeric(count) * seconds_in[[unit]] / if (is_time) 1 else 86400, x)
}

months_in <- c(years = 12, quarters = 3, months = 1)

# Two arguments are as long, or one of them is one value for all.
check_lengths_fit <- function(two, call) {
  counts <- lengths(two)
  if (counts[1] == counts[2] || any(counts == 1)) return(invisible())
  stop_because("{.arg {names(two)[1]}} has {counted(counts[1], 'value')}, and {.arg {names(two)[2]}} {counts[2]}.",
               "wrong_length", call)
}

check_count_of_units <- function(x, count, unit, is_time, call) {
  if (!is.numeric(count) && !(is.logical(count) && all(is.na(count))) || is.object(count)) {
    stop_because("{.arg count} must be numbers, not {what_is(count)}.", "type_mismatch", call)
  }
  check_lengths_fit(list(x = x, count = count), call)
  if (is_time && !unit %in% names(months_in)) return(invisible())
  bad <- which(!is.na(count) & count != floor(count))
  if (!length(bad)) return(invisible())
  stop_because(c("{.arg count} must be whole numbers of {unit}.",
                 "found" = "It is {format(count[bad[1]])} in row {bad[1]}."), "bad_argument", call, rows = bad)
}

#' @rdname start_of
#' @export
time_between <- function(from, to, unit) {
  call <- quote(time_between())
  check_moments(from, "from", call)
  check_moments(to, "to", call)
  is_date <- inherits(from, "Date")
  if (is_date != inherits(to, "Date")) {
    stop_because(c("Both must be dates, or both times.",
                   "found" = "{.arg from} is {what_is(from)}, and {.arg to} {what_is(to)}."), "type_mismatch", call)
  }
  check_one_of(unit, c(names(months_in), names(seconds_in)), "unit", call)
  if (unit %in% names(months_in)) {
    check_lengths_fit(list(from = from, to = to), call)
    # Both by the clocks of one zone.
    clocks <- if (is_date) lapply(list(from, to), as.numeric)
              else lapply(list(from, .POSIXct(as.numeric(to), zone_of(from))), clock_seconds)
    return(trunc(months_between_cpp(clocks[[1]], clocks[[2]], if (is_date) 1 else 86400) / months_in[[unit]]))
  }
  seconds <- (as.numeric(to) - as.numeric(from)) * if (is_date) 86400 else 1
  seconds / seconds_in[[unit]]
}

seconds_in <- c(weeks = 7 * 86400, days = 86400, hours = 3600, minutes = 60, seconds = 1)

check_moments <- function(x, name, call) {
  if (inherits(x, c("Date", "POSIXct"))) return(invisible())
  stop_because(c("{.arg {name}} must be dates or times, not {what_is(x)}.",
                 "try" = "Convert text with {.code as_date()}."), "type_mismatch", call)
}

# R looks at the first text to see how dates are written.
words_of_dates <- function() list(
  language_word("date_part", "row", quiet = TRUE, sql = "part_of_date"),
  language_word("start_of", "row", quiet = TRUE, sql = "start_of_period"),
  language_word("end_of", "row", quiet = TRUE, sql = "end_of_period"),
  language_word("add_time", "row", sql = "later_date"), language_word("time_between", "row", sql = "between_dates"),
  language_word("as.Date", "row", expensive = TRUE, peeks = function(arguments) TRUE),
  language_word("months", "row", expensive = TRUE), language_word("weekdays", "row", expensive = TRUE)
)
