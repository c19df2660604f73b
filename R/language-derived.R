# Words that stand for a longer formula: that is bound in their place, and so compiled with the rest.

# `bind(given, expr, scope)` gives the formula's node; `given` has the arguments of the call by name.
derived_word <- function(name, bind, one_row = FALSE, ...) {
  language_word(name, "derived", bind = bind, one_row = one_row, ...)
}

bind_word.word_derived <- function(word, arguments, expr, scope) {
  if (!is.null(scope$in_function) && !word$one_row) give_up()
  given <- word_given(word$fun, expr, scope)
  check_has_x(word, given, scope)
  word$bind(given, expr, scope)
}
