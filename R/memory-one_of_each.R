# One row of each combination of values, in memory.

#' @export
in_memory.step_one_of_each <- function(step, data, call) {
  threads <- getOption("rowanroot.threads", 0L)
  found <- groups_by_columns(unclass(data)[step$by], nrow(data), call)
  if (is.null(step$order) && step$keep == "first") {
    return(rows_at(data, first_rows_cpp(found$of_row, length(found$sizes)) - 1L))
  }
  order <- seq_len(nrow(data))
  # Rows that are missing in the order never come before others, from whichever end one looks.
  if (!is.null(step$order)) {
    columns <- sortable_columns(unclass(data)[step$order$names], step$order$names, call)
    order <- order_rows_cpp(columns, step$order$descending, rep_len(step$keep == "last", length(columns)),
                            nrow(data), threads) + 1L
  }
  if (step$keep == "last") order <- rev(order)
  stay <- order[first_rows_cpp(found$of_row[order], length(found$sizes))]
  rows_at(data, sort(stay, method = "radix") - 1L)
}
