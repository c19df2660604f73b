#' A part of a date or a time
#'
#' @param x Dates, or times: their parts are those of their own zone.
#' @param part `"year"`, `"quarter"`, `"month"`, `"day"` (of the month), `"weekday"` (Monday is 1, as in ISO
#'   8601), `"week"` (ISO 8601: week 1 has the year's first Thursday), `"hour"`, `"minute"` or `"second"`.
#' @return Whole numbers; seconds of times with fractions keep them. Missing stays missing.
#' @section Errors:
#' `rowanroot_bad_argument` for another part; `rowanroot_type_mismatch` for what is neither a date nor a time.
#' @examples
#' visits <- data.frame(day = as.Date(c("2025-01-01", "2025-06-30", NA)))
#' visits |> set_columns({
#'   month   <- date_part(day, "month")
#'   weekday <- date_part(day, "weekday")
#' })
#' @export
date_part <- function(x, part) {
  call <- quote(date_part())
  check_date_part(x, part, call)
  of_day <- !part %in% c("hour", "minute", "second")
  if (inherits(x, "Date")) return(if (of_day) date_part_cpp(as.numeric(x), part, 1) else ifelse(is.na(x), NA_integer_, 0L))
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
    stop_because(c("There is no part {.code {one_line(part)}} of a date.", "i" = "The parts are {.code {date_parts}}."), "bad_argument", call)
  }
  if (inherits(x, c("Date", "POSIXt"))) return(invisible())
  stop_because(c("{.arg x} must be dates or times, not {what_is(x)}.",
                 "i" = "Text becomes a date by {.code as.Date(x, \"%d/%m/%Y\")}."), "type_mismatch", call)
}
