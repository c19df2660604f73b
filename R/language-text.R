#' Split texts into parts
#'
#' In a block the parts become columns: `c(apiary, number) <- split_text(hive_code, "-")`. A text
#' must have as many parts as there are names, unless `short` or `long` says what to do.
#'
#' @param x A column, or a vector, of text or categories. A missing text has missing parts.
#' @param at What separates the parts: a text, taken literally, or a regular expression in
#'   `pattern()`. Between two separators that directly follow each other there is an empty text.
#' @param type The type of the parts: `"text"`, `"integer"`, `"number"`, `"date"` (such as
#'   `2025-03-01`) or `"category"`; one for all parts, or one for each.
#' @param short What to do with a text with too few parts: it is an error (`"error"`), or the parts
#'   it lacks are missing (`"missing"`).
#' @param long What to do with a text with too many parts: it is an error (`"error"`), all its parts
#'   are missing (`"missing"`), the parts at the end are dropped (`"drop"`), or they are kept as one
#'   in the last part (`"join"`).
#' @param decimal,thousands,signs,negative,format How numbers and dates among the parts are written, as in
#'   [as_number()] and [as_date()].
#' @param parts The number of parts. In a block, as many as there are names; otherwise as many as
#'   the text with the most parts has.
#' @param regex A Perl-compatible regular expression, see [regex].
#' @return A data frame with the columns `part_1`, `part_2` and so on.
#' @section Errors: `rowanroot_wrong_parts` if a text has too few or too many parts: the message
#'   counts such rows and shows the first; `rowanroot_unreadable` if a part is not of its type;
#'   `rowanroot_bad_argument` for a wrong `at`, `type`, `short` or `long`; `rowanroot_type_mismatch`
#'   for anything but text; `rowanroot_bad_text` for text that is not UTF-8.
#' @examples
#' split_text(c("NB-01", "SH-02"), "-")
#' visits <- data.frame(
#'   hive = c("NB-01", "SH-02", NA), seen = c("3 frames; 1 queen", "5 frames", "2 frames")
#' )
#' visits |> set_columns({
#'   c(apiary, number) <- split_text(hive, "-", type = c("text", "integer"))
#'   c(brood, queens)  <- split_text(seen, pattern("; *"), short = "missing")
#' })
#' @concept split column
#' @concept concatenate
#' @export
split_text <- function(x, at, type = "text", short = "error", long = "error", parts = NULL, decimal = ".",
                       thousands = "", signs = NULL, negative = NULL, format = "%Y-%m-%d") {
  call <- quote(split_text())
  as_written <- c(check_marks(decimal, thousands, signs, negative, call), list(format = format))
  check_date_formats(format, call)
  if (missing(at)) stop_because(c("Split at what?", "try" = "{.code split_text(x, \"-\")}"), "bad_argument", call)
  texts <- different_texts(x, call, checks = inherits(at, "text_pattern") || is.null(parts))
  check_one_of(short, c("error", "missing"), "short", call)
  check_one_of(long, c("error", "missing", "drop", "join"), "long", call)
  if (inherits(at, "text_pattern")) {
    if (long == "join") stop_because("{.code long = \"join\"} needs a plain separator in {.arg at}.", "bad_argument",
                                     call)
    texts$values <- mark_matches(texts$values, at, call)
    at <- match_mark
  }
  check_split_at(at, call)
  at <- enc2utf8(at)
  if (is.null(parts)) parts <- max(1L, count_parts_cpp(texts$values, at), na.rm = TRUE)
  check_whole_number(parts, 1, "parts", call)
  type <- check_part_types(type, parts, call)
  split <- split_texts_cpp(texts$values, at, parts, long == "join")
  if (is.null(split)) {
    texts <- texts_in_utf8(texts, call)
    split <- split_texts_cpp(texts$values, at, parts, long == "join")
  }
  if (!split$fits) {
    counts <- count_parts_cpp(texts$values, at)
    if (short == "error") check_parts(counts < parts, counts, parts, x, texts, "few", call)
    if (long == "error") check_parts(counts > parts, counts, parts, x, texts, "many", call)
    if (long == "missing") {
      texts$values[counts > parts] <- NA
      split <- split_texts_cpp(texts$values, at, parts, FALSE)
    }
  }
  columns <- Map(function(column, type) at_rows(part_as(column, type, as_written, texts, call), texts),
                 split$columns, type)
  structure(columns, names = paste0("part_", seq_len(parts)), row.names = .set_row_names(length(x)),
            class = "data.frame")
}

