#' Totals, means, minimum and maximum across the columns of a row
#'
#' R's `sum()`, `mean()`, `min()` and `max()` summarise a column; these words work across the
#' columns of each row.
#'
#' @param ... Columns, or vectors of the same length, of numbers; for `row_min()` and `row_max()` also of dates.
#' @param missing What to do with missing values: the result of the row is missing (`"keep"`), or
#'   they are left out (`"skip"`) and the result is missing only if all values of the row are.
#' @return One value for each row: a whole number if all columns are whole numbers, except for
#'   means.
#' @section Errors: `rowanroot_type_mismatch` for text, `rowanroot_bad_argument` for a wrong
#'   `missing`.
#' @examples
#' row_total(c(1, 2), c(3, NA), missing = "skip")
#' scales <- data.frame(a_kg = c(3, 5), b_kg = c(4, NA))
#' scales |> set_columns({
#'   both    <- row_total(a_kg, b_kg)
#'   lighter <- row_min(a_kg, b_kg, missing = "skip")
#' })
#' @export
row_total <- function(..., missing = "keep") across_vectors("row_total", list(...), missing = missing)

#' @rdname row_total
#' @export
row_mean <- function(..., missing = "keep") across_vectors("row_mean", list(...), missing = missing)

#' @rdname row_total
#' @export
row_min <- function(..., missing = "keep") across_vectors("row_min", list(...), missing = missing)

#' @rdname row_total
#' @export
row_max <- function(..., missing = "keep") across_vectors("row_max", list(...), missing = missing)

# A word of columns, on vectors; `...` are its other arguments.
across_vectors <- function(name, columns, ...) {
  call <- call(name)
  if (!length(columns)) stop_because("{.code {name}()} needs columns.", "bad_argument", call)
  names(columns) <- paste0("x", seq_along(columns))
  check_same_length(stats::setNames(columns, c("x", rep("...", length(columns) - 1))), call)
  calculate_code(as.call(c(as.name(name), lapply(names(columns), as.name), list(...))), columns, call)
}

words_of_rows <- function() {
  across <- function(name, what) derived_word(name, function(given, expr, scope) bind_across(what, given, expr,
      scope), one_row = TRUE)
  list(
    across("row_total", "total"), across("row_mean", "mean"), across("row_min", "min"), across("row_max", "max"),
    operator("add_known", "add_known", rule_arithmetic, 2, text = "taken", hidden = TRUE),
    lesser_or_greater("lesser_known", "lesser_known", `<=`, skip_missing = TRUE, hidden = TRUE),
    lesser_or_greater("greater_known", "greater_known", `>=`, skip_missing = TRUE, hidden = TRUE)
  )
}

# Of two columns, where a missing value gives way to one that is known: operations of the core.
add_known <- function(a, b) {
  sum <- a + b
  sum[is.na(a)] <- rep_len(b, length(sum))[is.na(a)]
  sum[is.na(b)] <- rep_len(a, length(sum))[is.na(b)]
  sum
}

lesser_known <- function(a, b) pmin(a, b, na.rm = TRUE)

greater_known <- function(a, b) pmax(a, b, na.rm = TRUE)

# Column after column.
bind_across <- function(what, given, expr, scope) {
  missing <- option_values(given["missing"[!is.null(given$missing)]], scope)$missing
  missing <- check_one_of(if (is.null(missing)) "keep" else missing, c("keep", "skip"), "missing", scope$call)
  columns <- unname(given[names(given) != "missing"])
  if (is.null(names(given))) columns <- given
  if (!length(columns)) {
    stop_because(c("{.code {one_line(expr)}} needs columns.", "in" = "{scope_text(scope)}"),
                 "bad_argument", scope$call)
  }
  columns <- lapply(columns, function(column) new_shared(bind_formula(column, scope)))
  if (what == "mean") return(bind_row_mean(columns, missing, expr))
  join_columns(what, columns, missing, expr)
}

join_columns <- function(what, columns, missing, expr) {
  names <- if (missing == "skip") c(total = "add_known", min = "lesser_known",
                                    max = "greater_known") else c(total = "+", min = "pmin", max = "pmax")
  joined_in_pairs(names[[what]], columns, expr)
}

bind_row_mean <- function(columns, missing, expr) {
  numbers <- lapply(columns, function(column) word_node("as.numeric", column, shown = column$shown))
  total <- join_columns("total", numbers, missing, expr)
  if (missing == "keep") return(word_node("/", total, new_value(length(columns)), shown = expr))
  known <- lapply(columns, function(column) word_node("as.integer",
                                                      word_node("!", word_node("is.na", column, shown = expr),
                                                                shown = expr), shown = expr))
  word_node("/", total, join_columns("total", known, "keep", expr), shown = expr)
}
