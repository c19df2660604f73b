#' @export
in_memory.step_append_rows <- function(step, data, call) {
  tables <- c(list(data), lapply(step$others, `[[`, "values"))
  rows <- vapply(tables, nrow, 0L)
  lacking <- lapply(stats::setNames(nm = step$columns), function(name) {
    which(!vapply(tables, function(table) name %in% names(table), NA) & rows > 0)
  })
  tell_absent(lacking, rows)
  columns <- lapply(step$columns, function(name) {
    parts <- Map(function(table, rows) if (name %in% names(table)) table[[name]] else rep(NA, rows), tables, rows)
    put_below(parts, name, call)
  })
  row_names <- if (has_row_names(data)) make.unique(unlist(lapply(tables, row.names))) else .set_row_names(sum(rows))
  as_table_like(data, stats::setNames(columns, step$columns), row_names)
}

# Which tables, from 1 for the first, have no such column; a line for columns that the same ones lack.
tell_absent <- function(lacking, rows) {
  lacking <- lacking[lengths(lacking) > 0]
  for (at in unique(unname(lacking))) {
    names <- names(lacking)[vapply(lacking, identical, NA, at)]
    tables <- ifelse(at == 1, "the first table", paste("table", at - 1, "to append"))
    note_that(paste0("{listed(names)} {if (length(names) == 1) 'is' else 'are'} absent in ",
                     "{paste(tables, collapse = ' and ')}: missing in {counted_rows(sum(rows[at]))}."), "filled")
  }
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