#' @rdname split_text
#' @export
pattern <- function(regex) {
  call <- quote(pattern())
  check_pattern(regex, call)
  if (!nzchar(regex)) stop_because("A pattern must not be empty.", "bad_argument", call)
  structure(list(regex = enc2utf8(regex)), class = "text_pattern")
}

#' Join columns into one text
#'
#' @param ... Columns, or vectors of the same length, of any type. Numbers are written with up to 15
#'   digits, dates as `2025-03-01`.
#' @param with The text to put between them.
#' @param missing What to do with a row that has a missing value: the result is missing (`"keep"`),
#'   the value is left out along with its separator, and so is empty text (`"skip"`), or it counts as
#'   empty text (`"empty"`).
#' @return Texts.
#' @section Errors: `rowanroot_bad_argument` for a wrong `with` or `missing`,
#'   `rowanroot_type_mismatch` for lists, `rowanroot_wrong_length` for vectors of different lengths.
#' @examples
#' join_text("NB", 1:2, with = "-")
#' visits <- data.frame(apiary = c("NB", "SH"), number = c(1L, NA))
#' visits |> set_columns({ hive <- join_text(apiary, number, with = "-", missing = "skip") })
#' @export
join_text <- function(..., with = " ", missing = "keep") {
  call <- quote(join_text())
  columns <- unname(list(...))
  if (!length(columns)) stop_because("{.code join_text()} needs columns.", "bad_argument", call)
  if (!is.character(with) || length(with) != 1 ||
      is.na(with)) stop_because("{.arg with} must be one text, not {what_is(with)}.", "bad_argument", call)
  check_one_of(missing, c("keep", "skip", "empty"), "missing", call)
  lists <- !vapply(columns, is_vector_like, NA) | vapply(columns, is.list, NA)
  if (any(lists)) stop_because("Can't join {what_is(columns[[which(lists)[1]]])} to text.", "type_mismatch", call)
  rows <- if (any(lengths(columns) == 0)) 0L else max(lengths(columns))
  wrong <- lengths(columns) != rows & lengths(columns) != 1
  if (any(wrong) && rows > 0) {
    stop_because(
      "The columns must have the same length, or one value: they have {rows} and {lengths(columns)[wrong][1]}.",
      "wrong_length", call
    )
  }
  if (rows == 0) return(character())
  long <- lengths(columns) == rows
  few <- few_combinations(columns[long], rows, call)
  if (!is.null(few)) columns[long] <- lapply(columns[long], `[`, few$first)
  shown <- lapply(columns, function(column) {
    if (is.character(column) && !are_utf8_cpp(column) &&
        any(bad <- !is_readable_text(column))) stop_bad_text(rows_of(bad, few), call)
    shown_text(column)
  })
  if (is.null(few) && missing == "keep" && rows >= 1000) return(joined_texts_cpp(shown, enc2utf8(with), rows))
  at_rows(join_columns_of_text(shown, enc2utf8(with), missing), few)
}

# The number of each row's combination of values, `of_row`, and the `first` row of each, if there are few different
# ones: a sample shows when there are not. Zeros of both signs are one group, and may be shown differently.
few_combinations <- function(columns, rows, call) {
  can_be_grouped <- vapply(columns, function(x) typeof(x) %in% c("logical", "integer", "double", "character"), NA)
  if (rows < 1000 || !all(can_be_grouped) || any(vapply(columns, has_negative_zero_cpp, NA))) return(NULL)
  number <- function(columns, rows) {
    groups <- group_rows_cpp(lapply(columns, group_values, call = call), rows,
                             getOption("rowanroot.threads", 0L))
    count <- length(groups$sizes)
    if (count <= rows / 2) list(of_row = groups$of_row + 1L, first = group_edges_cpp(groups$of_row, count, FALSE))
  }
  sample <- 20000
  are_few <- prod(vapply(columns, most_different, 0)) <= rows / 2
  if (!are_few && rows > 2 * sample) {
    first <- lapply(columns, values_in_rows, seq_len(sample))
    if (is.null(number(first, sample))) return(NULL)
  }
  number(columns, rows)
}

