#' @export
in_memory.step_rows_from <- function(step, data, call) {
  each <- length(step$labels)
  rows <- nrow(data)
  # Columns that are not wanted after it were not brought.
  rest <- lapply(as.list(data)[intersect(step$rest, names(data))], repeat_rows, each = each)
  made <- lapply(step$from[vapply(step$from, function(columns) all(columns %in% names(data)), NA)], function(columns) {
    row_by_row(unname(as.list(data)[columns]), columns, call)
  })
  labels <- stats::setNames(list(repeated_texts_cpp(step$labels, rows)), step$name)
  columns <- c(rest, labels, made)
  as_table_like(data, columns[intersect(step$columns, names(columns))], .set_row_names(rows * each))
}

# Each value so many times.
repeat_rows <- function(column, each) {
  if (!is_moved_as_plain(column) || is.character(column)) {
    return(column_in_rows(column, rep(seq_len(NROW(column)), each = each)))
  }
  values <- repeat_each_cpp(column, each, getOption("rowanroot.threads", 0L))
  attributes(values) <- attributes(column)
  values
}

# One column of several, one row after the other.
row_by_row <- function(parts, names, call) {
  if (all(vapply(parts, is_moved_as_plain, NA)) && are_alike(parts)) {
    values <- interleave_cpp(parts, getOption("rowanroot.threads", 0L))
    attributes(values) <- attributes(parts[[1]])
    return(values)
  }
  joined <- put_below(parts, names[1], call, stop_types_of_columns(names))
  rows <- length(parts[[1]])
  values_in_rows(joined, as.vector(matrix(seq_along(joined), length(parts), rows, byrow = TRUE)))
}

are_alike <- function(parts) {
  all(vapply(parts[-1], function(part) {
    typeof(part) == typeof(parts[[1]]) && identical(attributes(part), attributes(parts[[1]]))
  }, NA))
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
