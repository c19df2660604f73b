# R's functions of texts, value by value: each different text, or combination of values, is seen once, and what R's function
# gives for plain texts the core gives, quicker.

# NULL where R's function must have whole columns.
call_by_value <- function(fun, name, arguments, values, node, run) {
  kinds <- vapply(arguments, `[[`, "", "kind")
  types <- vapply(arguments, `[[`, "", "type")
  columns <- which(kinds != "constant")
  are_columns <- vapply(values[columns], function(x) is.atomic(x) && is_column_like(x, run$rows), NA)
  if (!length(columns) || !all(are_columns) || "collapse" %in% names(node$arguments)) return(NULL)
  if (length(columns) == 1 && types[columns] == "text") return(call_by_text(fun, name, columns, values, node, run))
  if (name %in% dear_words) call_by_combination(fun, name, columns, values, node, run)
}

# Functions that cost more for a value than it does to see whether it has come before.
dear_words <- c("paste", "paste0", "sprintf", "as.character", "nchar", "toupper", "tolower", "trimws", "substr", "substring", "startsWith",
                "endsWith", "grepl", "sub", "gsub", "as.Date", "months", "weekdays", "gamma", "lgamma", "beta", "choose", "factorial")

call_by_text <- function(fun, name, at, values, node, run) {
  different <- different_texts_cpp(values[[at]])
  kernel <- text_kernels[[name]]
  if (is.null(different) && is.null(kernel)) return(NULL)
  if (!is.null(different)) values[[at]] <- if (anyNA(different$of_row)) c(different$texts, NA) else different$texts
  # Arguments that the kernel can't take are for R's function to refuse.
  result <- if (!is.null(kernel)) tryCatch(do.call(kernel, stats::setNames(values, names(node$arguments))), error = function(e) NULL)
  if (is.null(result)) {
    # Of text that is no text R names no row, or a row of the different ones.
    result <- withCallingHandlers(call_r_once(fun, name, values, node, run), rowanroot_formula_failed = function(e) {
      texts <- list(values = values[[at]], of_row = different$of_row)
      tryCatch(texts_in_utf8(texts, run$call), rowanroot_bad_text = function(e) stop_in_formula(e, run$formula, run$call))
    })
  }
  if (is_column_like(result, length(values[[at]]))) new_slot(run, at_rows(result, with_missing_rows(different, result)))
}

# What the function gives for a missing text stands behind what it gives for the others: rows without a text have that, unless it is
# missing too.
with_missing_rows <- function(different, result) {
  last <- length(result)
  if (last > length(different$texts) && !is.null(different) && !is.na(result[last])) different$of_row[is.na(different$of_row)] <- last
  different
}

call_by_combination <- function(fun, name, columns, values, node, run) {
  of_row <- few_combinations(values[columns], run$rows, run$call)
  if (is.null(of_row)) return(NULL)
  first <- match(seq_len(max(of_row)), of_row)
  values[columns] <- lapply(values[columns], `[`, first)
  result <- call_r_once(fun, name, values, node, run)
  if (is_column_like(result, length(first))) typed_value(at_rows(result, list(of_row = of_row)), run)
}

# With the arguments of R's functions. NULL for other arguments than these, and for texts that R must look at itself.
text_kernels <- list(
  toupper = function(x) change_case_cpp(x, TRUE),
  tolower = function(x) change_case_cpp(x, FALSE),
  nchar = function(x, type = "chars", ...) if (identical(type, "chars") && !...length()) count_characters_cpp(x),
  substr = function(x, start, stop) cut_by_number(x, start, stop),
  substring = function(text, first, last = 1000000L) cut_by_number(text, first, last),
  trimws = function(x, which = "both", ...) {
    if (is_one_of(which, c("both", "left", "right")) && !...length()) trim_texts_cpp(x, which != "right", which != "left")
  },
  startsWith = function(x, prefix) if (is_one_text(prefix)) has_text_cpp(x, enc2utf8(prefix), "start", NA),
  endsWith = function(x, suffix) if (is_one_text(suffix)) has_text_cpp(x, enc2utf8(suffix), "end", NA),
  grepl = function(pattern, x, fixed = FALSE, ...) {
    if (is_literal(pattern, fixed) && !...length()) has_text_cpp(x, enc2utf8(pattern), "in", FALSE)
  },
  sub = function(pattern, replacement, x, fixed = FALSE, ...) if (!...length()) replace_literally(pattern, replacement, x, fixed, FALSE),
  gsub = function(pattern, replacement, x, fixed = FALSE, ...) if (!...length()) replace_literally(pattern, replacement, x, fixed, TRUE)
)

is_one_text <- function(x) is.character(x) && length(x) == 1 && !is.na(x)

is_one_of <- function(x, choices) is_one_text(x) && x %in% choices

# A pattern without any sign that means something else than itself.
is_literal <- function(pattern, fixed) {
  is_one_text(pattern) && nzchar(pattern) && (isTRUE(fixed) || isFALSE(fixed) && !grepl("[\\[\\]\\\\.|()^{}$*+?]", pattern, perl = TRUE))
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
