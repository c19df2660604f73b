#' Call a function with whole columns
#'
#' A function of your own that can't become part of a formula is called once with whole columns (for
#' each group, if there are groups). If it returns one value for several rows, or its code could be
#' meant for one row, it is refused: [one_by_one()] calls it for each row, and `all_at_once()` calls
#' it with whole columns and gives every row the one value it returns.
#'
#' @param f A function of whole columns.
#' @param ... Its arguments, with or without names.
#' @return What `f` returns: in a formula one value for each row, or one for all rows of the table
#'   or group.
#' @section Errors: `rowanroot_bad_argument` if `f` is not a function; `rowanroot_wrong_length` if
#'   it returns any other number of values in a formula.
#' @seealso [one_by_one()], [set_columns()]
#' @concept whole column
#' @concept summary function
#' @examples
#' spread <- function(x) max(x) - min(x)
#' visits <- data.frame(apiary = c("NB", "NB", "SH"), net_kg = c(25, 22.3, 14))
#' visits |> set_columns({ spread_kg <- all_at_once(spread, net_kg) }, within = apiary)
#' @export
all_at_once <- function(f, ...) {
  call <- quote(all_at_once())
  if (!is.function(f)) stop_because("{.arg f} must be a function, not {what_is(f)}.", "bad_argument", call)
  f(...)
}
