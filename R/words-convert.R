#' Text into numbers, dates and categories
#'
#' What can't be read is an error, which counts the rows and shows the first of them. Missing and empty texts are missing.
#'
#' @param x A column, or a vector, of texts or categories. What is a number or a date already stays as it is.
#' @param decimal,thousands The decimal mark, and the mark between groups of three digits: none by default.
#' @param signs Currencies or units that may stand before or after the number, such as `"EUR"` or `"kg"`.
#' @param unreadable What can't be read is an error (`"error"`), or missing (`"missing"`).
#' @return Doubles, dates, or a category.
#' @section Errors:
#' `rowanroot_unreadable` for what can't be read; `rowanroot_type_mismatch` for another type of `x`; `rowanroot_bad_argument`
#' for other marks, formats or levels; `rowanroot_bad_text` for text that is not UTF-8.
#' @examples
#' as_number(c("1.234,5", "12"), decimal = ",", thousands = ".")
#' as_number(c("8 EUR", "7.50 EUR"), signs = "EUR")
#' as_date(c("01/03/2025", "29/02/2024"), "%d/%m/%Y")
#' as_category(c("weak", "strong"), levels = c("weak", "fair", "strong"), ordered = TRUE)
#' @export
as_number <- function(x, decimal = ".", thousands = "", signs = NULL, unreadable = "error") {
  call <- quote(as_number())
  check_one_of(unreadable, c("error", "missing"), "unreadable", call)
  check_marks(decimal, thousands, signs, call)
  if (is.numeric(x) && !is.object(x) || is.logical(x)) return(as.numeric(x))
  texts <- different_texts(x, call)
  at_rows(read_numbers(texts, list(decimal = decimal, thousands = thousands, signs = signs), unreadable, call), texts)
}

#' @rdname as_number
#' @param format How the dates are written, as in R's [strptime()]. Nothing else may stand in the text.
#' @export
as_date <- function(x, format = "%Y-%m-%d", unreadable = "error") {
  call <- quote(as_date())
  check_one_of(unreadable, c("error", "missing"), "unreadable", call)
  if (!is.character(format) || length(format) != 1 || is.na(format) || !grepl("%", format, fixed = TRUE)) {
    stop_because(c("{.arg format} must be one text such as {.val %d/%m/%Y}.", "x" = "It is {one_line(format)}."), "bad_argument", call)
  }
  if (inherits(x, "Date")) return(x)
  if (inherits(x, "POSIXct")) return(as.Date(format(x, "%Y-%m-%d")))
  texts <- different_texts(x, call)
  at_rows(read_dates(texts, format, unreadable, call), texts)
}

#' @rdname as_number
#' @param levels The texts that there may be, in their order. By default all that there are, in the order of their
#'   characters.
#' @param ordered Is a later level more than an earlier one?
#' @export
as_category <- function(x, levels = NULL, ordered = FALSE, unreadable = "error") {
  call <- quote(as_category())
  check_one_of(unreadable, c("error", "missing"), "unreadable", call)
  if (is.numeric(x) || is.logical(x)) x <- shown_text(x)
  texts <- different_texts(x, call)
  if (is.null(levels)) levels <- sort(unique(texts$values), method = "radix")
  if (!is.atomic(levels) || anyNA(levels) || anyDuplicated(levels)) {
    stop_because("{.arg levels} must be texts, each once.", "bad_argument", call)
  }
  codes <- match(texts$values, enc2utf8(as.character(levels)))
  check_read(is.na(codes) & !is.na(texts$values), texts, "one of the levels", unreadable, call)
  structure(at_rows(codes, texts), levels = enc2utf8(as.character(levels)), class = c(if (ordered) "ordered", "factor"))
}

check_marks <- function(decimal, thousands, signs, call) {
  is_mark <- function(mark) is.character(mark) && length(mark) == 1 && !is.na(mark) && nchar(mark) <= 1 && !grepl("[0-9+-]", mark)
  if (!is_mark(decimal) || !nzchar(decimal) || !is_mark(thousands) || decimal == thousands) {
    stop_because(c("{.arg decimal} and {.arg thousands} must be two different marks.",
                   "i" = "For instance {.code decimal = \",\", thousands = \".\"}."), "bad_argument", call)
  }
  if (is.null(signs) || is.character(signs) && !anyNA(signs) && all(nzchar(signs))) return(invisible())
  stop_because("{.arg signs} must be texts such as {.val EUR}.", "bad_argument", call)
}

literally <- function(text) paste0("\\Q", text, "\\E")

read_numbers <- function(texts, marks, unreadable, call) {
  values <- trimws(texts$values, whitespace = "[\\h\\v]")
  if (length(marks$signs)) {
    any_sign <- paste0("(", paste(literally(enc2utf8(marks$signs)), collapse = "|"), ")")
    values <- gsub(paste0("^(?:([+-]?)", any_sign, "\\h*|(.*?)\\h*", any_sign, "$)"), "\\1\\3", values, perl = TRUE)
  }
  whole <- if (nzchar(marks$thousands)) paste0("([0-9]+|[0-9]{1,3}(", literally(marks$thousands), "[0-9]{3})+)") else "[0-9]+"
  point <- literally(marks$decimal)
  number <- paste0("^[+-]?(", whole, "(", point, "[0-9]*)?|", point, "[0-9]+)([eE][+-]?[0-9]+)?$")
  known <- !is.na(values) & nzchar(values)
  fits <- grepl(number, values, perl = TRUE)
  check_read(known & !fits, texts, "a number", unreadable, call, "Marks and signs are told by {.arg decimal}, {.arg thousands} and {.arg signs}.")
  plain <- values[fits]
  if (nzchar(marks$thousands)) plain <- gsub(marks$thousands, "", plain, fixed = TRUE)
  if (marks$decimal != ".") plain <- sub(marks$decimal, ".", plain, fixed = TRUE)
  result <- rep(NA_real_, length(values))
  result[fits] <- as.numeric(plain)
  result
}

# R reads a date from the beginning of a text, whatever follows: the mark at both ends must match too.
read_dates <- function(texts, format, unreadable, call) {
  values <- trimws(texts$values, whitespace = "[\\h\\v]")
  known <- !is.na(values) & nzchar(values)
  dates <- rep(as.Date(NA), length(values))
  dates[known] <- as.Date(strptime(paste0(values[known], match_mark), paste0(format, match_mark), tz = "UTC"))
  check_read(known & is.na(dates), texts, paste0("a date of the format \"", format, "\""), unreadable, call)
  dates
}

# `bad` says it of each different text.
check_read <- function(bad, texts, what, unreadable, call, hint = NULL) {
  if (unreadable == "missing" || !any(bad)) return(invisible())
  rows <- rows_of(bad & !is.na(bad), texts)
  if (!length(rows)) return(invisible())
  first <- at_rows(texts$values, texts)[rows[1]]
  stop_because(c("{counted_rows(length(rows))} can't be read as {what}.",
                 "x" = "The first is row {rows[1]}: {.val {first}}.", "i" = hint,
                 "i" = "To have missing values there, say {.code unreadable = \"missing\"}."), "unreadable", call, rows = rows)
}
