#' @export
in_memory.step_append_rows <- function(step, data, call) {
  columns <- lapply(step$columns, function(name) {
    parts <- c(list(data[[name]]), lapply(step$tables, `[[`, name))
    put_below(parts, name, call)
  })
  rows <- nrow(data) + sum(vapply(step$tables, nrow, 0L))
  row_names <- if (has_row_names(data)) make.unique(c(row.names(data),
                                                      unlist(lapply(step$tables,
                                                          row.names)))) else .set_row_names(rows)
  as_table_like(data, stats::setNames(columns, step$columns), row_names)
}

#' @export
in_memory.step_append_columns <- function(step, data, call) {
  rows <- vapply(step$tables, nrow, 0L)
  wrong <- which(rows != nrow(data))
  if (length(wrong)) {
    stop_because(c("Tables side by side must have the same number of rows.",
                   "found" = "The first has {nrow(data)}, table {wrong[1]} to append {rows[wrong[1]]}.",
                   "try" = "To match rows by a key, use {.code look_up()}."), "wrong_length", call)
  }
  columns <- c(unclass(data)[step$columns_before], unlist(lapply(step$tables, as.list), recursive = FALSE))
  with_columns(data, stats::setNames(columns, step$columns))
}
