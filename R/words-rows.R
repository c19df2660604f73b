#' Totals and the like across the columns of each row
#'
#' R's `sum()`, `mean()`, `min()` and `max()` go over a column; these go across columns.
#'
#' @param ... Columns, or vectors of the same length, of numbers; for `row_min()` and `row_max()` also of dates.
#' @param missing A row with a missing value is missing (`"keep"`), or such values are left out (`"skip"`): then only a row
#'   that has no other is missing.
#' @return One value a row: of whole numbers whole, but for means.
#' @section Errors:
#' `rowanroot_type_mismatch` for text, `rowanroot_bad_argument` for another `missing`.
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
