# Checks of rooted tables. What became of one is shared by all tables that have its step.

new_check <- function() list2env(list(is_done = FALSE), parent = emptyenv())

# Signals it to whoever listens, such as the script that is run.
tell_check_added <- function(table, check) {
  added <- structure(class = c("rowanroot_check_added", "condition"),
                     list(message = "", call = NULL, table = table, check = check))
  withRestarts(signalCondition(added), ignore_check = function() NULL)
}

# Checks that the code adds are nobody's.
without_checks <- function(code) {
  withCallingHandlers(code, rowanroot_check_added = function(added) invokeRestart("ignore_check"))
}

# The checks of a table that an output is made of.
take_in_checks <- function(x) for (step in rooted(x)$steps) if (!is.null(step$check)) step$check$is_done <- TRUE
