# What only goes out with rows that are chosen waits until they are: columns are calculated for these rows alone
# (tree-late.R), and those of the source are read for these rows alone, if they can be had by rows.

# The row of the source, from 1, that a row of the table comes from.
row_column <- ".rowanroot row"

# Smaller tables are calculated as quickly as it is found out what could wait.
least_waiting <- function() getOption("rowanroot.wait_from", 10e6)

is_worth_waiting <- function(x) isTRUE(source_bytes(rooted(x)$source) >= least_waiting())

# Of each step whether its columns can wait: not if the table that it gives is still there, as others may go on from it.
# Only R's collector knows that.
can_wait <- function(x) {
  steps <- rooted(x)$steps
  waits <- vapply(seq_along(steps), function(k) {
    k < length(steps) && class(steps[[k]])[1] == "step_set_columns" && is.null(steps[[k]]$calibration) &&
      chooses_rows(steps[[k + 1]])
  }, NA)
  if (!any(waits) || !is_worth_waiting(x)) return(logical(length(steps)))
  are_there <- function() any(vapply(rooted(x)$earlier[which(waits)], function(one) !is.null(rlang::wref_key(one)), NA))
  # What was made last is mostly found without a look at all that R has.
  if (are_there()) gc(full = FALSE)
  if (are_there()) gc(full = TRUE)
  waits
}

# For a plan from the source on: which `columns` are read late, once the step `at` this place has chosen rows, the
# others in `early`, and the `schema` of all. NULL where nothing is read late.
late_reading <- function(x, plan, call) {
  steps <- plan$steps
  at <- if (plan$first || !length(steps)) 0 else if (chooses_rows(steps[[1]])) 1 else 2 * plan$waits[1]
  if (!at || !is_worth_waiting(x)) return(NULL)
  columns <- source_columns_of(x, plan$of_source, call)
  by_rows <- source_by_rows(rooted(x)$source, columns, call)
  if (is.null(by_rows)) return(NULL)
  schema <- schema_of(by_rows$like)
  schema$rows <- by_rows$rows
  by <- step_needs(steps[[at]], character())
  if (at == 2) {
    halves <- early_and_late(steps[[1]], by, schema, call)
    by <- used_or_set(if (is.null(halves)) steps[[1]] else halves$early, by)
  }
  late <- setdiff(columns, by)
  if (length(late)) list(at = at, columns = late, early = intersect(columns, by), schema = schema, read = by_rows$read)
}

# The columns that a step's statements use or set, and these.
used_or_set <- function(step, by) {
  from <- lapply(step$statements, function(one) c(one$targets, if (!one$removes) node_columns(one$node)))
  unique(c(by, unlist(from), step$within, step$along$names))
}

# The columns that are read early, with the number of each row.
with_row_numbers <- function(data) {
  with_columns(data, c(unclass(data), stats::setNames(list(seq_len(nrow(data))), row_column)))
}

has_row_numbers <- function(data) row_column %in% names(data)

# Reads the late columns for the rows that there are.
with_late_columns <- function(data, late, read_all) {
  rows <- data[[row_column]]
  data <- with_columns(data, unclass(data)[setdiff(names(data), row_column)])
  values <- if (length(rows) * 8 < late$schema$rows) late$read(late$columns, rows)
  if (is.null(values)) values <- unclass(rows_at(read_all(late$columns), rows - 1L))
  with_columns(data, c(unclass(data), values[late$columns]))
}
