# Two blocks go side by side: one of all rows, which aggregates are made from, and one that has a row for each group.
# What is made only of aggregates and of columns of the groups is calculated there.

#' @export
in_memory.step_one_row_per <- function(step, data, call) {
  sides <- new_sides(step, data, call)
  for (statement in type_block(step$statements, schema_of(data), call)$statements) {
    start_line(sides$rows, statement$line)
    sides$rows$shared <- list()
    there <- !statement$removes && is_for_groups(statement$node, names(sides$of_groups$columns))
    if (there) set_for_groups(statement, sides) else set_for_rows(statement, sides, call)
  }
  as_table_like(data, block_results(sides$of_groups, step$columns), .set_row_names(length(sides$first)))
}

# The block of all `rows` and that of groups, with their `first` rows and `sizes`. `only_there` are names whose column
# is only with the groups.
new_sides <- function(step, data, call) {
  rows <- new_block(data, nrow(data), call, step$env)
  rows$for_groups <- TRUE
  rows$within <- unlist(rows$columns[step$keys])
  sides <- list2env(list(rows = rows, only_there = character()))
  number_sides(sides, call)
  count <- length(sides$first)
  sides$of_groups <- new_block(key_values(unclass(data)[step$keys], sides$first), count, call, step$env)
  sides$of_groups$for_groups <- TRUE
  sides
}

# Groups of which some may have no rows are put in the order of their first rows at the end: `place` is the number of
# each.
number_sides <- function(sides, call) {
  rows <- sides$rows
  groups <- if (length(rows$within)) block_numbered_groups(rows) else groups_by_columns(list(), rows$rows, call)
  if (is.null(groups$sizes)) {
    sides$numbered <- groups
    list2env(present_groups_cpp(groups$of_row, groups$count, getOption("rowanroot.threads", 0L)), sides)
  } else {
    sides$groups <- groups
    sides$sizes <- groups$sizes
    sides$first <- group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)
  }
}

groups_of_rows <- function(sides) {
  if (is.null(sides$groups)) sides$groups <- block_groups(sides$rows)
  sides$groups
}

# The columns of the groups in their first rows.
key_values <- function(columns, first) {
  if (!length(columns)) return(columns)
  data <- structure(columns, row.names = .set_row_names(length(columns[[1]])), class = "data.frame")
  unclass(rows_at(data, first - 1L))[names(columns)]
}

set_for_groups <- function(statement, sides) {
  give_to_rows(columns_in_aggregates(statement$node), sides)
  value_of <- function(node) new_slot(sides$of_groups, aggregate_for_groups(node, sides))
  statement$node <- with_aggregates(statement$node, value_of, sides$sizes)
  add_statement(sides$of_groups, statement)
  sides$only_there <- union(sides$only_there, statement$targets)
}

set_for_rows <- function(statement, sides, call) {
  targets <- statement$targets
  if (!statement$removes) give_to_rows(node_columns(statement$node), sides)
  add_statement(sides$rows, statement)
  sides$only_there <- setdiff(sides$only_there, targets)
  sides$of_groups$columns[targets] <- NULL
  if (isTRUE(statement$look)) {
    check_one_value(block_results(sides$rows, targets), sides, line_text(statement$line), call)
  }
  if (!isTRUE(statement$of_group)) return(invisible())
  first_of <- function(column) new_slot(sides$of_groups, take_rows(column, sides$first))$id
  sides$of_groups$columns[targets] <- lapply(block_results(sides$rows, targets), first_of)
}

# Columns that only the groups have, as columns of all rows.
give_to_rows <- function(names, sides) {
  for (name in intersect(names, sides$only_there)) {
    values <- block_results(sides$of_groups, name)[[1]]
    sides$rows$columns[[name]] <- new_slot(sides$rows, values_in_rows(values, groups_of_rows(sides)$of_row + 1L))$id
  }
  sides$only_there <- setdiff(sides$only_there, names)
}

check_one_value <- function(columns, sides, formula, call) {
  first_of_row <- sides$first[groups_of_rows(sides)$of_row + 1L]
  for (column in columns) {
    if (!identical(unname(take_rows(column, first_of_row)), unname(column))) {
      stop_not_one_value(formula, call)
    }
  }
}
