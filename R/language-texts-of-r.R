# R's functions of texts. What they do to plain texts the core does quicker.

words_of_texts_in_r <- function() {
  text_word <- function(name, ...) language_word(name, "row", expensive = TRUE, ...)
  joins_rows <- function(arguments) "collapse" %in% names(arguments) && !is_null_value(arguments$collapse)
  has_collapse <- function(arguments) "collapse" %in% names(arguments)
  list(
    text_word("paste", quiet = TRUE, whole = joins_rows, peeks = has_collapse, sql = "pasted"),
    text_word("paste0", quiet = TRUE, whole = joins_rows, peeks = has_collapse, sql = "pasted_close"),
    text_word("sprintf"),
    text_word("as.character", sql = "as_text"),
    text_word("toupper", quiet = TRUE, sql = "upper", kernel = function(x) change_case_cpp(x, TRUE)),
    text_word("tolower", quiet = TRUE, sql = "lower", kernel = function(x) change_case_cpp(x, FALSE)),
    text_word("nchar", sql = "characters", kernel = function(x, type = "chars", ...) {
      if (identical(type, "chars") && !...length()) count_characters_cpp(x)
    }),
    text_word("substr", sql = "part_of_text", kernel = function(x, start, stop) cut_by_number(x, start, stop)),
    text_word("substring", sql = "part_of_text", kernel = function(text, first, last = 1000000L) {
      cut_by_number(text, first, last)
    }),
    text_word("trimws", sql = "trimmed", kernel = function(x, which = "both", ...) {
      if (is_one_of(which, c("both", "left", "right")) && !...length()) {
        trim_texts_cpp(x, which != "right", which != "left")
      }
    }),
    text_word("startsWith", sql = "begins", kernel = function(x, prefix) {
      if (is_one_text(prefix)) has_text_cpp(x, enc2utf8(prefix), "start", NA)
    }),
    text_word("endsWith", sql = "ends", kernel = function(x, suffix) {
      if (is_one_text(suffix)) has_text_cpp(x, enc2utf8(suffix), "end", NA)
    }),
    text_word("grepl", sql = "found", kernel = function(pattern, x, fixed = FALSE, ...) {
      if (is_literal(pattern, fixed) && !...length()) has_text_cpp(x, enc2utf8(pattern), "in", FALSE)
    }),
    text_word("sub", sql = "replaced_once", kernel = function(pattern, replacement, x, fixed = FALSE, ...) {
      if (!...length()) replace_literally(pattern, replacement, x, fixed, FALSE)
    }),
    text_word("gsub", sql = "replaced", kernel = function(pattern, replacement, x, fixed = FALSE, ...) {
      if (!...length()) replace_literally(pattern, replacement, x, fixed, TRUE)
    })
  )
}

is_null_value <- function(node) node$kind == "value" && is.null(node$value)

is_one_text <- function(x) is.character(x) && length(x) == 1 && !is.na(x)

is_one_of <- function(x, choices) is_one_text(x) && x %in% choices

# A pattern without any sign that means something else than itself.
is_literal <- function(pattern, fixed) {
  is_one_text(pattern) && nzchar(pattern) && (isTRUE(fixed) || isFALSE(fixed) &&
                                              !grepl("[\\[\\]\\\\.|()^{}$*+?]", pattern, perl = TRUE))
}

cut_by_number <- function(x, first, last) {
  is_number <- function(n) is.numeric(n) && !is.object(n) && length(n) == 1 && is.finite(n)
  if (is.character(x) && is_number(first) && is_number(last)) cut_characters_cpp(x, trunc(first), trunc(last))
}

replace_literally <- function(pattern, replacement, x, fixed, all) {
  plain <- is_one_text(replacement) && (isTRUE(fixed) || !grepl("\\", replacement, fixed = TRUE))
  if (!plain || !is_literal(pattern, fixed) || !is.character(x)) return(NULL)
  replace_in_texts_cpp(x, enc2utf8(pattern), enc2utf8(replacement), all)
}
