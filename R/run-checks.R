# Checks of live tables in a script. A table that an output takes in is checked when that is made, one that is looked
# at when it is looked at; the checks of all others are run at the end of the script.

# What became of a check: shared by all tables that have its step.
new_check <- function() list2env(list(is_done = FALSE), parent = emptyenv())

note_check <- function(table, check) {
  run <- state$run
  if (is.null(check) || !identical(run$mode, "run") || isTRUE(state$without_checks)) return(invisible())
  run$checks <- c(run$checks, list(list(table = table, check = check, line = run$line)))
}

without_checks <- function(code) {
  outer <- state$without_checks
  on.exit(state$without_checks <- outer)
  state$without_checks <- TRUE
  code
}

# The checks of a table that an output is made of.
take_in_checks <- function(x) for (step in live(x)$steps) if (!is.null(step$check)) step$check$is_done <- TRUE

run_open_checks <- function(run) {
  for (one in run$checks) {
    if (one$check$is_done) next
    steps <- live(one$table)$steps
    verb <- as.call(list(as.name(steps[[length(steps)]]$verb)))
    tryCatch(table_columns(one$table, character(), verb), error = function(e) note_failure(run, NULL, e, one$line))
  }
}
