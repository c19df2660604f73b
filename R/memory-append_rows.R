#' @export
in_memory.step_append_rows <- function(step, data, call) {
  tables <- c(list(data), lapply(step$others, `[[`, "values"))
  rows <- vapply(tables, nrow, 0L)
  columns <- lapply(step$columns, function(name) {
    lacks <- !vapply(tables, function(table) name %in% names(table), NA)
    parts <- Map(function(table, rows) if (name %in% names(table)) table[[name]] else rep(NA, rows), tables, rows)
    if (any(lacks & rows > 0)) tell_absent(name, which(lacks & rows > 0), rows, call)
    put_below(parts, name, call)
  })
  row_names <- if (has_row_names(data)) make.unique(unlist(lapply(tables, row.names))) else .set_row_names(sum(rows))
  as_table_like(data, stats::setNames(columns, step$columns), row_names)
}

# Which tables have no such column, from 1 for the first.
tell_absent <- function(name, lacking, rows, call) {
  which <- ifelse(lacking == 1, "the first table", paste("table", lacking - 1, "to append"))
  note_that(paste0("{.code {name}} is absent in {paste(which, collapse = ' and ')}: missing in ",
                   "{counted_rows(sum(rows[lacking]))}."), "filled")
}

#' @export
in_memory.step_append_columns <- function(step, data, call) {
  rows <- vapply(step$others, function(other) nrow(other$values), 0L)
  wrong <- which(rows != nrow(data))
  if (length(wrong)) {
    stop_because(c("Tables side by side must have the same number of rows.",
                   "found" = "The first has {nrow(data)}, table {wrong[1]} to append {rows[wrong[1]]}.",
                   "try" = "To match rows by a key, use {.code join_rows()}."), "wrong_length", call)
  }
  columns <- c(unclass(data)[step$columns_before], unlist(lapply(step$others, function(other) as.list(other$values)),
                                                          recursive = FALSE))
  with_columns(data, stats::setNames(columns, step$columns))
}
