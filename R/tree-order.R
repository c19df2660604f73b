#' Order from the greatest value to the least
#'
#' Where columns give the order of rows, as in [sort_rows()] and in `along`, a column in
#' `descending()` is sorted from the greatest value to the least. Missing values still come last.
#'
#' @param x A column, or a vector.
#' @return Nothing by itself: it is for `along` and `sort_rows()` only.
#' @examples
#' visits <- data.frame(day = c(2, 1, 3), net_kg = c(5, 7, 9))
#' visits |> set_columns({ so_far <- running_total(net_kg, along = descending(day)) })
#' @export
descending <- function(x) structure(list(x = x), class = "rowanroot_descending")

is_descending <- function(x) inherits(x, "rowanroot_descending")
