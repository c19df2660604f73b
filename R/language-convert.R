#' Convert text to numbers, dates, times and categories
#'
#' Text that can't be read is an error, which counts the rows and shows the first. Missing and empty
#' texts become missing values.
#'
#' @param x A column, or a vector, of text or categories. Values that already are numbers, dates or
#'   times stay as they are; `as_time()` shows times in the zone that is given.
#' @param decimal,thousands The decimal mark, and the mark between groups of three digits (by
#'   default none).
#' @param signs Currencies or units that may come before or after the number, such as `"EUR"` or
#'   `"kg"`.
#' @param negative Other ways in which numbers below zero are written: `"(1)"` in parentheses, `"1-"` with
#'   the minus behind.
#' @param unreadable What to do with text that can't be read: it is an error (`"error"`), or a
#'   missing value (`"missing"`).
#' @return Doubles, dates, times (`POSIXct`), or a category.
#' @section Errors: `rowanroot_unreadable` for text that can't be read; `rowanroot_type_mismatch`
#'   for an `x` of another type; `rowanroot_bad_argument` for wrong marks, formats or levels;
#'   `rowanroot_bad_text` for text that is not UTF-8.
#' @examples
#' as_number(c("1.234,5", "12"), decimal = ",", thousands = ".")
#' as_number(c("8 EUR", "7.50 EUR"), signs = "EUR")
#' as_number(c("(12.5)", "3"), negative = "(1)")
#' as_date(c("01/03/2025", "29/02/2024"), "%d/%m/%Y")
#' as_date(c("2025-03-01", "1 March 2025", "Mar 2025"), c("%Y-%m-%d", "%d %B %Y", "%b %Y"))
#' as_date(c(45717, 45718), "serial")
#' as_time("2025-03-01T12:30+01:00")
#' as_time("01/07/2025 08:15", "%d/%m/%Y %H:%M", zone = "Europe/Vienna")
#' as_category(c("weak", "strong"), levels = c("weak", "fair", "strong"), ordered = TRUE)
#' @concept parse numbers
#' @concept parse dates
#' @export
as_number <- function(x, decimal = ".", thousands = "", signs = NULL, negative = NULL, unreadable = "error") {
  call <- quote(as_number())
  check_one_of(unreadable, c("error", "missing"), "unreadable", call)
  marks <- check_marks(decimal, thousands, signs, negative, call)
  if (is.numeric(x) && !is.object(x) || is.logical(x)) return(as.numeric(x))
  texts <- different_texts(x, call)
  at_rows(read_numbers(texts, marks, unreadable, call), texts)
}

#' @rdname as_number
#' @param format The format of dates or times, as for [strptime()], or several, which are tried in
#'   order. The text must not contain anything else. Names of months and weekdays are English. A date
#'   without a day is the first of the month, and one without a month the first of January.
#'   `"serial"` reads the days that spreadsheets count from 1900, as text or as numbers. Without a
#'   format, times are read as in ISO 8601: `2025-03-01 12:30`, with a
#'   space or a `T` between date and time, and optional seconds and offset.
#' @export
as_date <- function(x, format = "%Y-%m-%d", unreadable = "error") {
  call <- quote(as_date())
  check_one_of(unreadable, c("error", "missing"), "unreadable", call)
  check_date_formats(format, call)
  if (inherits(x, "Date")) return(x)
  if (inherits(x, "POSIXct")) return(as.Date(format(x, "%Y-%m-%d")))
  if (is.numeric(x) && !is.object(x) && identical(format, "serial")) x <- shown_text(x)
  texts <- different_texts(x, call)
  at_rows(read_dates(texts, format, unreadable, call), texts)
}

check_date_formats <- function(format, call) {
  if (identical(format, "serial")) return(invisible())
  if (!are_formats(format)) {
    stop_because(c("{.arg format} must be a format such as {.val %d/%m/%Y}, or several, or {.val serial}.",
                   "found" = "It is {one_line(format)}."), "bad_argument", call)
  }
  without <- format[!grepl("%[YyFDGCc]", format)]
  if (length(without)) {
    stop_because(c("A date needs a year.", "found" = "The format {.val {without[1]}} has none."), "bad_argument", call)
  }
}

