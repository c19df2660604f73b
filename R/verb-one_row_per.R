#' One row for each group
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param columns Columns whose values group the rows, chosen as shown in [all_columns()]. Missing
#'   values are a group of their own. A formula of columns gets a name in `c()`: `c(apiary, month =
#'   date_part(day, "month"))` makes the column `month`. `NULL` makes one row of the whole table, or
#'   none if that has no rows.
#' @param block Lines in braces, as in [set_columns()]; each gives one value for a group, such as
#'   `mean(net_kg)` or `.rows`. Later lines can use earlier ones. Without a block the result has
#'   only the groups: `one_row_per(x, all_columns())` removes repeated rows.
#' @param ... Must be empty: a formula outside the braces is an error.
#' @return A table of the same class with the columns that make the groups, then those that the
#'   block sets. It has one row for each group, in the order in which the groups first appear.
#' @section Errors: As [set_columns()]; `rowanroot_not_one_value` for a formula that gives a value
#'   for each row; `rowanroot_not_row_wise` for an aggregate such as `sum(m)` of a column `m` that
#'   already has one value for each group; `rowanroot_bad_target` for setting a column that makes
#'   the groups.
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
#' visits |> one_row_per(c(apiary, heavy = net_kg > 20), { visits <- .rows })
#' @concept group by
#' @concept aggregate
#' @concept pivot table
#' @concept summarise
#' @export
one_row_per <- function(x, columns, block, ...) {
  call <- quote(one_row_per())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  check_groups_in_c(names_or_none(as.list(substitute(list(...)))), substitute(list(...)), substitute(columns), call)
  check_nothing_outside(substitute(list(...)), call)
  if (missing(columns)) {
    stop_because(c("No columns to group by are given.",
                   "try" = "{.code one_row_per(x, apiary, {{ mean_kg <- mean(net_kg) }})}"), "bad_choice", call)
  }
  columns <- with_columns_found(substitute(columns), x, parent.frame(), call)
  block <- if (missing(block)) quote({}) else with_columns_found(substitute(block), x, parent.frame(), call)
  apply_step(x, new_step_one_row_per(columns, block, column_names(x), parent.frame(), call), call)
}

# one_row_per(x, month = date_part(day, "month"), { … })
check_groups_in_c <- function(given, outside, columns, call) {
  if (length(given) != 2 || !nzchar(given[2]) || !(is_block(columns) || identical(columns, quote(expr = )))) {
    return(invisible())
  }
  stop_because(c("The columns of the groups go into one {.code c()}.",
                 "try" = "{.code one_row_per(x, c({given[2]} = {one_line(outside[[2]])}), {{ \u2026 }})}"),
               "bad_choice", call)
}

new_step_one_row_per <- function(columns, block, names, env, call, sides = new_side_columns(names)) {
  scope <- list(columns = names, env = env, call = call, sides = sides)
  keys <- choose_columns(with_named_columns(columns, scope), with_sides_of(names, sides), env, call)
  before <- with_sides_of(names, sides)
  if (!length(keys) && (!is.null(columns) || identical(block, quote({})))) {
    stop_because("{.code {one_line(columns)}} chooses no column.", "bad_choice", call)
  }
  statements <- if (identical(block, quote({}))) list() else bind_block(block, before, env, call, formula_scope, keys,
      for_groups = TRUE)
  step <- list(keys = keys, statements = one_value_statements(statements, keys, call),
               typed = list(columns = columns, block = block),
               columns_before = before, env = env)
  set <- as.character(final_targets(statements)$set)
  step$columns <- c(keys, set[!is_scratch(set)])
  with_sides(structure(step, class = c("step_one_row_per", "step_set_columns", "step")), sides, call, character())
}

# Columns that make the groups: `month = date_part(day, "month")` makes one.
with_named_columns <- function(expr, scope) {
  if (!is_call_to(expr, "c")) return(with_named_column(expr, "", scope))
  given <- names_or_none(as.list(expr))
  for (k in seq_along(expr)[-1]) expr[k] <- list(with_named_column(expr[[k]], given[k], scope))
  unname_call(expr)
}

unname_call <- function(expr) as.call(unname(as.list(expr)))

