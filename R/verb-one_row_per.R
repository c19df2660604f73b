#' One row for each group
#'
#' @param x A data frame, or a live table from [open_table()].
#' @param columns Columns by whose values the rows are grouped, as [all_columns()] says: missing values are a group of their own.
#' @param block Lines in braces, as in [set_columns()]; each gives one value for a group, such as `mean(net_kg)` or `.rows`. Later
#'   lines can use earlier ones. Without a block there are only the groups: `one_row_per(x, all_columns())` has the different
#'   rows.
#' @param ... Nothing: a formula outside the braces is an error.
#' @return A table of the class of `x` with the columns that make the groups and those that the block sets, a row for each group, in
#'   the order in which groups first come.
#' @section Errors:
#' As [set_columns()]; `rowanroot_not_one_value` for a formula that has a value for each row; `rowanroot_not_row_wise` for `sum(m)` of a
#' column `m` that has one value for the group; `rowanroot_bad_target` to set a
#' column that makes the groups.
#' @examples
#' visits <- data.frame(
#'   apiary = c("NB", "NB", "SH"), keeper = c("Ada", "Jo", "Ada"), net_kg = c(25, 22.3, 14)
#' )
#' visits |> one_row_per(apiary, {
#'   visits  <- .rows
#'   mean_kg <- mean(net_kg)
#'   above   <- max(net_kg) - mean_kg
#' })
#' visits |> one_row_per(c(apiary, keeper))
#' @export
one_row_per <- function(x, columns, block, ...) {
  call <- quote(one_row_per())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  check_nothing_outside(substitute(list(...)), call)
  if (missing(columns)) stop_because(c("There are no columns to group by.", "i" = "Write {.code one_row_per(x, apiary, {{ mean_kg <- mean(net_kg) }})}."), "bad_choice", call)
  columns <- with_columns_found(substitute(columns), x, parent.frame(), call)
  block <- if (missing(block)) quote({}) else substitute(block)
  apply_step(x, new_step_one_row_per(columns, block, column_names(x), parent.frame(), call), call)
}

new_step_one_row_per <- function(columns, block, names, env, call) {
  keys <- choose_columns(columns, names, env, call)
  if (!length(keys)) stop_because("{.code {one_line(columns)}} chooses no column.", "bad_choice", call)
  statements <- if (identical(block, quote({}))) list() else bind_block(block, names, env, call, formula_scope, keys, for_groups = TRUE)
  step <- list(keys = keys, statements = one_value_statements(statements, keys, call), typed = list(columns = columns, block = block),
               columns_before = names, env = env)
  set <- as.character(final_targets(statements)$set)
  step$columns <- c(keys, set[!is_scratch(set)])
  structure(step, class = c("step_one_row_per", "step_set_columns", "step"))
}

# Statements that are marked if only their values can say whether there is one for a group.
one_value_statements <- function(statements, keys, call) {
  of_group <- keys
  for (k in seq_along(statements)) {
    statement <- statements[[k]]
    taken <- intersect(statement$targets, keys)
    if (length(taken)) {
      stop_because(c("{.code {line_text(statement$line)}} sets {.code {taken[1]}}, by which the rows are grouped.", "i" = "Give it another name."),
                   "bad_target", call)
    }
    if (statement$removes) next
    check_aggregates_of_rows(statement, of_group, setdiff(of_group, keys), call)
    found <- values_of_group(statement$node, of_group)
    if (is.na(found)) statements[[k]]$look <- TRUE
    else if (!found && !all(is_scratch(statement$targets))) stop_not_one_value(line_text(statement$line), call)
    statements[[k]]$of_group <- is.na(found) || found
    of_group <- if (statements[[k]]$of_group) union(of_group, statement$targets) else setdiff(of_group, statement$targets)
  }
  statements
}

# Whether a tree has one value for each group: NA if only its values can say so.
values_of_group <- function(node, of_group) {
  fold_node(node, function(node, children) {
    of_all <- all(unlist(children))
    switch(node$kind,
      value = TRUE,
      column = node$name %in% of_group,
      rows = node$name == ".rows",
      aggregate = is.null(node$within) || all(node$within %in% of_group),
      word = , choose = , several = of_all,
      r_call = if (goes_by_value(node$word, node$arguments) && isTRUE(of_all)) TRUE else NA,
      r_code = NA,
      FALSE
    )
  })
}

# `sum(m)` of a column `m` that has one value for each group: in R it would be `m`, and of the column of all rows it is `m` times these.
check_aggregates_of_rows <- function(statement, of_group, made, call) {
  for (part in whole_parts(statement$node)) {
    columns <- node_columns(part)
    if (!length(columns) || !all(columns %in% of_group) || !any(columns %in% made)) next
    stop_because(c("{.code {label_of(part)}} is over the rows of a group, and {.code {intersect(columns, made)[1]}} has one value for the group.",
                   "x" = "It is used in {.code {line_text(statement$line)}}.",
                   "i" = "For that value write {.code {intersect(columns, made)[1]}} alone; the number of rows is {.code .rows}."),
                 "not_row_wise", call, column = intersect(columns, made)[1])
  }
}