# How many different values a column has at most, where it says so.
most_different <- function(column) {
  if (is.logical(column)) return(3)
  coded <- if (is.character(column)) coded_parts_cpp(column)
  if (is.null(coded)) Inf else length(coded$texts) + 1
}

shown_text <- function(x) {
  if (is.double(x) && !is.object(x)) return(ifelse(is.na(x) & !is.nan(x), NA_character_, sprintf("%.15g", x)))
  enc2utf8(as.character(x))
}

join_columns_of_text <- function(columns, with, missing) {
  if (missing == "skip") return(join_skipping(columns, with))
  if (missing == "empty") columns <- lapply(columns, function(x) ifelse(is.na(x), "", x))
  Reduce(function(a, b) {
    joined <- paste(a, b, sep = with)
    a <- rep_len(a, length(joined))
    b <- rep_len(b, length(joined))
    ifelse(is.na(a) | is.na(b), NA_character_, joined)
  }, columns)
}

# Empty texts are left out like missing ones; a row that has nothing else is empty if it has one of these.
join_skipping <- function(columns, with) {
  rows <- max(lengths(columns))
  columns <- lapply(columns, rep_len, rows)
  has_empty <- Reduce(`|`, lapply(columns, function(x) !is.na(x) & !nzchar(x)))
  joined <- Reduce(function(a, b) {
    b[!is.na(b) & !nzchar(b)] <- NA
    both <- which(!is.na(a) & !is.na(b))
    a_alone <- is.na(b)
    b[both] <- paste(a[both], b[both], sep = with)
    b[a_alone] <- a[a_alone]
    b
  }, columns, rep(NA_character_, rows))
  joined[is.na(joined) & has_empty] <- ""
  joined
}

#' Title case, and parts of texts
#'
#' `title_case()` gives each word a capital first letter and makes the rest small. `text_between()`
#' gives what is between two texts, `text_found()` the first part that matches a pattern.
#'
#' @param x A column, or a vector, of text or categories. Missing values stay missing.
#' @param from,to The texts before and after: the first `from`, and the first `to` that follows it.
#'   `NULL` means the start or the end of the text.
#' @param pattern A Perl-compatible regular expression, see [regex].
#' @return Texts. Missing where `from`, `to` or the pattern is not found.
#' @details A word begins after anything but a letter, a digit or an apostrophe: `Anne-Marie`,
#'   `don't`. A single letter with an apostrophe belongs to the name that follows: O'Brien,
#'   L'Aquila.
#' @section Errors: `rowanroot_type_mismatch` for anything but text, `rowanroot_bad_text` for text
#'   that is not UTF-8, `rowanroot_bad_argument` for a wrong `from` or `to`, and for a pattern that
#'   R can't read.
#' @examples
#' title_case(c("NORTH BANK", "anne-marie o'brien"))
#' text_between("hive NB-01 (strong)", "(", ")")
#' text_found(c("seen 12 frames", "none"), "[0-9]+")
#' @export
title_case <- function(x) {
  over_texts(x, quote(title_case()), function(texts) {
    capital <- gsub("(*UCP)(?<![\\p{L}\\p{M}\\p{N}'\u2019])(\\p{L})", "\\U\\1", tolower(texts), perl = TRUE)
    gsub("(*UCP)(?<![\\p{L}\\p{M}\\p{N}'\u2019])(\\p{L}['\u2019])(\\p{L})", "\\1\\U\\2", capital, perl = TRUE)
  })
}

