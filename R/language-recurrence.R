# running(.above * 0.99 + net_kg, start = 0): a formula that uses its own value in the row above.

words_of_recurrence <- function() list(language_word("running", "recurrence", draw = "running",
                                                     bind_targets = bind_recurrence_of_several))

bind_word.word_recurrence <- function(word, arguments, expr, scope) {
  if (!is.null(scope$in_function)) give_up()
  given <- word_given(word$fun, expr, scope)
  check_names_above(given$formula, scope)
  inner <- scope
  inner$locals[[".above"]] <- new_above(1)
  new_recurrence(list(bind_formula(given$formula, inner)), list(bind_start(given$start, scope)), expr, scope$env,
                 given_groups(given, scope), given_order(given, scope))
}

check_names_above <- function(formula, scope) {
  if (!is.null(formula) && ".above" %in% all.vars(formula)) return(invisible())
  stop_because(c("{.code running()} needs a formula with {.code .above}, its own value in the row above.",
                 "found" = "It has none.", "in" = "{scope_text(scope)}",
                 "try" = "{.code running(.above * 0.99 + net_kg, start = 0)}"), "bad_formula", scope$call)
}

# A value of the script, or a column.
bind_start <- function(expr, scope) {
  node <- if (!is.null(expr)) bind_formula(expr, scope)
  if (is.null(node) || node$kind == "value") check_start(node$value, scope)
  node
}

check_start <- function(start, scope) {
  if (length(start) == 1 && (value_type(start) != "other" || is.object(start) && is.atomic(start))) return(invisible())
  stop_because(c("{.code running()} needs {.arg start}, the value above the first row.",
                 "found" = if (is.null(start)) "It has none in {.code {scope_text(scope)}}."
                   else "It is {what_is(start)} in {.code {scope_text(scope)}}."),
               "bad_argument", scope$call)
}

# c(stock, ordered) <- running(list(…), start = list(…)): in the formulas `.above$stock` is that column's value in the
# row above.
bind_recurrence_of_several <- function(word, expr, targets, scope) {
  if (!is.null(scope$in_function)) give_up()
  given <- word_given(word$fun, expr, scope)
  check_names_above(given$formula, scope)
  formulas <- parts_for_targets(given$formula, targets, "formula", scope)
  starts <- parts_for_targets(given$start, targets, "start", scope)
  inner <- scope
  inner$above_names <- targets
  node <- new_recurrence(lapply(formulas, bind_formula, scope = inner), lapply(starts, bind_start, scope = scope), expr,
                         scope$env, given_groups(given, scope), given_order(given, scope))
  node <- new_shared(node)
  new_several(lapply(seq_along(targets), function(k) new_pick(node, k)))
}

# The code for each target, of `list(a, b)` or `list(stock = a, ordered = b)`.
parts_for_targets <- function(expr, targets, name, scope) {
  parts <- if (is_call_to(expr, "list")) as.list(expr)[-1]
  if (length(parts) != length(targets)) {
    stop_because(c("{.arg {name}} of {.code running()} must be a {.code list()} with one part for each column.",
                   "found" = if (is.null(expr)) "It is not given."
                     else "{.code {one_line(expr)}}, for {counted(length(targets), 'column')}.",
                   "in" = "{scope_text(scope)}"), "wrong_columns", scope$call)
  }
  given <- names_or_none(parts)
  if (all(!nzchar(given))) return(unname(parts))
  if (!setequal(given, targets)) {
    stop_because(c("The names in {.arg {name}} must be those of the columns, or there must be none.",
                   "found" = "They are {listed(given)}; the columns are {listed(targets)}.",
                   "in" = "{scope_text(scope)}"), "wrong_columns", scope$call)
  }
  unname(parts[targets])
}
