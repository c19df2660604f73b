# Other tables that a step takes: those that a verb is given, such as the rows to append, and those that formulas look
# things up in.

# Meant as a file's path, a text is opened.
opened_table <- function(x) UseMethod("opened_table")

#' @export
opened_table.default <- function(x) x

# The values of a table as it is now, as a data frame.
values_now <- function(x) if (is_rooted_table(x)) as.data.frame(x) else x

# A table that a verb is given: its `values` as they are now, the `shown` code, and of a rooted table the table itself
# and what its values were made from. Those of a table in a database are only fetched if they are looked at.
new_other_table <- function(x, shown, call) {
  opened <- opened_table(x)
  if (!is_rooted_table(opened)) return(list(values = opened, shown = shown))
  other <- list(shown = shown, table = opened, origin = origin_now(opened, call))
  if (!is_in_database(opened)) return(c(list(values = values_now(opened)), other))
  later <- new.env(parent = emptyenv())
  delayedAssign("values", values_now(opened), assign.env = later)
  c(list(later = later), other)
}

other_values <- function(other) if (is.null(other$values)) other$later$values else other$values

other_columns <- function(other) if (is.null(other$values)) other$origin$columns else names(other$values)

# The same as it is now.
other_table_now <- function(other, call) {
  if (is.null(other$table)) other else new_other_table(other$table, other$shown, call)
}

# The key of a rooted table, or the values of another.
key_of_other <- function(other) if (is.null(other$table)) as.list(other_values(other)) else other$origin$key

# What the line of a step depends on in its other tables. The files that these are made from are left out: a run names
# them by themselves.
line_keys_of <- function(step) {
  lapply(step$others, function(other) {
    if (is.null(other$table)) return(as.list(other_values(other)))
    vapply(rooted(other$table)$steps, key_of_step, "")
  })
}

# The rooted tables among what a step takes, each with what its values were made from when the step was bound.
looked_up_by <- function(step) {
  calls <- unlist(lapply(step_trees(step), find_nodes, is = function(node) !is.null(node$looked_up)), recursive = FALSE)
  c(lapply(calls, `[[`, "looked_up"), Filter(function(other) !is.null(other$table), step$others))
}

# Whether one of them would give other values now.
looks_up_stale <- function(step, call) {
  is_stale <- function(one) !identical(origin_now(one$table, call)$key, one$origin$key)
  any(vapply(looked_up_by(step), is_stale, NA))
}

# The parts of all of them.
looked_up_parts <- function(steps) {
  parts <- lapply(unlist(lapply(steps, looked_up_by), recursive = FALSE), function(one) one$origin$parts)
  if (length(parts)) unique(do.call(rbind, parts))
}
