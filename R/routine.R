#' Reuse steps: routines
#'
#' `routine()` starts a list of steps, to which verbs such as [set_columns()] and [keep_rows()] add;
#' `run()` applies it to a table. The same steps can be used for many tables, and can be stored in a
#' package or a file.
#'
#' A routine is complete: it contains the values and functions that its formulas use, as they were
#' when the step was written. So it can be saved with [saveRDS()] and run elsewhere. Columns are
#' looked up only in the table that it runs on.
#'
#' `calibrate()` runs a routine on a table and stores what its formulas learned there: each
#' aggregate such as `mean(net_kg)`, those inside `z_score()`, `min_max()` and `share()`, also by
#' group, and the levels of `as_category()` and `factor()`. When the routine is run on another
#' table, it uses these values in place of that table's own. What [one_row_per()], [must_hold()] and
#' [should_hold()] calculate, ranks, running words and other functions of whole columns always come
#' from the table that the routine runs on.
#'
#' @param routine A routine.
#' @param data A data frame, or a rooted table from [open_table()].
#' @return `routine()` and `calibrate()` return a routine. Printing it shows its steps in words and,
#'   after `calibrate()`, what was learned; `as.data.frame()` returns that as a table with `step`,
#'   `line`, `learned`, `group` and `value` (text). `run()` returns the result of the steps: a data
#'   frame of the class of `data`, or a rooted table.
#' @section Errors: An error in a step names the step, and has the same class as in the verb, such
#'   as `rowanroot_unknown_column`; `rowanroot_not_calibrated` for a formula that the routine did
#'   not have when it was calibrated, because the new table has other columns. Rows of a group that
#'   was not learned get missing values, with a warning of class `rowanroot_unknown_group`.
#' @examples
#' yield <- routine() |>
#'   set_columns({
#'     net_kg   <- gross_kg - tare_kg
#'     standing <- z_score(net_kg)
#'   }) |>
#'   keep_rows(net_kg > 0)
#' yield
#'
#' march <- data.frame(gross_kg = c(31, 28.5, 20), tare_kg = c(6, 6.2, 5.9))
#' april <- data.frame(gross_kg = c(40, 5), tare_kg = 6)
#' run(yield, march)
#'
#' # April on the scale of March
#' of_march <- calibrate(yield, march)
#' of_march
#' run(of_march, april)
#' @export
routine <- function() new_routine(list())

new_routine <- function(steps, ..., class = character()) {
  structure(list(steps = steps, ...), class = c(class, "routine"))
}

is_routine <- function(x) {
  typed <- sys.call(-1)
  tryCatch(force(x), error = function(e) stop_no_first(e, typed))
  inherits(x, "routine")
}

# A verb was given a routine: the call is stored, with what it takes from the script.
with_step <- function(routine, typed, env, call) {
  if (!is.null(routine$learned)) {
    stop_because(c("A calibrated routine takes no more steps.",
                   "try" = "Add them to the routine it was made from, and calibrate that again."), "bad_argument",
                 call)
  }
  arguments <- as.list(typed)[-1]
  arguments$x <- NULL
  step <- new_verb_call(as.character(call[[1]]), arguments, own_surroundings(typed, env))
  check_typed(step, env, call)
  routine$steps <- c(routine$steps, list(step))
  routine
}

# Errors that can be found before there is a table. The verb itself reports missing arguments, for any table.
check_typed <- function(step, env, call) {
  verb <- get(step$verb, envir = topenv(), mode = "function")
  if (call_lacks(step)) eval(as.call(c(list(verb, data.frame()), step$arguments)), env)
  if (!"block" %in% names(step$arguments)) return(invisible())
  for (line in block_lines(step$arguments$block, call)) if (!is_call_to(line, "for")) parse_statement(line, env, call)
}

# An environment for what a piece of code takes from the script: each environment of the script that values are
# found in has a twin with these values alone, and functions see the twins of what they saw.
own_surroundings <- function(code, env) {
  twins <- new.env(parent = emptyenv())
  twins$pairs <- list()
  take_surroundings(all.names(code), env, twins)
  twin_of(env, twins)
}

twin_of <- function(env, twins) {
  if (!is_of_script(env)) return(env)
  known <- Find(function(pair) identical(pair$env, env), twins$pairs)
  if (!is.null(known)) return(known$twin)
  twin <- new.env(parent = if (identical(env, globalenv())) env else twin_of(parent.env(env), twins))
  twins$pairs <- c(twins$pairs, list(list(env = env, twin = twin)))
  twin
}

