# A value of a table in a database whose own row is all that went into it: that row alone is fetched.

# The trace of the column in one row, with `number`, that of the row in the table; NULL where other rows went into it,
# or where the database can't say which row it is.
trace_of_row <- function(x, column, row, where, env, call) {
  x <- current_table(x, call)
  source <- rooted(x)$source
  if (!inherits(source, "database_source") || isFALSE(getOption("rowanroot.in_database"))) return(NULL)
  if (!column %in% column_names(x) || is.null(where) && !is_row_number(row)) return(NULL)
  steps <- rooted(x)$steps
  own <- sliced_steps(steps, column)
  if (is.null(own)) return(NULL)
  relation <- tryCatch(source_relation(source, call), rowanroot_error = function(e) NULL)
  if (is.null(relation)) return(NULL)
  tryCatch({
    base <- with_row_column(relation)
    found <- row_found_there(base, steps, column_names(x), row, where, env, source$connection, call)
    if (is.null(found)) return(NULL)
    trace <- trace_of_fetched(x, base, own, found$.row, call)
    trace$number <- found$.number
    trace
  }, rowanroot_not_in_sql = function(e) NULL, rowanroot_sql_failed = function(e) NULL)
}

# What the steps do for this column, if each row has it of its own values; the choice and the order of rows is left to
# the database.
sliced_steps <- function(steps, column) {
  wanted <- column
  kept <- list()
  for (step in rev(steps)) {
    if (inherits(step, c("step_keep_rows", "step_sort_rows", "step_conditions"))) next
    if (!class(step)[1] %in% c("step_set_columns", "step_columns", "step_rename")) return(NULL)
    step <- sliced(step, wanted)
    if (inherits(step, "step_set_columns") && !is_of_own_row(step)) return(NULL)
    wanted <- step_needs(step, wanted)
    kept <- c(list(step), kept)
  }
  list(steps = kept, columns = wanted)
}

is_of_own_row <- function(step) {
  is.null(step$calibration) && all(vapply(step_trees(step), goes_by_row, NA, grouped = FALSE, carried = FALSE))
}

# The step for these columns alone.
sliced <- function(step, wanted) {
  step$wanted <- wanted
  at <- which(step$columns %in% wanted)
  if (inherits(step, "step_set_columns")) step$statements <- step$statements[used_statements(step)]
  else if (inherits(step, "step_columns")) step$from <- step$from[at]
  step$columns <- step$columns[at]
  step
}

# The relation with the number of each row as a column.
with_row_column <- function(relation) {
  if (!relation$has_key) relation <- with_places(relation)
  place <- fresh_name(relation, "row")
  number <- paste0("row_number()", window_text(list(), relation$order))
  relation <- with_part(relation, c("*", paste(as_integer_sql(number, relation$dialect), "AS", place)))
  relation$columns[[row_column]] <- list(sql = place, type = "integer", nan = FALSE)
  relation$partitions <- NULL
  relation
}

# The row of the table as `.number`, and that of its source which it comes from as `.row`; an error where there is not
# one. NULL where the steps don't all run there.
row_found_there <- function(base, steps, names, row, where, env, connection, call) {
  steps <- Filter(function(step) !inherits(step, "step_conditions"), steps)
  if (is.null(where)) {
    wanted <- character()
    for (k in rev(seq_along(steps))) {
      steps[[k]] <- sliced(steps[[k]], wanted)
      wanted <- step_needs(steps[[k]], wanted)
    }
  }
  carrying <- lapply(steps, step_carrying, name = row_column)
  if (any(lacks(carrying))) return(NULL)
  found <- steps_in_sql(carrying, base)
  if (!is.null(found$reason) || !is.null(found$lacks_order)) return(NULL)
  if (is.null(prepared(found, connection))) return(NULL)
  rows <- rows_there(found$relation, row, where, names, env, connection, call)
  if (nrow(rows) == 1) return(as.list(rows))
  if (nrow(rows) == most_found) return(NULL)
  if (is.null(where)) row_that_is_there(row, count_in_database(found$relation, connection), call)
  stop_not_one_row(where, rows$.number, call)
}

most_found <- 1000

# The rows with this number, or in which the formula holds: so many at most.
rows_there <- function(relation, row, where, names, env, connection, call) {
  number <- fresh_name(relation, "number")
  counted <- paste0("row_number()", window_text(list(), relation$order))
  relation <- with_part(relation, c("*", paste(as_integer_sql(counted, relation$dialect), "AS", number)))
  relation$columns[[".number"]] <- list(sql = number, type = "integer", nan = FALSE)
  relation$hidden <- c(relation$hidden, number)
  if (is.null(where)) relation <- with_part(relation, "*", sprintf("\n  WHERE %s = %.0f", number, row))
  else {
    step <- new_step_keep_rows("keep_rows", where, NULL, names, env, call)
    step$columns <- c(step$columns, row_column, ".number")
    relation <- sql_step(step, relation)
  }
  relation$columns <- relation$columns[c(row_column, ".number")]
  base::names(relation$columns) <- c(".row", ".number")
  first_in_database(relation, connection, most_found)
}

# The trace of one row of the source, with the columns that are needed.
trace_of_fetched <- function(x, base, own, row, call) {
  source <- rooted(x)$source
  key <- key_of_relation(base)
  place <- base$columns[[row_column]]$sql
  relation <- with_part(base, "*", sprintf("\n  WHERE %s = %.0f", place, row))
  relation$columns <- relation$columns[unique(c(own$columns, key))]
  data <- first_in_database(relation, source$connection, 1)
  is_at <- paste0(source_title(source), ", row ", row,
                  if (length(key)) paste0(", ", paste(key, vapply(data[key], value_text, ""), collapse = ", ")))
  trace_of_data(structure(list(place = is_at), class = c("row_source", "source")), own$steps, data, call)
}

# The columns of the primary key that the rows are in the order of; none if they are in another order.
key_of_relation <- function(relation) {
  own <- sub(" (COLLATE .*)?NULLS LAST$", "", relation$order)
  at <- match(own, sql_of(relation$columns))
  if (anyNA(at)) character() else names(relation$columns)[at]
}

#' @export
source_place.row_source <- function(source, row, call) source$place