#' @rdname as_number
#' @param zone The time zone in which the times were written down and are shown: one of
#'   [OlsonNames()]. A time that occurs twice, when clocks are put back, is taken as the first of
#'   the two; one that is skipped, when clocks are put forward, can't be read.
#' @export
as_time <- function(x, format = NULL, zone = "UTC", unreadable = "error") {
  call <- quote(as_time())
  check_one_of(unreadable, c("error", "missing"), "unreadable", call)
  check_zone(zone, call)
  if (inherits(x, "POSIXct")) return(structure(x, tzone = zone))
  if (inherits(x, "Date")) return(.POSIXct(seconds_in_zone(as.numeric(x) * 86400, zone), zone))
  format <- check_time_format(format, call)
  if (is.numeric(x) && !is.object(x) && identical(format, "serial")) x <- shown_text(x)
  texts <- different_texts(x, call)
  read <- read_moments(texts$values, format)
  what <- if (nzchar(format[1])) formats_in_words("time", format)
          else "a time of ISO 8601, such as 2025-03-01T12:30"
  check_read(is.nan(read$seconds), texts, what, unreadable, call)
  seconds <- read$seconds
  seconds[is.nan(seconds)] <- NA
  by_clock <- !read$universal
  if (zone != "UTC" && any(by_clock)) seconds[by_clock] <- seconds_in_zone(seconds[by_clock], zone)
  check_read(is.na(seconds) & !is.na(read$seconds), texts, paste("a time of", zone), unreadable, call,
             "The clocks were put forward over it.")
  .POSIXct(at_rows(seconds, texts), zone)
}

check_zone <- function(zone, call) {
  if (is.character(zone) && length(zone) == 1 && zone %in% c("UTC", OlsonNames())) return(invisible())
  hint <- if (is.character(zone) && length(zone) == 1 && !is.na(zone)) nearest_name(zone, OlsonNames())
  stop_because(c("{.arg zone} must be a time zone that R knows, such as {.val Europe/Vienna}.",
                 "found" = "It is {one_line(zone)}.",
                 "try" = if (length(hint)) "{.val {hint}}"), "bad_argument", call)
}

# An empty format stands for ISO 8601.
check_time_format <- function(format, call) {
  if (is.null(format)) return("")
  if (identical(format, "serial")) return(format)
  if (!are_formats(format)) {
    stop_because(c("{.arg format} must be a format such as {.val %d/%m/%Y %H:%M}, several, or NULL for ISO 8601.",
                   "found" = "It is {one_line(format)}."), "bad_argument", call)
  }
  for (one in format) {
    check <- moment_format_cpp(one)
    if (!check[["can_read"]] || check[["has_date"]]) next
    stop_because(c("A time needs a year, a month and a day.",
                   "found" = "The format {.val {one}} does not have all of them.",
                   "try" = "Join them first, as in {.code as_time(join_text(day, hour), \"%Y-%m-%d %H:%M\")}."),
                 "bad_argument", call)
  }
  format
}

are_formats <- function(format) {
  is.character(format) && length(format) > 0 && !anyNA(format) && all(grepl("%", format, fixed = TRUE))
}

formats_in_words <- function(what, format) {
  if (identical(format, "serial")) return(paste0("a ", what, " as spreadsheets count them"))
  paste("a", what, if (length(format) > 1) "of the formats" else "of the format",
        in_a_sentence(paste0("\"", format, "\""), "or"))
}

# From what a clock of the zone shows, as seconds, to seconds of Universal Time; NA for what no clock ever showed.
# Around most hours nothing changes, and one look serves all of the hour.
seconds_in_zone <- function(shown, zone) {
  if (zone == "UTC") return(shown)
  hour <- floor(shown / 3600)
  hours <- unique(hour[!is.na(hour)])
  around <- vapply(-1:2, function(k) (hours + k) * 3600 - moments_shown((hours + k) * 3600, zone), hours)
  around <- matrix(around, ncol = 4)
  steady <- !is.na(rowSums(around)) & rowSums(around == around[, 1]) == 4
  at <- match(hour, hours)
  seconds <- shown - around[at, 1]
  exactly <- which(!steady[at])
  seconds[exactly] <- moments_shown(shown[exactly], zone)
  seconds
}

# The first moment at which a clock of the zone shows this.
moments_shown <- function(shown, zone) {
  fields <- as.POSIXlt(.POSIXct(shown, "UTC"))
  fields$isdst[] <- -1L
  attr(fields, "tzone") <- zone
  moment <- as.numeric(as.POSIXct(fields, tz = zone))
  shows <- function(moment) {
    fields <- as.POSIXlt(.POSIXct(moment, zone))
    attr(fields, "tzone") <- "UTC"
    fields$isdst[] <- 0L
    as.numeric(as.POSIXct(fields, tz = "UTC"))
  }
  moment[is.na(moment) | abs(shows(moment) - shown) > 1e-3] <- NA
  for (shift in c(1800, 3600, 7200)) {
    earlier <- !is.na(moment) & abs(shows(moment - shift) - shown) < 1e-3
    moment[earlier] <- moment[earlier] - shift
  }
  moment
}