#' @rdname title_case
#' @export
text_between <- function(x, from, to) {
  call <- quote(text_between())
  for (name in c("from", "to")) {
    end <- get(name)
    if (!is.null(end) && (!is.character(end) || length(end) != 1 || is.na(end) || !nzchar(end))) {
      stop_because("{.arg {name}} must be one text that is not empty, or NULL, not {what_is(end)}.", "bad_argument",
                   call)
    }
  }
  ends <- lapply(list(from, to), function(end) if (is.null(end)) "" else enc2utf8(end))
  over_texts(x, call, function(texts) cut_between_cpp(texts, ends[[1]], ends[[2]]))
}

#' @rdname title_case
#' @export
text_found <- function(x, pattern) {
  call <- quote(text_found())
  if (inherits(pattern, "text_pattern")) pattern <- pattern$regex
  check_pattern(pattern, call)
  over_texts(x, call, function(texts) {
    found <- regexpr(enc2utf8(pattern), texts, perl = TRUE)
    ifelse(is.na(texts) | found < 0, NA_character_, substr(texts, found, found + attr(found, "match.length") - 1L))
  })
}

# What a function of texts gives for each of these, which sees each different one once.
over_texts <- function(x, call, f) {
  texts <- different_texts(x, call)
  at_rows(f(texts$values), texts)
}

# The different texts in UTF-8, if that is not left for later, and which of them each row has: `of_row` is NULL if
# every row has its own.
different_texts <- function(x, call, name = "x", checks = TRUE) {
  if (is.logical(x) && all(is.na(x))) x <- as.character(x)
  if (is.factor(x)) texts <- list(values = levels(x), of_row = as.integer(x))
  else if (is.character(x)) texts <- list(values = as.vector(x))
  else {
    stop_because(c("{.arg {name}} must be text, not {what_is(x)}.", "try" = "Convert it with {.code as.character()}."),
                 "type_mismatch", call)
  }
  different <- if (is.character(x)) different_texts_cpp(texts$values)
  if (!is.null(different)) texts <- list(values = different$texts, of_row = different$of_row)
  if (checks) texts_in_utf8(texts, call) else texts
}

texts_in_utf8 <- function(texts, call, refuse = stop_bad_text) {
  if (are_utf8_cpp(texts$values)) return(texts)
  bad <- !is_readable_text(texts$values)
  if (any(bad)) refuse(rows_of(bad, texts), call)
  texts$values <- enc2utf8(texts$values)
  texts
}

# Texts that are marked, or of a session in another encoding, can be translated; bytes that are no characters can't.
is_readable_text <- function(x) {
  validUTF8(x) | Encoding(x) == "latin1" | !l10n_info()[["UTF-8"]] & Encoding(x) == "unknown"
}

rows_of <- function(which_texts, texts) which(at_rows(which_texts, texts))

stop_bad_text <- function(rows, call) {
  stop_because(c(paste0("{counted_rows(length(rows))} {cli::qty(length(rows))}{?has/have} text that is not UTF-8, ",
                        "the first in row {rows[1]}."),
                 "try" = "If it is Latin-1, translate it first: {.code iconv(x, \"latin1\", \"UTF-8\")}."), "bad_text",
                   call, rows = rows)
}

check_split_at <- function(at, call) {
  if (is.character(at) && length(at) == 1 && !is.na(at) && nzchar(at)) return(invisible())
  found <- if (identical(at, "")) "an empty text" else what_is(at)
  stop_because(c("{.arg at} must be one text that is not empty, or a {.code pattern()}.", "found" = "It is {found}."),
               "bad_argument", call)
}

check_pattern <- function(regex, call) {
  why <- NULL
  if (!is.character(regex) || length(regex) != 1 || is.na(regex)) {
    stop_because("A pattern must be one regular expression, as text, not {what_is(regex)}.", "bad_argument", call)
  }
  tryCatch(regexpr(regex, "", perl = TRUE), warning = function(w) why <<- conditionMessage(w),
           error = function(e) why <<- conditionMessage(e))
  if (is.null(why)) return(invisible())
  stop_because(c("R can't read the pattern {.val {regex}}.", "found" = "R's message: {gsub('[\\n\\t ]+', ' ', why)}"),
               "bad_argument", call)
}

# A character that no text has: texts are split there once it stands for what a pattern matches.
match_mark <- "\u001f"