# The parts of a tree that are given whole columns.
whole_parts <- function(node) {
  find_nodes(node, function(node) {
    node$kind == "aggregate" || node$kind == "r_call" && !goes_by_value(node$word, node$arguments)
  })
}

stop_not_one_value <- function(formula, call) {
  stop_because(c("{.code {formula}} has a value for each row, not one for each group.",
                 "i" = "Take one of them, as by {.code mean()}, {.code max()} or {.code first_value()}; a name that begins with a dot is for what is only used on the way."),
               "not_one_value", call)
}

#' @export
bind_step.step_one_row_per <- function(step, names, call) new_step_one_row_per(step$typed$columns, step$typed$block, names, step$env, call)

# Two runs go side by side: one of all rows, which aggregates are made from, and one that has a row for each group. What is
# made only of aggregates and of columns of the groups is calculated there.
#' @export
run_step.step_one_row_per <- function(step, data, call) {
  run <- new_run(data, nrow(data), call, step$env)
  run$for_groups <- TRUE
  run$within <- unlist(run$columns[step$keys])
  groups <- run_groups(run)
  first <- first_rows_cpp(groups$of_row, length(groups$sizes))
  of_groups <- new_run(lapply(unclass(data)[step$keys], take_rows, rows = first), length(first), call, step$env)
  of_groups$for_groups <- TRUE
  only_there <- character()
  for (statement in step$statements) {
    targets <- statement$targets
    start_line(run, statement$line)
    run$shared <- list()
    there <- !statement$removes && is_for_groups(statement$node, names(of_groups$columns))
    needed <- if (!statement$removes) intersect(if (there) columns_in_aggregates(statement$node) else node_columns(statement$node), only_there)
    for (name in needed) run$columns[[name]] <- new_slot(run, values_in_rows(run_results(of_groups, name)[[1]], groups$of_row + 1L))$id
    only_there <- setdiff(only_there, needed)
    if (there) {
      statement$node <- with_aggregates(statement$node, function(node) new_slot(of_groups, aggregate_for_groups(node, groups, first, run)), groups$sizes)
      run_statement(of_groups, statement)
      only_there <- union(only_there, targets)
      next
    }
    run_statement(run, statement)
    only_there <- setdiff(only_there, targets)
    of_groups$columns[targets] <- NULL
    if (isTRUE(statement$look)) check_one_value(run_results(run, targets), groups, first, line_text(statement$line), call)
    if (isTRUE(statement$of_group)) {
      of_groups$columns[targets] <- lapply(run_results(run, targets), function(column) new_slot(of_groups, take_rows(column, first))$id)
    }
  }
  as_table_like(data, run_results(of_groups, step$columns), .set_row_names(length(first)))
}

#' @export
step_needs.step_one_row_per <- function(step, wanted) {
  used <- lapply(step$statements, function(statement) if (!statement$removes) node_columns(statement$node))
  intersect(step$columns_before, c(unlist(used), step$keys))
}

# Whether a tree has only aggregates of the groups, and columns that these have.
is_for_groups <- function(node, columns) {
  fold_node(node, function(node, children) {
    of_all <- all(unlist(children))
    switch(node$kind,
      value = is_one_value(node),
      column = node$name %in% columns,
      rows = node$name == ".rows",
      aggregate = is.null(node$within),
      word = , choose = , several = of_all,
      r_call = is.null(node$within) && goes_by_value(node$word, node$arguments) && of_all,
      FALSE
    )
  })
}

columns_in_aggregates <- function(node) {
  unique(unlist(lapply(find_nodes(node, function(node) node$kind == "aggregate"), function(one) node_columns(one$argument))))
}

# The tree with the values of its aggregates in their place: for each group one.
with_aggregates <- function(node, value_of, sizes) {
  map_node(node, function(node) {
    switch(node$kind, aggregate = new_found(value_of(node), node$shown), rows = new_value(sizes, node$shown), node)
  }, stop_at = function(node) node$kind == "aggregate")
}

check_one_value <- function(columns, groups, first, formula, call) {
  for (column in columns) {
    if (!identical(unname(take_rows(column, first[groups$of_row + 1L])), unname(column))) stop_not_one_value(formula, call)
  }
}

#' @export
step_key.step_one_row_per <- function(step) {
  lines <- vapply(step$statements, statement_key, "")
  paste0("one_row_per(", paste(quoted(step$keys), collapse = ","), "|", paste(lines, collapse = ";"), ")")
}

#' @export
step_lines.step_one_row_per <- function(step) {
  rows <- list(name = "rows", text = paste0("one_row_per(", one_line(step$typed$columns), ")"), key = rlang::hash(paste(quoted(step$keys), collapse = ",")))
  c(list(rows), NextMethod())
}
