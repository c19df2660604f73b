# Steps on tables: run at once on a data frame, recorded on a rooted table.

apply_step <- function(x, step, call) {
  if (is_rooted_table(x)) step$typed_call <- typed_call(as.character(call[[1]]), sys.function(-1), sys.call(-1))
  after_steps(x, steps_of(step), call)
}

# The calls that made the steps of a table.
typed_calls <- function(x) Filter(Negate(is.null), lapply(rooted(x)$steps, `[[`, "typed_call"))

# The table after these steps.
after_steps <- function(x, steps, call) {
  for (step in steps) x <- if (is_rooted_table(x)) add_step(x, step) else execute(default_engine(), step, x, call)
  x
}

# The verb and what it was given, of a call to it.
typed_call <- function(verb, definition, typed) {
  arguments <- as.list(match.call(definition, typed, envir = parent.frame(2)))[-1]
  arguments$x <- NULL
  new_verb_call(verb, arguments)
}
