# running(.above * 0.99 + net_kg, start = 0): a formula that uses its own value in the row above.

words_of_recurrence <- function() list(language_word("running", "recurrence", draw = "running"))

bind_word.word_recurrence <- function(word, arguments, expr, scope) {
  if (!is.null(scope$in_function)) give_up()
  given <- word_given(word$fun, expr, scope)
  if (is.null(given$formula) || !".above" %in% all.vars(given$formula)) {
    stop_because(c("{.code running()} needs a formula with {.code .above}, its own value in the row above.",
                   "found" = "It has none.", "in" = "{scope_text(scope)}",
                   "try" = "{.code running(.above * 0.99 + net_kg, start = 0)}"), "bad_formula", scope$call)
  }
  start <- option_values(given["start"[!is.null(given$start)]], scope)$start
  check_start(start, scope)
  inner <- scope
  inner$locals[[".above"]] <- new_above()
  new_recurrence(bind_formula(given$formula, inner), start, expr, scope$env, given_groups(given, scope),
                 given_order(given, scope))
}

check_start <- function(start, scope) {
  if (length(start) == 1 && value_type(start) != "other") return(invisible())
  stop_because(c("{.code running()} needs {.arg start}, the value above the first row.",
                 "found" = if (is.null(start)) "It has none in {.code {scope_text(scope)}}."
                   else "It is {what_is(start)} in {.code {scope_text(scope)}}."),
               "bad_argument", scope$call)
}
