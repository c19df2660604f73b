#' Conditions for checks
#'
#' For [must_hold()], [keep_rows()] and formulas: `known()` is true where no column is missing,
#' `only_once()` where no other row of the table (or group) has the same values, `in_range()` where
#' a value lies in a range, ends included, and `has_form()` where a pattern matches the whole text.
#'
#' Other conditions need no word of their own: `apiary %in% c("NB", "SH")` for a set of values,
#' `.rows == nrow(hives)` for the number of rows of another table, `strength != "other"` for a label
#' that must not occur.
#'
#' @param ... Columns, or vectors. In a formula, `only_once()` takes columns chosen as shown in
#'   [all_columns()].
#' @param x A column, or a vector.
#' @param low,high The ends of the range; columns too.
#' @param pattern A Perl-compatible regular expression, see [regex].
#' @return `TRUE` or `FALSE` for each row; where `x` is missing, `in_range()` and `has_form()` are
#'   missing.
#' @section Errors:
#' `rowanroot_bad_argument` for a pattern that R can't read; `rowanroot_type_mismatch`; `rowanroot_bad_text` for
#' text that is not UTF-8.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02", "nb3"), day = c(1, 1, 2), net_kg = c(25, NA, 62))
#' visits |> set_columns({
#'   is_known  <- known(net_kg)
#'   is_likely <- in_range(net_kg, 0, 60)
#'   is_code   <- has_form(hive, "[A-Z]{2}-\\d+")
#'   is_alone  <- only_once(day)
#' })
#' @export
known <- function(...) across_vectors("known", list(...))

#' @rdname known
#' @export
only_once <- function(...) {
  columns <- data.frame(...)
  !(duplicated(columns) | duplicated(columns, fromLast = TRUE))
}

#' @rdname known
#' @export
in_range <- function(x, low = -Inf, high = Inf) x >= low & x <= high

#' @rdname known
#' @export
has_form <- function(x, pattern) {
  call <- quote(has_form())
  check_pattern(pattern, call)
  texts <- different_texts(x, call)
  found <- grepl(paste0("^(?:", pattern, ")$"), texts$values, perl = TRUE)
  found[is.na(texts$values)] <- NA
  at_rows(found, texts)
}

words_of_checks <- function() list(
  derived_word("only_once", bind_only_once), derived_word("known", bind_known, one_row = TRUE),
  derived_word("in_range", bind_in_range, one_row = TRUE)
)

bind_known <- function(given, expr, scope) {
  check_has_columns(given, expr, scope)
  columns <- lapply(unname(given), function(one) word_node("!",
                                                           word_node("is.na", bind_formula(one, scope),
                                                               shown = expr), shown = expr))
  Reduce(function(a, b) word_node("&", a, b, shown = expr), columns)
}

bind_only_once <- function(given, expr, scope) {
  check_has_columns(given, expr, scope)
  columns <- choose_columns(as.call(c(quote(c), unname(given))), scope$columns, scope$env, scope$call)
  # In a block of groups, no other row of the group.
  columns <- unique(c(scope$within, columns))
  rows <- new_aggregate(the_word("length"), bind_formula(as.name(columns[1]), scope), expr, scope$env, within = columns)
  word_node("==", rows, new_value(1L), shown = expr)
}

bind_in_range <- function(given, expr, scope) {
  x <- new_shared(bind_formula(given$x, scope))
  ends <- list(low = ">=", high = "<=")[names(given)[names(given) != "x"]]
  sides <- Map(function(name, comparison) word_node(comparison, x, bind_formula(given[[name]], scope), shown = expr),
               names(ends), ends)
  if (!length(sides)) sides <- list(word_node(">=", x, new_value(-Inf), shown = expr))
  Reduce(function(a, b) word_node("&", a, b, shown = expr), sides)
}

check_has_columns <- function(given, expr, scope) {
  if (length(given)) return(invisible())
  stop_because(c("{.code {one_line(expr)}} needs columns.", "in" = "{scope_text(scope)}"),
               "bad_argument", scope$call)
}
