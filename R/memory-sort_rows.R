#' @export
in_memory.step_sort_rows <- function(step, data, call) {
  columns <- sortable_columns(unclass(data)[step$order$names], step$order$names, call)
  order <- order_rows_cpp(columns, step$order$descending, rep_len(step$missing == "first", length(columns)), nrow(data),
                          getOption("rowanroot.threads", 0L))
  rows_at(data, order)
}

#' @export
in_memory.step_top_rows <- function(step, data, call) {
  columns <- sortable_columns(unclass(data)[step$by], step$by, call)
  threads <- getOption("rowanroot.threads", 0L)
  groups <- lapply(unname(unclass(data)[step$within]), group_values, call = call)
  group <- if (length(groups) > 1) group_rows_cpp(groups, nrow(data),
                                                  threads)$of_row else if (length(groups)) groups[[1]]
  rows_at(data, top_rows_cpp(columns, rep_len(step$verb == "top_rows", length(columns)), nrow(data), step$count,
                             step$ties == "keep", group, threads))
}
