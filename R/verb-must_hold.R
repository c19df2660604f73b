#' Check that conditions hold
#'
#' `must_hold()` stops with an error if a condition does not hold in every row, `should_hold()`
#' warns. All conditions are checked; the message gives the number of rows that break each, and the
#' first of them. A condition may also be about the whole table, such as `sum(share) == 1`.
#'
#' A check is a step of the table: when [run_script()] runs a script, an output whose table fails a
#' check is not written, and the old file stays.
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... Formulas as in [set_columns()] that are true or false, preferably with names that
#'   describe what must be true. A condition that is missing does not hold.
#' @param within Columns, or formulas of columns, whose values group the rows, as in
#'   [set_columns()].
#' @return `x`, invisibly.
#' @section Errors: `rowanroot_broken_condition`, also the class of the warning; its field `broken`
#'   is a data frame with the name and formula of each broken condition, the number of rows that
#'   break it, and the first of these. Otherwise as [set_columns()].
#' @seealso [known()] and other conditions for checks.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), net_kg = c(25, 22.3, -14))
#' visits |> must_hold("every hive is named" = known(hive), "hives come once" = only_once(hive))
#' try(visits |> must_hold("net weight is positive" = net_kg > 0))
#' @concept validation
#' @concept assertion
#' @export
must_hold <- function(x, ..., within = NULL) {
  call <- quote(must_hold())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  conditions <- as.list(with_columns_found(substitute(list(...)), x, parent.frame(), call))[-1]
  step <- new_step_conditions("must_hold", conditions, substitute(within), column_names(x), parent.frame(), call)
  invisible(apply_step(x, step, call))
}

#' @rdname must_hold
#' @export
should_hold <- function(x, ..., within = NULL) {
  call <- quote(should_hold())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  conditions <- as.list(with_columns_found(substitute(list(...)), x, parent.frame(), call))[-1]
  step <- new_step_conditions("should_hold", conditions, substitute(within), column_names(x), parent.frame(), call)
  invisible(apply_step(x, step, call))
}

new_step_conditions <- function(verb, typed, within, names, env, call, sides = new_side_columns(names)) {
  if (!length(typed)) {
    stop_because(c("There is no condition.",
                   "try" = "{.code {verb}(x, \"net weight is positive\" = net_kg > 0)}"), "bad_formula", call)
  }
  groups <- if (!is.null(within)) choose_groups(within, list(columns = names, env = env, call = call, sides = sides))
  nodes <- lapply(unname(typed), function(condition) {
    scope <- formula_scope(names, env, condition, call)
    scope[c("within", "sides")] <- list(groups, sides)
    bind_formula(condition, scope)
  })
  columns <- with_sides_of(names, sides)
  with_sides(structure(list(verb = verb, nodes = nodes, titles = condition_titles(typed), within = groups,
                            typed = list(conditions = typed, within = within), columns = columns,
                            columns_before = columns, env = env), class = c("step_conditions", "step")), sides, call)
}

condition_titles <- function(typed) {
  titles <- vapply(typed, one_line, "")
  given <- names(typed)
  if (!is.null(given)) titles[nzchar(given)] <- given[nzchar(given)]
  unname(titles)
}

#' @export
bind_step.step_conditions <- function(step, names, call) {
  sides <- side_columns_again(step, names)
  new_step_conditions(step$verb, step$typed$conditions, step$typed$within, sides$names, step$env, call, sides)
}

#' @export
step_needs.step_conditions <- function(step, wanted) {
  union(wanted, c(unlist(lapply(step$nodes, node_columns)), step$within))
}

#' @export
step_keys.step_conditions <- function(step, keys) keys

#' @export
step_key.step_conditions <- function(step) {
  paste0(step$verb, "(", paste(vapply(step$nodes, canonical, ""), quoted(step$titles), collapse = ";"), "|",
         paste(quoted(step$within), collapse = ","), ")")
}

#' @export
step_carrying.step_conditions <- function(step, name) carried_after(step, name)

#' @export
step_lines.step_conditions <- function(step) {
  lapply(seq_along(step$nodes), function(k) {
    formula <- line_text(step$typed$conditions[[k]])
    title <- if (step$titles[k] != one_line(step$typed$conditions[[k]])) paste(quoted(step$titles[k]), "= ")
    list(name = step$titles[k], text = paste0(step$verb, "(", title, formula, ")"),
         key = rlang::hash(paste(step$verb, canonical(step$nodes[[k]]))),
         values = shown_values(step$nodes[[k]]), anew = anew_words(tree_outside(step$nodes[[k]])))
  })
}

#' @export
step_trees.step_conditions <- function(step) step$nodes

# Checks leave rows and columns as they are.
#' @export
step_reason.step_conditions <- function(step, column, row, rows) reason_same(column, row)

#' @export
step_lineage.step_conditions <- function(step) {
  list(Map(function(line, node) rows_in_lineage(step, node_columns(node), line), step_lines(step), step$nodes))
}

#' @export
step_checks.step_conditions <- function(step) {
  Map(function(title, condition) list(title = title, formula = one_line(condition, 200L)), step$titles,
      unname(step$typed$conditions))
}

#' @export
call_in_words.call_must_hold <- function(call) conditions_in_words("Check that", call)

#' @export
call_in_words.call_should_hold <- function(call) conditions_in_words("Warn unless", call)

conditions_in_words <- function(begin, call) {
  conditions <- free_arguments(call)
  named <- nzchar(names_or_none(conditions))
  titles <- ifelse(named, paste0(names_or_none(conditions), ": "), "")
  paste0(begin, " ", titles, vapply(unname(conditions), code_text, ""), within_text(call))
}

#' @export
step_schema.step_conditions <- function(step, schema, call) {
  for (k in seq_along(step$nodes)) check_type_of_condition(step$nodes[[k]], step$typed$conditions[[k]], schema, call)
  schema
}