is_of_script <- function(env) {
  !identical(env, emptyenv()) && !identical(env, baseenv()) && !isNamespace(env) &&
    (identical(env, globalenv()) || is.null(attr(env, "name")))
}

take_surroundings <- function(names, env, twins) {
  for (name in unique(names)) {
    home <- env
    while (is_of_script(home) && !exists(name, envir = home, inherits = FALSE)) home <- parent.env(home)
    if (!is_of_script(home)) next
    twin <- twin_of(home, twins)
    if (exists(name, envir = twin, inherits = FALSE)) next
    value <- get(name, envir = home)
    if (!is.function(value) || is.primitive(value)) {
      assign(name, value, twin)
      next
    }
    of <- environment(value)
    environment(value) <- twin_of(of, twins)
    assign(name, value, twin)
    take_surroundings(all.names(args_and_body(value)), of, twins)
  }
}

#' @rdname routine
#' @export
run <- function(routine, data) {
  call <- quote(run())
  check_routine(routine, call)
  check_table(data, call, "data")
  for (k in seq_along(routine$steps)) {
    data <- run_routine_step(routine, k, data, if (!is.null(routine$learned)) new_calibration(routine$learned[[k]]),
                             call)
  }
  data
}

check_routine <- function(r, call) {
  if (is_routine(r)) return(invisible())
  stop_because(c("{.arg routine} must be a routine, not {what_is(r)}.",
                 "try" = "{.code routine() |> set_columns({{ net_kg <- gross_kg - tare_kg }})}"),
               "not_a_routine", call)
}

# The table after a step, as the verb gives it.
run_routine_step <- function(routine, number, data, calibration, call) {
  in_step(routine$steps[[number]], number, call, {
    steps <- lapply(bound_steps(routine$steps[[number]], data), function(step) {
      step$calibration <- calibration
      step
    })
    after_steps(data, steps, as.call(list(as.name(routine$steps[[number]]$verb))))
  })
}

# The steps that the call of a verb comes to.
bound_steps <- function(step, data) {
  table <- if (is_rooted_table(data)) data else new_rooted_table(new_frame_source(data, "data"), names(data))
  verb <- get(step$verb, envir = topenv(), mode = "function")
  before <- length(rooted(table)$steps)
  steps <- rooted(without_checks(eval(as.call(c(list(verb, x = table), step$arguments)), step$env)))$steps
  utils::tail(steps, length(steps) - before)
}

# An error in a step names the step.
in_step <- function(step, number, call, code) {
  tryCatch(code, rowanroot_error = function(e) {
    words <- call_in_words(step)
    sentence <- filled_in("Step {number} of the routine can't be run: {words[1]}{if (length(words) > 1) ' \u2026'}.",
                          environment())
    stop_caused(sentence, e, call)
  })
}

#' @rdname routine
#' @export
calibrate <- function(routine, data) {
  call <- quote(calibrate())
  check_routine(routine, call)
  check_table(data, call, "data")
  title <- short_title(substitute(data), "data")
  data <- if (is_rooted_table(data)) table_data(data, call) else data
  rows <- nrow(data)
  learned <- list()
  for (k in seq_along(routine$steps)) {
    calibration <- new_calibration()
    data <- run_routine_step(routine, k, data, calibration, call)
    learned[[k]] <- calibration$found
  }
  new_routine(routine$steps, learned = learned, of = paste0(title, " (", counted_rows(rows), ")"),
              class = "calibrated_routine")
}

#' @export
as.data.frame.calibrated_routine <- function(x, ...) {
  none <- data.frame(step = integer(), line = character(), learned = character(), group = character(),
                     value = character())
  tables <- lapply(seq_along(x$learned), function(k) lapply(unname(x$learned[[k]]), function(one) {
    values <- if (one$way == "levels") quoted(one$value) else shown_each(one$value, 15)
    group <- if (length(one$keys)) vapply(seq_along(values), key_text, "", keys = one$keys) else NA_character_
    data.frame(step = k, line = one$line, learned = one$label, group = rep_len(group, length(values)), value = values)
  }))
  do.call(rbind, c(list(none), unlist(tables, recursive = FALSE)))
}
