# Steps on tables: run at once on a data frame, recorded on a rooted table.

apply_step <- function(x, step, call) {
  if (!is_rooted_table(x)) return(execute(default_engine(), step, x, call))
  step$typed_call <- typed_call(as.character(call[[1]]), sys.function(-1), sys.call(-1))
  add_step(x, step)
}

# The verb and what it was given, of a call to it.
typed_call <- function(verb, definition, typed) {
  arguments <- as.list(match.call(definition, typed, envir = parent.frame(2)))[-1]
  arguments$x <- NULL
  new_verb_call(verb, arguments)
}
