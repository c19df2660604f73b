# Steps that were bound before. In a loop over many small tables the same block is bound again and again, which takes
# longer than to calculate it. What looks at nothing but columns is bound to the same, as long as the functions that it
# calls are those that they were.

steps_remembered <- 8
most_names_remembered <- 200

# The step of this block on columns of these names; NULL if it is not known.
bound_before <- function(block, names, env) {
  for (known in state$bound) {
    if (identical(known$block, block) && identical(known$names, names) && calls_the_same(known$functions, env)) {
      known$step$env <- env
      return(known$step)
    }
  }
  NULL
}

calls_the_same <- function(functions, env) {
  names <- names(functions)
  for (k in seq_along(functions)) {
    if (!identical(get0(names[k], envir = env, mode = "function"), functions[[k]])) return(FALSE)
  }
  TRUE
}

# Nothing is remembered that looked at the script: a value of it, names that its code gives, or a choice of columns.
remember_bound <- function(step, block, names, env) {
  go_by_row <- all(vapply(step$statements, statement_goes_by_row, NA))
  # What is long takes more time to compare, and R to walk through.
  is_long <- length(all.names(block)) > most_names_remembered
  if (is_long || !go_by_row || look_at_script(step$statements)) return(invisible())
  called <- unique(unlist(lapply(as.list(block)[-1], called_names)))
  found <- lapply(stats::setNames(nm = called), get0, envir = env, mode = "function")
  # Where it was written may hold large tables.
  step["env"] <- list(NULL)
  known <- list(block = block, names = names, functions = found, step = step)
  state$bound <- utils::head(c(list(known), state$bound), steps_remembered)
}

look_at_script <- function(statements) any(vapply(statements, `[[`, NA, "looks_at_script"))

# Noted of a line whose meaning depends on more than the columns.
note_script <- function(scope) if (!is.null(scope$bound)) assign("looks_at_script", TRUE, envir = scope$bound)
