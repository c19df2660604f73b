#' Keep or drop the rows where a formula holds
#'
#' `keep_rows()` keeps the rows where the condition is true, `drop_rows()` all others.
#'
#' @param x A data frame, or a live table from [open_table()].
#' @param condition A formula as in [set_columns()] that is true or false for each row. Rows where it is
#'   missing are neither kept by the one nor dropped by the other.
#' @param ... Nothing: there is one condition; several are joined with `&&`.
#' @param within Columns by whose values the rows are grouped, as in [set_columns()]: aggregates in the condition are then of
#'   the group.
#' @return A table with all columns of `x` and these rows, in their order. Row names that are only numbers are counted
#'   anew.
#' @section Errors:
#' As [set_columns()]; `rowanroot_type_mismatch` if the condition is neither true nor false.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), net_kg = c(25, 22.3, NA))
#' visits |> keep_rows(net_kg > 24)
#' visits |> drop_rows(net_kg < 24)
#'
#' # The best visit of each hive
#' visits <- data.frame(hive = c("NB-01", "NB-01", "SH-01"), net_kg = c(25, 22.3, 14))
#' visits |> keep_rows(net_kg == max(net_kg), within = hive)
#' @export
keep_rows <- function(x, condition, ..., within = NULL) {
  call <- quote(keep_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  check_one_condition(substitute(list(...)), call)
  apply_step(x, new_step_keep_rows("keep_rows", substitute(condition), substitute(within), column_names(x), parent.frame(), call), call)
}

#' @rdname keep_rows
#' @export
drop_rows <- function(x, condition, ..., within = NULL) {
  call <- quote(drop_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  check_one_condition(substitute(list(...)), call)
  apply_step(x, new_step_keep_rows("drop_rows", substitute(condition), substitute(within), column_names(x), parent.frame(), call), call)
}

check_one_condition <- function(others, call) {
  if (length(others) == 1) return(invisible())
  name <- names(others)[2]
  named <- !is.null(name) && nzchar(name)
  code <- one_line(others[[2]])
  given <- if (named) paste(name, "=", code) else code
  stop_because(c("There must be one condition.",
                 "x" = "Besides it there is {.code {given}}.",
                 "i" = if (named) "To compare write {.code {name} == {code}}."
                       else "Join several with {.code &&} or {.code ||}."),
               "bad_formula", call)
}

new_step_keep_rows <- function(verb, condition, within, names, env, call) {
  if (identical(condition, quote(expr = ))) {
    stop_because(c("There is no condition.", "i" = "Write {.code {verb}(x, net_kg > 0)}."), "bad_formula", call)
  }
  if (is_call_to(condition, c("{", "<-"))) {
    stop_because(c("The condition sets a column: {.code {one_line(condition)}}.",
                   "i" = "To compare write {.code a == b}, {.code a < b} and the like; to set columns use {.code set_columns()}."),
                 "bad_formula", call)
  }
  groups <- if (!is.null(within)) choose_columns(within, names, env, call)
  scope <- formula_scope(names, env, condition, call)
  scope$within <- groups
  structure(list(verb = verb, node = bind_formula(condition, scope), within = groups,
                 typed = list(condition = condition, within = within), columns = names, columns_before = names, env = env),
            class = c("step_keep_rows", "step"))
}

#' @export
bind_step.step_keep_rows <- function(step, names, call) {
  new_step_keep_rows(step$verb, step$typed$condition, step$typed$within, names, step$env, call)
}

#' @export
run_step.step_keep_rows <- function(step, data, call) {
  condition <- true_or_false(step, data, call)
  rows_where(data, if (step$verb == "keep_rows") condition else !condition | is.na(condition))
}

#' @export
step_needs.step_keep_rows <- function(step, wanted) union(wanted, c(node_columns(step$node), step$within))

#' @export
step_keys.step_keep_rows <- function(step, keys) {
  from <- keys$columns[c(node_columns(step$node), step$within)]
  keys_in_rows(key_from(key_of_step(step), keys$rows, from), keys$columns)
}

true_or_false <- function(step, data, call) {
  run <- new_run(data, nrow(data), call, step$env)
  run$within <- unlist(run$columns[step$within])
  run$within_names <- step$within
  run$calibration <- step$calibration
  run$lots <- step$lots
  start_line(run, step$typed$condition)
  condition <- type_condition(new_condition(step$node, step$typed$condition), run, as_row_condition = TRUE)
  values <- node_values(list(condition), run)[[1]]
  if (length(values) == run$rows) values else rep_len(values, run$rows)
}

rows_where <- function(data, condition) {
  is_plain <- vapply(data, is_moved_as_plain, NA)
  kept <- keep_where_cpp(as.list(data), is_plain, condition, getOption("rowanroot.threads", 0L))
  columns <- with_old_attributes(kept$columns, data, is_plain)
  if (!all(is_plain) || has_row_names(data)) rows <- which(condition)
  columns[!is_plain] <- lapply(as.list(data)[!is_plain], take_rows, rows = rows)
  as_table_like(data, columns, if (has_row_names(data)) row.names(data)[rows] else .set_row_names(kept$rows))
}

#' @export
step_key.step_keep_rows <- function(step) {
  paste0(step$verb, "(", canonical(step$node), if (length(step$within)) paste0("|", paste(quoted(step$within), collapse = ",")), ")")
}

#' @export
step_lines.step_keep_rows <- function(step) {
  within <- if (length(step$within)) paste0(", within = ", one_line(step$typed$within))
  list(list(name = "rows", text = paste0(step$verb, "(", line_text(step$typed$condition), within, ")"), key = rlang::hash(step_key(step)),
            values = shown_values(step$node), anew = anew_words(tree_outside(step$node))))
}
