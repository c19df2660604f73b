# Rows of columns and of tables, picked by their numbers or by a condition.

# The rows at these places, from 0.
rows_at <- function(data, places) {
  is_plain <- vapply(data, is_moved_as_plain, NA)
  columns <- gather_cpp(as.list(data), is_plain, nrow(data), places, getOption("rowanroot.threads", 0L))
  names(columns) <- names(data)
  if (!all(is_plain) || has_row_names(data)) rows <- places + 1L
  columns[!is_plain] <- lapply(as.list(data)[!is_plain], take_rows, rows = rows)
  as_table_like(data, columns, if (has_row_names(data)) row.names(data)[rows] else .set_row_names(length(places)))
}

# Dates and the like are plain values with a class.
is_moved_as_plain <- function(column) {
  if (value_type(column) != "other") return(TRUE)
  inherits(column, c("Date", "POSIXct", "factor", "difftime", "integer64")) &&
    typeof(column) %in% c("integer", "double") && is.null(dim(column)) && is.null(names(column))
}

take_rows <- function(column, rows) if (length(dim(column)) == 2) column[rows, , drop = FALSE] else column[rows]

rows_where <- function(data, condition) {
  is_plain <- vapply(data, is_moved_as_plain, NA)
  kept <- keep_where_cpp(as.list(data), is_plain, condition, getOption("rowanroot.threads", 0L))
  columns <- stats::setNames(kept$columns, names(data))
  if (!all(is_plain) || has_row_names(data)) rows <- which(condition)
  columns[!is_plain] <- lapply(as.list(data)[!is_plain], take_rows, rows = rows)
  as_table_like(data, columns, if (has_row_names(data)) row.names(data)[rows] else .set_row_names(kept$rows))
}

values_in_rows <- function(column, rows) {
  if (value_type(column) == "other" || length(rows) < 1000) column[rows] else values_at_cpp(column, rows,
      getOption("rowanroot.threads", 0L))
}

# The same of a column that may be a matrix.
column_in_rows <- function(column, rows) {
  if (length(dim(column)) == 2) take_rows(column, rows) else values_in_rows(column, rows)
}

# What each row has of values for the different texts. Texts stay numbers of them until they are used.
at_rows <- function(values, texts) if (is.null(texts$of_row)) values else values_in_rows(values, texts$of_row)

# Row names that are only numbers are none.
has_row_names <- function(data) is.character(.row_names_info(data, 0L))

# A table of the class of `data`, with its attributes, but these columns and row names (NULL: the same).
as_table_like <- function(data, columns, row_names) {
  extra <- attributes(data)
  extra$names <- names(columns)
  if (is.null(row_names)) row_names <- .row_names_info(data, 0L)
  extra$row.names <- row_names
  attributes(columns) <- extra
  columns
}

# The same table with other columns: class, row names and other attributes stay.
with_columns <- function(data, columns) as_table_like(data, columns, NULL)