with_named_column <- function(expr, name, scope) {
  if (nzchar(name)) {
    if (name %in% vapply(scope$sides$lines, function(line) as.character(line[[2]]), "")) {
      stop_because("{.code {name}} stands for two columns.", "bad_target", scope$call)
    }
    if (name %in% scope$sides$there) return(as.name(name))
    if (name %in% scope$columns) {
      stop_because(c("The table has a column {.code {name}} already.", "found" = "{.code {name} = {one_line(expr)}}",
                     "try" = "Give the column of the groups another name."), "bad_target", scope$call)
    }
    target_name(as.name(name), expr, scope$env, scope$call)
    return(as.name(scope$sides$set(name, expr)))
  }
  if (is_side_formula(expr, scope)) {
    stop_because(c("The column of {.code {one_line(expr)}} needs a name.",
                   "try" = "{.code one_row_per(x, c(group = {one_line(expr)}), {{ \u2026 }})}"),
                 "bad_choice", scope$call)
  }
  expr
}

# Statements that are marked if only their values can show whether there is one for a group.
one_value_statements <- function(statements, keys, call) {
  of_group <- keys
  for (k in seq_along(statements)) {
    statement <- statements[[k]]
    taken <- intersect(statement$targets, keys)
    if (length(taken)) {
      stop_because(c("{.code {line_text(statement$line)}} sets {.code {taken[1]}}, by which the rows are grouped.",
                     "try" = "Give it another name."),
                   "bad_target", call)
    }
    if (statement$removes) next
    check_aggregates_of_rows(statement, of_group, setdiff(of_group, keys), call)
    found <- !all(is_side(statement$targets)) && values_of_group(statement$node, of_group)
    if (is.na(found)) statements[[k]]$look <- TRUE
    else if (!found && !all(is_scratch(statement$targets))) stop_not_one_value(line_text(statement$line), call)
    statements[[k]]$of_group <- is.na(found) || found
    of_group <- if (statements[[k]]$of_group) union(of_group, statement$targets) else setdiff(of_group,
        statement$targets)
  }
  statements
}

# `sum(m)` of a column `m` that has one value for each group: in R it would be `m`, and of the column of all rows it
# is `m` times these.
check_aggregates_of_rows <- function(statement, of_group, made, call) {
  for (part in whole_parts(statement$node)) {
    columns <- node_columns(part)
    if (!length(columns) || !all(columns %in% of_group) || !any(columns %in% made)) next
    stop_because(c(paste0("{.code {label_of(part)}} is over the rows of a group, and ",
                          "{.code {intersect(columns, made)[1]}} has one value for the group."),
                   "found" = "It is used in {.code {line_text(statement$line)}}.",
                   "try" = paste0("For that value write {.code {intersect(columns, made)[1]}} alone; the number of ",
                                "rows is {.code .rows}.")),
                 "not_row_wise", call, column = intersect(columns, made)[1])
  }
}

#' @export
bind_step.step_one_row_per <- function(step, names, call) {
  sides <- side_columns_again(step, names)
  new_step_one_row_per(step$typed$columns, step$typed$block, sides$names, step$env, call, sides)
}

#' @export
step_needs.step_one_row_per <- function(step, wanted) {
  used <- lapply(step$statements, function(statement) if (!statement$removes) node_columns(statement$node))
  intersect(step$columns_before, c(unlist(used), step$keys))
}

#' @export
step_key.step_one_row_per <- function(step) {
  lines <- vapply(step$statements, statement_key, "")
  paste0("one_row_per(", paste(quoted(step$keys), collapse = ","), "|", paste(lines, collapse = ";"), ")")
}

#' @export
step_lines.step_one_row_per <- function(step) {
  rows <- list(name = "rows", text = paste0("one_row_per(", one_line(step$typed$columns), ")"),
               key = rlang::hash(paste(quoted(step$keys), collapse = ",")))
  c(list(rows), NextMethod())
}

#' @export
goes_by_chunks.step_one_row_per <- function(step, carried = TRUE) FALSE

#' @export
step_carrying.step_one_row_per <- function(step, name) NULL

#' @export
step_lineage.step_one_row_per <- function(step) lapply(step$statements, statement_in_lineage, by = step$keys)

# A row of groups: its aggregates are of many rows before.
#' @export
step_leads.step_one_row_per <- function(step, leads) step$keys

#' @export
step_reason.step_one_row_per <- function(step, column, row, rows) {
  reason_group(step$keys, Find(function(statement) column %in% statement$targets, rev(step$statements)))
}

#' @export
call_in_words.call_one_row_per <- function(call) {
  columns <- call$arguments$columns
  c(if (is.null(columns)) "Make one row of all rows" else paste("Make one row for each", code_text(columns)),
    block_in_words(call$arguments$block))
}

# It may be called without a block.
#' @export
call_lacks.call_one_row_per <- function(call) !"columns" %in% names(call$arguments)

#' @export
step_schema.step_one_row_per <- function(step, schema, call) in_other_rows(NextMethod())
