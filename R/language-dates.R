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
#' @concept age
#' @concept months between
#' @concept truncate dates
#' @export
date_part <- function(x, part) {
  call <- quote(date_part())
  check_date_part(x, part, call)
  of_day <- !part %in% c("hour", "minute", "second")
  if (inherits(x, "Date")) return(if (of_day) date_part_cpp(as.numeric(x), part, 1) else ifelse(is.na(x),
      NA_integer_, 0L))
  if (of_day && is_in_utc(x)) return(date_part_cpp(as.numeric(x), part, 86400))
  fields <- as.POSIXlt(x)
  switch(part,
    year = fields$year + 1900L,
    quarter = fields$mon %/% 3L + 1L,
    month = fields$mon + 1L,
    day = fields$mday,
    weekday = (fields$wday + 6L) %% 7L + 1L,
    week = as.integer(format(fields, "%V")),
    hour = fields$hour,
    minute = fields$min,
    second = if (any(fields$sec != floor(fields$sec), na.rm = TRUE)) fields$sec else as.integer(fields$sec)
  )
}

# Other zones are R's to know.
is_in_utc <- function(x) inherits(x, "POSIXct") && identical(attr(x, "tzone"), "UTC")

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

#' The start of a week or a month, and the time between two moments
#'
#' @param x Dates or times. Days, weeks and so on begin in the times' own time zone.
#' @param part `"year"`, `"quarter"`, `"month"`, `"week"` (Monday, as in ISO 8601) or `"day"`; for
#'   times also `"hour"` or `"minute"`.
#' @param from,to Dates, or times, but not one of each. If `to` is earlier than `from`, the result
#'   is negative.
#' @param unit `"weeks"`, `"days"`, `"hours"`, `"minutes"` or `"seconds"`. For times a day is always
#'   24 hours, also when clocks change.
#' @return `start_of()` gives dates or times, as `x` has; `time_between()` gives numbers. Missing
#'   values stay missing.
#' @section Errors: `rowanroot_bad_argument` for a wrong part or unit; `rowanroot_type_mismatch` for
#'   anything but dates and times, and for a date together with a time.
#' @examples
#' start_of(as.Date(c("2025-01-01", "2025-08-17")), "week")
#' visits <- data.frame(
#'   day = as.Date(c("2025-03-01", "2025-03-15")), before = as.Date(c("2025-02-01", NA))
#' )
#' visits |> set_columns({
#'   month <- start_of(day, "month")
#'   gap   <- time_between(before, day, "days")
#' })
#' @export
start_of <- function(x, part) {
  call <- quote(start_of())
  is_time <- inherits(x, "POSIXct")
  check_moments(x, "x", call)
  check_one_of(part, c("year", "quarter", "month", "week", "day", if (is_time) c("hour", "minute")), "part", call)
  fields <- as.POSIXlt(x)
  # Within an hour no clock is changed: the hour that comes twice keeps to its own.
  if (part == "minute") return(x - fields$sec)
  if (part == "hour") return(x - (fields$min * 60 + fields$sec))
  fields$sec[] <- 0
  fields$min[] <- 0L
  fields$hour[] <- 0L
  if (part == "week") fields$mday <- fields$mday - (fields$wday + 6L) %% 7L
  if (part %in% c("month", "quarter", "year")) fields$mday[] <- 1L
  if (part == "quarter") fields$mon <- fields$mon %/% 3L * 3L
  if (part == "year") fields$mon[] <- 0L
  # The clocks may have changed by then.
  fields$isdst[] <- -1L
  start <- if (is_time) as.POSIXct(fields) else as.Date(fields)
  start[is.na(x)] <- NA
  if (is_time) attr(start, "tzone") <- attr(x, "tzone")
  start
}

#' @rdname start_of
#' @export
time_between <- function(from, to, unit) {
  call <- quote(time_between())
  check_moments(from, "from", call)
  check_moments(to, "to", call)
  if (inherits(from, "Date") != inherits(to, "Date")) {
    stop_because(c("Both must be dates, or both times.",
                   "found" = "{.arg from} is {what_is(from)}, and {.arg to} {what_is(to)}."), "type_mismatch", call)
  }
  check_one_of(unit, names(seconds_in), "unit", call)
  seconds <- (as.numeric(to) - as.numeric(from)) * if (inherits(from, "Date")) 86400 else 1
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
  language_word("date_part", "row"), language_word("start_of", "row"), language_word("time_between", "row"),
  language_word("as.Date", "row", expensive = TRUE, peeks = function(arguments) TRUE),
  language_word("months", "row", expensive = TRUE), language_word("weekdays", "row", expensive = TRUE)
)
