# Words that depend on the order of rows or on their groups: ranks, running words, moving windows, neighbours.
#
# Fields of their records besides those of all words:
#   check       makes of the options that a call gives all of them, or stops
#   memory      the way in which the engine calculates it, and `what` in this way; none: by `r`, group after group
#   explain     how why() explains it: a function of the facts of a row, below; by default its position in the group

ordered_word <- function(name, check, memory = NULL, what = name, explain = explain_place, ...) {
  language_word(name, "ordered", check = check, memory = memory, what = what, explain = explain, ...)
}

# A node for `ranking(net_kg, best = "highest", within = apiary)` and the like.
bind_word.word_ordered <- function(word, arguments, expr, scope) {
  if (!is.null(scope$in_function)) give_up()
  given <- word_given(word$fun, expr, scope)
  check_has_x(word, given, scope)
  options <- option_values(given[setdiff(names(given), c("x", "within", "along"))], scope)
  new_ordered(word, bind_formula(given$x, scope), word$check(options, scope$call), expr, scope$env,
              given_groups(given, scope),
              given_order(given, scope))
}

check_has_x <- function(word, given, scope) {
  if (!is.null(given$x) || !"x" %in% names(formals(word$fun))) return(invisible())
  stop_because(c("{.code {word$name}()} needs a column.", "in" = "{scope_text(scope)}"),
               "bad_argument", scope$call)
}

# The arguments of a call under their names.
word_given <- function(fun, expr, scope) {
  tryCatch(as.list(match.call(fun, expr))[-1], error = function(e) {
    stop_because(c("Can't call {.code {one_line(expr[[1]])}()} like this.",
                   "found" = "R's message: {conditionMessage(e)}",
                   "try" = "Its arguments are {.code {names(formals(fun))}}."), "bad_argument", scope$call)
  })
}

# Options are the script's: they can't differ from row to row.
option_values <- function(given, scope) {
  lapply(stats::setNames(nm = names(given)), function(name) {
    node <- bind_formula(given[[name]], scope)
    if (node$kind == "value") return(node$value)
    stop_because(c("{.arg {name}} must be the same for all rows.",
                   "found" = "It depends on columns.", "in" = "{scope_text(scope)}"), "bad_argument", scope$call)
  })
}

given_groups <- function(given, scope) {
  if (!is.null(given$within)) choose_groups(given$within, scope)
}

given_order <- function(given, scope) {
  if (!is.null(given$along)) choose_order(given$along, scope)
}

# How why() explains a row: `facts` has the `arguments` in all rows, the `values`, the `rows` of the group in their
# order and words for these in `of`, the `row` and where it is `at` among them, the `window` of a moving word, and the
# `options`.
explain_place <- function(facts) paste("in place", facts$at, "of", facts$of)

explain_running <- function(facts) {
  so_far <- facts$rows[seq_len(facts$at)]
  explain_window(facts, so_far, paste(counted_rows(facts$at), "so far"))
}

explain_moving <- function(facts) {
  window <- facts$window
  explain_window(facts, window, paste(counted_rows(length(window)), "of its window"))
}

explain_window <- function(facts, window, of_which) {
  shown <- utils::tail(window, 4)
  values <- vapply(shown, function(one) value_text(take_rows(facts$arguments, one)), "")
  rows <- paste0(if (length(shown) > 1) " (rows " else " (row ", paste(shown, collapse = ", "), ")")
  paste0("the last that went in: ", paste(values, collapse = ", "), rows, ", of ", of_which, " among ", facts$of)
}

explain_previous <- function(facts) explain_neighbour(facts, -facts$options$rows)

explain_following <- function(facts) explain_neighbour(facts, facts$options$rows)

explain_neighbour <- function(facts, by) {
  from <- facts$at + by
  paste0(if (from < 1 || from > length(facts$rows)) "as there is no such row" else paste("from row",
      facts$rows[from]), ", among ", facts$of)
}

# The nearest rows with another rank on either side.
explain_rank <- function(facts) {
  ranks <- facts$values
  own <- ranks[facts$row]
  if (is.na(own)) return("since it has no value")
  others <- facts$rows[!is.na(ranks[facts$rows]) & facts$rows != facts$row]
  told <- function(candidates, best, word) {
    if (!length(candidates)) return(NULL)
    nearest <- candidates[best(ranks[candidates])]
    paste0(word, " it ", value_text(take_rows(facts$arguments, nearest)), " (row ", nearest, ", rank ",
           format(ranks[nearest]), ")")
  }
  tied <- sum(ranks[others] == own)
  paste(c(paste("among", facts$of), told(others[ranks[others] < own], which.max, "before"),
          told(others[ranks[others] > own], which.min, "after"),
          if (tied) paste(counted(tied, "other"), if (tied == 1) "has" else "have", "the same rank")), collapse = "; ")
}
