# Checks of rooted tables in a script. A table that an output takes in is checked when that is made, one that is looked
# at when it is looked at; the checks of all others are run at the end of the script.

# Notes the checks that the script adds to tables: they signal a condition (table-checks.R).
noting_checks <- function(run, code) {
  withCallingHandlers(code, rowanroot_check_added = function(added) {
    if (identical(run$mode, "run")) {
      run$checks <- c(run$checks, list(list(table = added$table, check = added$check, line = run$line)))
    }
  })
}

run_open_checks <- function(run) {
  for (one in run$checks) {
    if (one$check$is_done) next
    steps <- rooted(one$table)$steps
    verb <- as.call(list(as.name(steps[[length(steps)]]$verb)))
    tryCatch(table_columns(one$table, character(), verb), error = function(e) note_failure(run, NULL, e, one$line))
  }
}