#' @rdname as_number
#' @param levels The levels, in order. By default all the texts that occur, in the order of their
#'   characters' code points.
#' @param ordered Whether the levels have an order, from low to high.
#' @export
as_category <- function(x, levels = NULL, ordered = FALSE, unreadable = "error") {
  call <- quote(as_category())
  check_one_of(unreadable, c("error", "missing"), "unreadable", call)
  if (is.numeric(x) || is.logical(x)) x <- shown_text(x)
  texts <- different_texts(x, call)
  if (is.null(levels)) levels <- sort(unique(texts$values), method = "radix")
  if (!is.atomic(levels) || anyNA(levels) || anyDuplicated(levels)) {
    stop_because("{.arg levels} must be texts without repeats.", "bad_argument", call)
  }
  codes <- match(texts$values, enc2utf8(as.character(levels)))
  check_read(is.na(codes) & !is.na(texts$values), texts, "one of the levels", unreadable, call)
  structure(at_rows(codes, texts), levels = enc2utf8(as.character(levels)), class = c(if (ordered) "ordered", "factor"))
}

check_marks <- function(decimal, thousands, signs, negative, call) {
  is_mark <- function(mark) is.character(mark) && length(mark) == 1 && !is.na(mark) && nchar(mark) <= 1 &&
    !grepl("[0-9+-]", mark)
  if (!is_mark(decimal) || !nzchar(decimal) || !is_mark(thousands) || decimal == thousands) {
    stop_because(c("{.arg decimal} and {.arg thousands} must be two different marks.",
                   "try" = "{.code decimal = \",\", thousands = \".\"}"), "bad_argument", call)
  }
  if (!is.null(signs) && (!is.character(signs) || anyNA(signs) || !all(nzchar(signs)))) {
    stop_because("{.arg signs} must be texts such as {.val EUR}.", "bad_argument", call)
  }
  for (one in as.list(negative)) check_one_of(one, c("(1)", "1-"), "negative", call)
  list(decimal = decimal, thousands = thousands, signs = signs, negative = negative)
}

literally <- function(text) paste0("\\Q", text, "\\E")

read_numbers <- function(texts, marks, unreadable, call) {
  values <- with_minus_before(trimws(texts$values, whitespace = "[\\h\\v]"), marks$negative)
  if (length(marks$signs)) {
    any_sign <- paste0("(", paste(literally(enc2utf8(marks$signs)), collapse = "|"), ")")
    values <- gsub(paste0("^(?:([+-]?)", any_sign, "\\h*|(.*?)\\h*", any_sign, "$)"), "\\1\\3", values, perl = TRUE)
    values <- with_minus_before(values, marks$negative)
  }
  whole <- if (nzchar(marks$thousands)) paste0("([0-9]+|[0-9]{1,3}(", literally(marks$thousands),
                                               "[0-9]{3})+)") else "[0-9]+"
  point <- literally(marks$decimal)
  number <- paste0("^[+-]?(", whole, "(", point, "[0-9]*)?|", point, "[0-9]+)([eE][+-]?[0-9]+)?$")
  known <- !is.na(values) & nzchar(values)
  fits <- grepl(number, values, perl = TRUE)
  check_read(known & !fits, texts, "a number", unreadable, call,
             "Set {.arg decimal}, {.arg thousands}, {.arg signs} or {.arg negative} to fit.")
  plain <- values[fits]
  if (nzchar(marks$thousands)) plain <- gsub(marks$thousands, "", plain, fixed = TRUE)
  if (marks$decimal != ".") plain <- sub(marks$decimal, ".", plain, fixed = TRUE)
  result <- rep(NA_real_, length(values))
  result[fits] <- as.numeric(plain)
  too_large <- is.infinite(result)
  check_read(too_large, texts, "a number", unreadable, call, "R has no number that large: read it as text.")
  result[too_large] <- NA
  result
}

# "(12)" and "12-" as "-12", if numbers below zero are written so.
with_minus_before <- function(values, negative) {
  if ("(1)" %in% negative) values <- sub("^\\(\\h*(.*?)\\h*\\)$", "-\\1", values, perl = TRUE)
  if ("1-" %in% negative) values <- sub("^([^+-].*?)\\h*-$", "-\\1", values, perl = TRUE)
  values
}

read_dates <- function(texts, format, unreadable, call) {
  read <- read_moments(texts$values, format)
  check_read(is.nan(read$seconds), texts, formats_in_words("date", format), unreadable, call)
  days <- floor(read$seconds / 86400)
  days[is.nan(days)] <- NA
  .Date(days)
}

# Seconds since 1970 by the clock that they were read from, or of Universal Time where `universal`; NaN for what
# can't be read. What one format can't read the next may.
read_moments <- function(values, formats) {
  if (identical(formats, "serial")) return(read_serials(values))
  read <- list(seconds = rep(NaN, length(values)), universal = rep(FALSE, length(values)))
  for (format in formats) {
    left <- which(is.nan(read$seconds))
    if (!length(left)) break
    found <- read_format(values[left], format)
    read$seconds[left] <- found$seconds
    read$universal[left] <- found$universal
  }
  read
}

