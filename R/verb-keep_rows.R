#' Keep or drop the rows where a formula holds
#'
#' `keep_rows()` keeps the rows where the condition is true, `drop_rows()` drops them.
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param condition A formula as in [set_columns()] that is true or false for each row. Rows where
#'   it is missing are not kept by `keep_rows()` and not dropped by `drop_rows()`.
#' @param ... Must be empty: there is one condition; join several with `&&`.
#' @param within Columns, or formulas of columns, whose values group the rows, as in
#'   [set_columns()]: aggregates in the condition are then calculated for each group.
#' @return A table with all columns of `x` and the rows that are kept, in their order. Row names
#'   that are only numbers are numbered again.
#' @section Errors: As [set_columns()]; `rowanroot_type_mismatch` if the condition does not give
#'   true or false.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), net_kg = c(25, 22.3, NA))
#' visits |> keep_rows(net_kg > 24)
#' visits |> drop_rows(net_kg < 24)
#'
#' # The best visit of each hive
#' visits <- data.frame(hive = c("NB-01", "NB-01", "SH-01"), net_kg = c(25, 22.3, 14))
#' visits |> keep_rows(net_kg == max(net_kg), within = hive)
#' @concept filter
#' @concept where
#' @concept subset
#' @export
keep_rows <- function(x, condition, ..., within = NULL) {
  call <- quote(keep_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  check_one_condition(substitute(list(...)), call)
  step <- new_step_keep_rows("keep_rows", with_columns_found(substitute(condition), x, parent.frame(), call),
                             substitute(within), column_names(x), parent.frame(), call)
  apply_step(x, step, call)
}

#' @rdname keep_rows
#' @export
drop_rows <- function(x, condition, ..., within = NULL) {
  call <- quote(drop_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  check_one_condition(substitute(list(...)), call)
  step <- new_step_keep_rows("drop_rows", with_columns_found(substitute(condition), x, parent.frame(), call),
                             substitute(within), column_names(x), parent.frame(), call)
  apply_step(x, step, call)
}

check_one_condition <- function(others, call) {
  if (length(others) == 1) return(invisible())
  name <- names(others)[2]
  named <- !is.null(name) && nzchar(name)
  code <- one_line(others[[2]])
  given <- if (named) paste(name, "=", code) else code
  stop_because(c("There must be one condition.",
                 "found" = "There is also {.code {given}}.",
                 "try" = if (named) "To compare write {.code {name} == {code}}."
                       else "Join several with {.code &&} or {.code ||}."),
               "bad_formula", call)
}

new_step_keep_rows <- function(verb, condition, within, names, env, call, sides = new_side_columns(names)) {
  if (identical(condition, quote(expr = ))) {
    stop_because(c("There is no condition.", "try" = "{.code {verb}(x, net_kg > 0)}"), "bad_formula", call)
  }
  if (is_call_to(condition, c("{", "<-"))) {
    stop_because(c("The condition sets a column: {.code {one_line(condition)}}.",
                   "try" = paste0("To compare write {.code a == b}, {.code a < b} and the like; to set columns use ",
                                "{.code set_columns()}.")),
                 "bad_formula", call)
  }
  scope <- formula_scope(names, env, condition, call)
  scope$sides <- sides
  if (!is.null(within)) scope$within <- choose_groups(within, scope)
  node <- bind_formula(condition, scope)
  columns <- with_sides_of(names, sides)
  with_sides(structure(list(verb = verb, node = node, within = scope$within,
                            typed = list(condition = condition, within = within), columns = columns,
                            columns_before = columns, env = env), class = c("step_keep_rows", "step")), sides, call)
}

#' @export
bind_step.step_keep_rows <- function(step, names, call) {
  sides <- side_columns_again(step, names)
  new_step_keep_rows(step$verb, step$typed$condition, step$typed$within, sides$names, step$env, call, sides)
}

#' @export
chooses_rows.step_keep_rows <- function(step) TRUE

#' @export
step_needs.step_keep_rows <- function(step, wanted) union(wanted, c(node_columns(step$node), step$within))

#' @export
step_keys.step_keep_rows <- function(step, keys) {
  from <- keys$columns[c(node_columns(step$node), step$within)]
  keys_in_rows(key_from(key_of_step(step), keys$rows, from), keys$columns)
}

#' @export
step_key.step_keep_rows <- function(step) {
  paste0(step$verb, "(", canonical(step$node), if (length(step$within)) paste0("|",
      paste(quoted(step$within), collapse = ",")), ")")
}

#' @export
step_lines.step_keep_rows <- function(step) {
  within <- if (length(step$within)) paste0(", within = ", one_line(step$typed$within))
  list(list(name = "rows", text = paste0(step$verb, "(", line_text(step$typed$condition), within, ")"),
            key = rlang::hash(step_key(step)),
            values = shown_values(step$node), anew = anew_words(tree_outside(step$node))))
}

#' @export
step_trees.step_keep_rows <- function(step) list(step$node)

#' @export
goes_by_chunks.step_keep_rows <- function(step, carried = TRUE) {
  !length(step$within) && is.null(step$calibration) && goes_by_row(step$node, FALSE, carried)
}

#' @export
step_carrying.step_keep_rows <- function(step, name) carried_after(step, name)

#' @export
step_lineage.step_keep_rows <- function(step) list(list(rows_in_lineage(step, c(node_columns(step$node), step$within))))

#' @export
call_in_words.call_keep_rows <- function(call) {
  paste0("Keep the rows where ", code_text(call$arguments$condition), within_text(call))
}

#' @export
call_in_words.call_drop_rows <- function(call) {
  paste0("Leave out the rows where ", code_text(call$arguments$condition), within_text(call))
}

#' @export
step_schema.step_keep_rows <- function(step, schema, call) {
  check_type_of_condition(step$node, step$typed$condition, schema, call)
  in_other_rows(schema)
}
