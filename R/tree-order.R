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

# The names of columns by which rows are put in order, and which of them from the greatest down.
choose_order <- function(expr, names, env, call) {
  parts <- if (is_call_to(expr, "c")) as.list(expr)[-1] else list(expr)
  chosen <- lapply(parts, function(part) {
    if (is_call_to(part, "-")) {
      stop_because(c("Can't order by {.code {one_line(part)}}.",
                     "try" = "For the greatest value first, write {.code descending({one_line(part[[2]])})}."),
                   "bad_choice", call)
    }
    downwards <- is_call_to(part, "descending")
    found <- choose_columns(if (downwards) part[[2]] else part, names, env, call)
    list(names = found, descending = rep(downwards, length(found)))
  })
  order <- list(names = unlist(lapply(chosen, `[[`, "names")), descending = unlist(lapply(chosen, `[[`, "descending")))
  first <- !duplicated(order$names)
  list(names = order$names[first], descending = order$descending[first])
}
