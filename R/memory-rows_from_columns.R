#' @export
in_memory.step_rows_from <- function(step, data, call) {
  each <- length(step$labels)
  rows <- nrow(data)
  # From one column after the other to one row after the other.
  turned <- as.vector(matrix(seq_len(rows * each), each, rows, byrow = TRUE))
  repeated <- rep(seq_len(rows), each = each)
  # Columns that are not wanted after it were not brought.
  rest <- lapply(as.list(data)[intersect(step$rest, names(data))], values_in_rows, rows = repeated)
  made <- lapply(step$from[vapply(step$from, function(columns) all(columns %in% names(data)), NA)], function(columns) {
    values_in_rows(put_below(unname(as.list(data)[columns]), columns[1], call, stop_types_of_columns(columns)), turned)
  })
  labels <- stats::setNames(list(rep(step$labels, rows)), step$name)
  columns <- c(rest, labels, made)
  as_table_like(data, columns[intersect(step$columns, names(columns))], .set_row_names(rows * each))
}

stop_types_of_columns <- function(columns) function(parts, k, model, name, call) {
  first <- match(TRUE, vapply(parts, identical, NA, model))
  at <- which(!is.na(parts[[k]]))[1]
  stop_because(c("Columns that become one must be of one type.",
                 "found" = paste0("{.code {columns[first]}} has {values_are(model)}, and {.code {columns[k]}} has ",
                                  "{values_are(parts[[k]])}."),
                 "found" = "The first value there is {.val {as.character(parts[[k]][at])}}, in row {at}.",
                 "try" = "Convert one of them first, for example with {.code as_number()} or {.code as.character()}."),
               "type_mismatch", call, column = columns[k])
}