mark_matches <- function(texts, at, call) {
  if (any(grepl(match_mark, texts, fixed = TRUE), na.rm = TRUE)) {
    stop_because("Can't split by a pattern: a text has the control character U+001F.", "bad_text", call)
  }
  gsub(at$regex, match_mark, texts, perl = TRUE)
}

check_parts <- function(wrong, counts, parts, x, texts, how, call) {
  rows <- rows_of(wrong & !is.na(wrong), texts)
  if (!length(rows)) return(invisible())
  first <- as.character(x)[rows[1]]
  most <- max(counts, na.rm = TRUE)
  stop_because(c(paste0("{counted_rows(length(rows))} {cli::qty(length(rows))}{?has/have} too {how} parts; ",
                        "there should be {parts}."),
                 "found" = paste0("The first is row {rows[1]}, {.val {first}}, with ",
                              "{counted(at_rows(counts, texts)[rows[1]], 'part')}."),
                 "try" = if (how == "few" && most < parts) "Ask for {most} parts: no row has more."
                       else if (how == "few") "For missing parts there, use {.code short = \"missing\"}."
                       else paste0("To drop them, use {.code long = \"drop\"}; to keep them in the last part, ",
                                   "{.code long = \"join\"}.")),
               "wrong_parts", call, rows = rows)
}

check_part_types <- function(type, parts, call) {
  if (length(type) != 1 && length(type) != parts) {
    stop_because("{.arg type} must be one type, or one for each of the {parts} parts, not {length(type)}.",
                 "bad_argument", call)
  }
  for (one in as.list(type)) check_one_of(one, c("text", "integer", "number", "date", "category"), "type", call)
  rep_len(type, parts)
}

part_as <- function(part, type, as_written, texts, call) {
  texts$values <- part
  withCallingHandlers(typed_part(part, type, as_written, texts, call), rowanroot_unreadable = function(e) {
    # The ways out of as_number() and the like are not arguments of split_text().
    e$parts <- e$parts[names(e$parts) != "try"]
    word <- if (type == "date") "as_date" else "as_number"
    stop_with_line(e, "try" = paste0("Split it as {.code type = \"text\"}, and convert the part in a line of its own: ",
                                     "{.code {word}(part, unreadable = \"missing\")}."))
  })
}

typed_part <- function(part, type, as_written, texts, call) {
  switch(type,
    text = part,
    category = factor(part, levels = sort(unique(part), method = "radix")),
    number = read_numbers(texts, as_written, "error", call),
    integer = {
      numbers <- read_numbers(texts, as_written, "error", call)
      bad <- !is.na(numbers) & (numbers != floor(numbers) | abs(numbers) > .Machine$integer.max)
      check_read(bad, texts, "a whole number", "error", call)
      as.integer(numbers)
    },
    date = read_dates(texts, as_written$format, "error", call)
  )
}

# The levels of parts that are categories are those that the rows have.
finds_categories <- function(arguments) {
  any(vapply(arguments, function(one) one$kind == "value" && "category" %in% one$value, NA))
}

# At a text, with no other option than the number of parts: the core finds the texts that have another number.
split_beyond_memory <- function(arguments) {
  options <- arguments[-1]
  if (sum(names_or_none(options) != "parts") == 1 && all(vapply(options, is_one_value, NA))) "core"
}

words_of_texts <- function() list(
  language_word("split_text", "row", for_names = split_for_names, peeks = finds_categories, sql = "split_text",
                beyond = split_beyond_memory, several = c("at", "type", "signs", "negative", "format")),
  language_word("join_text", "row", choices = TRUE, beyond = "pieces", sql = "joined"),
  language_word("title_case", "row", beyond = "pieces"),
  language_word("text_between", "row", beyond = "core", sql = "between"),
  language_word("text_found", "row", beyond = "pieces", several = "pattern"),
  language_word("has_form", "row", beyond = "pieces")
)

# Texts are split into as many parts as there are names.
split_for_names <- function(formula, wanted, scope) {
  given <- word_given(split_text, formula, scope)
  if (is.null(given$parts)) formula$parts <- wanted
  formula
}
