# One row of each combination of values, in memory.

#' @export
in_memory.step_one_of_each <- function(step, data, call) {
  found <- groups_by_columns(unclass(data)[step$by], nrow(data), call)
  is_last <- step$keep == "last"
  if (is.null(step$order)) {
    stay <- group_edges_cpp(found$of_row, length(found$sizes), is_last)
  } else {
    # Rows that are missing in the order never come before others, from whichever end one looks.
    columns <- sortable_columns(unclass(data)[step$order$names], step$order$names, call)
    order <- order_rows_cpp(columns, step$order$descending, rep_len(is_last, length(columns)), nrow(data),
                            getOption("rowanroot.threads", 0L)) + 1L
    stay <- order[group_edges_cpp(found$of_row[order], length(found$sizes), is_last)]
  }
  rows_at(data, sort(stay, method = "radix") - 1L)
}
