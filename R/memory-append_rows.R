#' @export
in_memory.step_append_rows <- function(step, data, call) {
  tables <- c(list(data), lapply(step$others, other_values))
  places <- function(at) paste(ifelse(at == 1, "the first table", paste("table", at - 1, "to append")),
                               collapse = " and ")
  columns <- tables_below(tables, step$columns, places, function(parts, name) put_below(parts, name, call))
  rows <- sum(vapply(tables, nrow, 0L))
  row_names <- if (has_row_names(data)) make.unique(unlist(lapply(tables, row.names))) else .set_row_names(rows)
  as_table_like(data, columns, row_names)
}

#' @export
in_memory.step_append_columns <- function(step, data, call) {
  rows <- vapply(step$others, function(other) nrow(other_values(other)), 0L)
  wrong <- which(rows != nrow(data))
  if (length(wrong)) {
    stop_because(c("Tables side by side must have the same number of rows.",
                   "found" = "The first has {nrow(data)}, table {wrong[1]} to append {rows[wrong[1]]}.",
                   "try" = "To match rows by a key, use {.code join_rows()}."), "wrong_length", call)
  }
  theirs <- lapply(step$others, function(other) as.list(other_values(other)))
  columns <- c(unclass(data)[step$columns_before], unlist(theirs, recursive = FALSE))
  with_columns(data, stats::setNames(columns, step$columns))
}