# Formats with other directives than numbers are R's to read.
read_format <- function(values, format) {
  english <- with_english_names(values, format)
  whole <- with_whole_date(english$values, english$format)
  values <- whole$values
  format <- whole$format
  if (moment_format_cpp(format)[["can_read"]]) return(read_moments_cpp(values, format))
  values <- trimws(values, whitespace = "[\\h\\v]")
  known <- !is.na(values) & nzchar(values)
  seconds <- rep(NA_real_, length(values))
  # R reads a moment from the beginning of a text, whatever follows: the mark at both ends must match too.
  fields <- strptime(paste0(values[known], match_mark), paste0(format, match_mark), tz = "UTC")
  read <- as.numeric(as.POSIXct(fields))
  # A year has four digits.
  if (grepl("%Y", format, fixed = TRUE)) {
    short <- !is.na(read) & fields$year < -900
    read[short & !mapply(grepl, sprintf("%04d", fields$year + 1900), values[known], fixed = TRUE)] <- NA
  }
  seconds[known] <- ifelse(is.na(read), NaN, read)
  list(seconds = seconds, universal = rep(grepl("%z", format, fixed = TRUE), length(values)))
}

# English names of months become their numbers, and those of weekdays a mark.
with_english_names <- function(values, format) {
  if (!grepl("%[aAbBh]", format)) return(list(values = values, format = format))
  named <- function(names, numbers) {
    for (k in seq_along(names)) {
      pattern <- paste0("(?i)(?<!\\pL)(", names[k], "|", substr(names[k], 1, 3), ")(?!\\pL)\\.?")
      values <<- sub(pattern, numbers[k], values, perl = TRUE)
    }
  }
  if (grepl("%[bBh]", format)) {
    named(month.name, sprintf("%02d", 1:12))
    format <- gsub("%[bBh]", "%m", format)
  }
  if (grepl("%[aA]", format)) {
    named(c("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"), rep(weekday_mark, 7))
    format <- gsub("%[aA]", weekday_mark, format)
  }
  list(values = values, format = format)
}

weekday_mark <- "~"

# A date without a day, or without a month too, is the first.
with_whole_date <- function(values, format) {
  has <- function(directives) grepl(paste0("%[", directives, "]"), format)
  if (has("deFDjUWuVcxs") || !has("Yy")) return(list(values = values, format = format))
  known <- !is.na(values) & nzchar(values)
  added <- if (has("m")) c("%d", "01") else c("%m-%d", "01-01")
  values[known] <- paste(values[known], added[2])
  list(values = values, format = paste(format, added[1]))
}

# Times are exact to thousandths of a second.
read_serials <- function(values) {
  values <- trimws(values, whitespace = "[\\h\\v]")
  known <- !is.na(values) & nzchar(values)
  number <- rep(NA_real_, length(values))
  is_number <- grepl("^[0-9]+([.][0-9]*)?$", values)
  number[is_number] <- as.numeric(values[is_number])
  number[which(number >= 2958466)] <- NA
  seconds <- round(days_of_serial(number) * 86400, 3)
  seconds[known & is.na(seconds)] <- NaN
  list(seconds = seconds, universal = rep(FALSE, length(values)))
}

# Days since 1970 of those that spreadsheets count from the last of 1899, with a 29th of February 1900 that there was
# not: day 60, which is missing like what lies before the first.
days_of_serial <- function(number) {
  ifelse(number >= 61, number - 25569, ifelse(number >= 1 & number < 60, number - 25568, NA))
}

# `bad` says it of each different text.
check_read <- function(bad, texts, what, unreadable, call, hint = NULL) {
  if (unreadable == "missing" || !any(bad)) return(invisible())
  rows <- rows_of(bad & !is.na(bad), texts)
  if (!length(rows)) return(invisible())
  first <- at_rows(texts$values, texts)[rows[1]]
  stop_because(c("{counted_rows(length(rows))} can't be read as {what}.",
                 "found" = "The first is row {rows[1]}: {.val {first}}.", "try" = hint,
                 "try" = "For missing values there, use {.code unreadable = \"missing\"}."), "unreadable", call,
                   rows = rows)
}

# Without levels the categories are those that the column has, which a calibrated routine keeps.
words_of_conversion <- function() {
  finds_levels <- function(node) !"levels" %in% names(node$arguments) &&
    sum(!nzchar(names_or_none(node$arguments))) == 1
  list(
    language_word("as_number", "row", several = c("signs", "negative")),
    language_word("as_date", "row", sql = "date_of_text", several = "format"),
    language_word("as_time", "row", several = "format"),
    language_word("as_category", "row", peeks = function(arguments) is.null(arguments$levels), several = "levels",
                  learns = finds_levels),
    language_word("factor", "column", learns = finds_levels)
  )
}
