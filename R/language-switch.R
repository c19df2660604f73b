# switch(x, NB = "North Bank", SH = , OM = "South", "elsewhere") as a chain of choices: with names the
# value is compared with them, without it is the number of the alternative. An empty alternative falls
# through to the next. A missing value gives missing, and so does one that nothing matches.

words_of_switch <- function() list(language_word("switch", "column", bind = bind_switch))

bind_switch <- function(word, arguments, expr, scope) {
  parts <- arguments
  if (length(parts) < 2) {
    stop_because(c("{.code switch()} needs a value and what to choose from.",
                   "found" = "It is {.code {one_line(expr)}}."), "bad_formula", scope$call)
  }
  value <- bind_formula(parts[[1]], scope)
  alternatives <- parts[-1]
  given <- names(alternatives)
  by_name <- !is.null(given) && any(nzchar(given))
  labels <- if (by_name) given else as.character(seq_along(alternatives))
  is_default <- by_name & !nzchar(labels)
  if (sum(is_default) > 1) {
    stop_because(c("{.code switch()} can have one alternative without a name, for values that match no other.",
                   "found" = "It has {sum(is_default)}.", "in" = "{scope_text(scope)}"), "bad_formula", scope$call)
  }
  node <- if (any(is_default)) bind_formula(alternatives[[which(is_default)]], scope) else new_value(NA, NA)
  for (k in rev(which(!is_default))) {
    chosen <- fall_through(alternatives, k)
    if (is.null(chosen)) next
    against <- new_value(if (by_name) labels[k] else k)
    condition <- word_node("==", value, against, shown = call("==", parts[[1]], against$shown))
    node <- new_choice(condition, bind_formula(chosen, scope), node, condition$shown)
  }
  node
}

fall_through <- function(alternatives, k) {
  while (k <= length(alternatives)) {
    if (!identical(alternatives[[k]], quote(expr = ))) return(alternatives[[k]])
    k <- k + 1
  }
  NULL
}
