# Two runs go side by side: one of all rows, which aggregates are made from, and one that has a row for each group.
# What is made only of aggregates and of columns of the groups is calculated there.
#' @export
in_memory.step_one_row_per <- function(step, data, call) {
  run <- new_run(data, nrow(data), call, step$env)
  run$for_groups <- TRUE
  run$within <- unlist(run$columns[step$keys])
  groups <- run_groups(run)
  first <- first_rows_cpp(groups$of_row, length(groups$sizes))
  of_groups <- new_run(lapply(unclass(data)[step$keys], take_rows, rows = first), length(first), call, step$env)
  of_groups$for_groups <- TRUE
  only_there <- character()
  for (statement in type_block(step$statements, schema_of(data), call)$statements) {
    targets <- statement$targets
    start_line(run, statement$line)
    run$shared <- list()
    there <- !statement$removes && is_for_groups(statement$node, names(of_groups$columns))
    needed <- if (!statement$removes) intersect(if (there) columns_in_aggregates(statement$node)
      else node_columns(statement$node), only_there)
    for (name in needed) {
      run$columns[[name]] <- new_slot(run, values_in_rows(run_results(of_groups, name)[[1]], groups$of_row + 1L))$id
    }
    only_there <- setdiff(only_there, needed)
    if (there) {
      statement$node <- with_aggregates(statement$node,
                                        function(node) new_slot(of_groups,
                                                                aggregate_for_groups(node, groups, first, run)),
                                        groups$sizes)
      run_statement(of_groups, statement)
      only_there <- union(only_there, targets)
      next
    }
    run_statement(run, statement)
    only_there <- setdiff(only_there, targets)
    of_groups$columns[targets] <- NULL
    if (isTRUE(statement$look)) {
      check_one_value(run_results(run, targets), groups, first, line_text(statement$line), call)
    }
    if (isTRUE(statement$of_group)) {
      of_groups$columns[targets] <- lapply(run_results(run, targets),
                                           function(column) new_slot(of_groups, take_rows(column, first))$id)
    }
  }
  as_table_like(data, run_results(of_groups, step$columns), .set_row_names(length(first)))
}

check_one_value <- function(columns, groups, first, formula, call) {
  for (column in columns) {
    if (!identical(unname(take_rows(column, first[groups$of_row + 1L])), unname(column))) {
      stop_not_one_value(formula, call)
    }
  }
}
