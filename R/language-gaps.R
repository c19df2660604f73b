#' Fill gaps: the last known value, or the next
#'
#' `last_known()` gives, for each row, the last value up to it that is not missing; `next_known()`
#' the next such value from the row on. To fill gaps only up to a limit, or by a formula, use
#' [running()].
#'
#' @param x A column, or a vector, of any type.
#' @inheritParams running_total
#' @return One value for each row, of the type of `x`. It is missing where no value is known before
#'   (or after) it.
#' @section Errors: `rowanroot_type_mismatch` for lists; a missing value in `along` is a warning of
#'   class `rowanroot_missing_order`.
#' @examples
#' last_known(c(NA, 3, NA, 4))
#' visits <- data.frame(
#'   day = c(2, 1, 3, 4), hive = c("a", "a", "a", "b"), scale_kg = c(NA, 31, NA, 28)
#' )
#' visits |> set_columns({
#'   filled  <- last_known(scale_kg, along = day, within = hive)
#'   is_fill <- is.na(scale_kg) && !is.na(filled)
#' })
#' @concept fill down
#' @concept fill up
#' @concept carry forward
#' @concept missing values
#' @export
last_known <- function(x, along = NULL, within = NULL) {
  word_on_vectors("last_known", x, list(), within, along, quote(last_known()))
}

#' @rdname last_known
#' @export
next_known <- function(x, along = NULL, within = NULL) {
  word_on_vectors("next_known", x, list(), within, along, quote(next_known()))
}

words_of_gaps <- function() list(
  ordered_word("last_known", check_no_options, "known", 1, chunks = "rows", explain = explain_last_known),
  ordered_word("next_known", check_no_options, "known", -1, explain = explain_next_known)
)

check_no_options <- function(options, call) check_options(options, list())

explain_last_known <- function(facts) explain_known(facts, rev(seq_len(facts$at)))

explain_next_known <- function(facts) explain_known(facts, seq(facts$at, length(facts$rows)))

# The row that the value comes from: the first of these that is known.
explain_known <- function(facts, candidates) {
  rows <- facts$rows[candidates]
  from <- rows[!is.na(facts$arguments[rows])][1]
  if (is.na(from)) paste("as none is known, among", facts$of)
  else paste0(if (from == facts$row) "its own value" else paste("from row", from), ", among ", facts$of)
}
