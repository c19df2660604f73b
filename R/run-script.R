#' Run a script, or see what is out of date
#'
#' `run_script()` runs an R script from top to bottom, in its own environment and in its own folder.
#' The outputs, which are the tables that it saves with [save_table()], are written only if they are
#' out of date. If a line of the script fails, the outputs after it stay as they were. If an output
#' fails, for instance because of a check, it stays as it was, and outputs that don't depend on it
#' are still made. Checks of tables that no output uses are run at the end.
#'
#' `script_status()` runs the script without writing or printing anything, and compares what each
#' output would be made from now with what it was made from.
#'
#' @param script The path of the script.
#' @param force Write every output, even if it is up to date, was edited, or was written by
#'   something else.
#' @param only Write only these outputs; the names are as in the script.
#' @return A data frame with a row for each output: `output`, its `state` (`"made"`, `"up to date"`,
#'   `"failed"` or `"left out"` after a run; `"up to date"`, `"out of date"`, `"missing"` or `"foreign"`
#'   as a status), `why`, and after a run the `rows` and the `seconds` taken. `run_script()` returns
#'   it invisibly.
#' @section Errors:
#' `rowanroot_no_such_file`; `rowanroot_script_failed`, with the `line`, when an error stops the script, or at its
#' end when an output or a check failed (the cause is the parent, and `outputs` the data frame of all outputs);
#' `rowanroot_unknown_output` if `only` names none of the outputs.
#' @examples
#' folder <- tempfile()
#' make_demo(folder)
#' run_script(file.path(folder, "yield.R"))
#' script_status(file.path(folder, "yield.R"))
#' unlink(folder, recursive = TRUE)
#' @export
run_script <- function(script, force = FALSE, only = NULL) {
  call <- quote(run_script())
  check_script(script, call)
  check_flag(force, "force", call)
  invisible(run_outputs(complete_run(script, force, only, call)))
}

complete_run <- function(script, force, only, call) {
  run <- new_script_run("run", script, force, only)
  run_locked(script, run, call)
  in_script_folder(script, check_only(run, call))
  run
}

# The script in its folder, while nobody else works there.
run_locked <- function(script, run, call) {
  in_script_folder(script, locked(tryCatch({
    evaluate_script(script, run, call)
    run_open_checks(run)
    if (length(run$failures)) stop_outputs_failed(run, call)
  }, finally = put_store_in_order())))
}

#' @rdname run_script
#' @export
script_status <- function(script) {
  call <- quote(script_status())
  check_script(script, call)
  run_outputs(status_run(script, call))[c("output", "state", "why")]
}

status_run <- function(script, call) {
  run <- new_script_run("status", script)
  in_script_folder(script, evaluate_quietly(script, run, call))
  run
}

# What a run is for: "run" writes outputs, "status" shows their state, "look" only finds the table of the output
# `wanted`.
new_script_run <- function(mode, script, force = FALSE, only = NULL, wanted = NULL) {
  run <- new.env(parent = emptyenv())
  run$mode <- mode
  run$script <- basename(script)
  run$wanted <- wanted
  run$force <- force
  run$only <- only
  run$outputs <- list()
  run$nonce <- new_nonce()
  run
}

check_script <- function(script, call) {
  check_path(script, "script", call, several = FALSE)
  if (file.exists(script) && !dir.exists(script)) return(invisible())
  hint <- nearest_name(basename(script), list.files(dirname(script), "[.][Rr]$"))
  stop_because(c("There is no script {.file {script}}.",
                 "try" = if (length(hint)) "{.file {in_folder_of(script, hint)}}"),
               "no_such_file", call, path = script)
}

in_script_folder <- function(script, code) {
  old <- setwd(dirname(script))
  on.exit(setwd(old))
  code
}

# Evaluates the expressions of a script one by one. As in `Rscript`, visible values are printed.
evaluate_script <- function(script, run, call) {
  file <- basename(script)
  expressions <- parse_script(file, call)
  lines <- vapply(attr(expressions, "srcref"), function(place) as.integer(place)[1], 0L)
  env <- script_environment(run)
  outer <- state$run
  run$folder <- getwd()
  state$run <- run
  # Wherever the script went, it is back.
  on.exit({
    setwd(run$folder)
    state$run <- outer
  })
  for (k in seq_along(expressions)) {
    run$line <- lines[k]
    tryCatch(once_a_run(run, noting_checks(run, {
      value <- withVisible(eval(expressions[[k]], env))
      if (value$visible && run$mode == "run") print(value$value)
    })), error = function(e) stop_script_failed(file, lines[k], e, call))
  }
  invisible(env)
}

evaluate_quietly <- function(script, run, call) without_output(suppressMessages(evaluate_script(script, run, call)))

# What the code prints is dropped, and what it has diverted itself is as it was.
without_output <- function(code) {
  nowhere <- file(nullfile(), "wt")
  diverted <- sink.number()
  sink(nowhere)
  on.exit({
    while (sink.number() > diverted) sink()
    # The script may have closed all that it found open.
    tryCatch(close(nowhere), error = function(e) NULL)
  })
  code
}

# What the script sources, it has too: in its own environment, so that nothing is left behind.
script_environment <- function(run) {
  around <- new.env(parent = globalenv())
  env <- new.env(parent = around)
  around$source <- function(file, local = FALSE, ...) {
    if (rlang::is_string(file)) run$watched <- unique(c(run$watched, as_pattern(normalizePath(file, mustWork = FALSE))))
    base::source(file, local = if (isFALSE(local)) env else if (isTRUE(local)) parent.frame() else local, ...)
  }
  # Random numbers are a function of the seed that the script sets at its top level.
  around$set.seed <- function(seed, ...) {
    if (identical(parent.frame(), env)) run$seed <- seed
    base::set.seed(seed, ...)
  }
  env
}

parse_script <- function(file, call) {
  if (!file.exists(file)) stop_because("The script {.file {file}} was not found.", "no_such_file", call, path = file)
  tryCatch(parse(file, keep.source = TRUE, encoding = "UTF-8"), error = function(e) {
    stop_because(c("{.file {file}} is not a valid R script.", "found" = "R's message: {conditionMessage(e)}"),
                 "script_failed",
                 call)
  })
}

stop_script_failed <- function(file, line, error, call) {
  stop_caused(filled_in("{.file {file}} stopped at line {line}.", environment()), error, call, "script_failed",
              line = line)
}

# A warning that several outputs would give is given with the first.
once_a_run <- function(run, code) {
  withCallingHandlers(code, rowanroot_warning = function(w) {
    text <- conditionMessage(w)
    if (text %in% run$warned) tryInvokeRestart("muffleWarning")
    run$warned <- c(run$warned, text)
  }, rowanroot_told_before = function(w) tryInvokeRestart("muffleWarning"))
}

# A failed output leaves those alone that don't depend on it.
note_failure <- function(run, output, error, line = run$line) {
  run$failures <- c(run$failures, list(list(output = output, error = error, line = line)))
}

stop_outputs_failed <- function(run, call) {
  failures <- run$failures
  fields <- list(line = failures[[1]]$line, outputs = run_outputs(run), run = run)
  if (length(failures) == 1) {
    sentence <- paste0(run$script, ": ", failed_in_words(failures[[1]]), ".")
    do.call(stop_caused, c(list(sentence, failures[[1]]$error, call, "script_failed"), fields), quote = TRUE)
  }
  what <- vapply(failures, function(one) paste0(failed_in_words(one), ": ", first_lines(one$error)), "")
  do.call(stop_because, c(list(c(escaped(paste0(run$script, ": ", length(failures), " parts of the script failed.")),
                                 stats::setNames(escaped(what), rep("found", length(what)))),
                               "script_failed", call, parent = failures[[1]]$error), fields), quote = TRUE)
}

failed_in_words <- function(failure) {
  paste0(if (is.null(failure$output)) "a check" else in_code(failure$output), " failed at line ", failure$line)
}

# What is wrong, and what was found first.
first_lines <- function(error) {
  parts <- error$parts
  if (is.null(parts)) return(one_text(conditionMessage(error)))
  paste(c(parts[1], utils::head(parts[names(parts) == "found"], 1)), collapse = " ")
}

check_only <- function(run, call) {
  known <- vapply(run$outputs, `[[`, "", "output")
  unknown <- run$only[!vapply(run$only, plain_path, "") %in% known]
  if (!length(unknown)) return(invisible())
  stop_because(c("The script has no output {.file {unknown[1]}}.",
                 "try" = if (length(known)) "Its outputs are {.file {known}}."
                   else "It has none: {.code save_table()} makes one."),
               "unknown_output", call)
}

# Reports one output: to the run that it is part of, and in print.
tell_run <- function(output, outcome, why = character(), rows = NA, seconds = NA, chosen = TRUE, files = NULL) {
  told <- list(output = output, state = if (chosen) outcome else "left out", why = as.character(why), rows = rows,
               seconds = seconds, files = files)
  run <- state$run
  if (is.null(run)) {
    note_that(escaped(paste(format_told(told), collapse = "\n")), "output")
  } else {
    run$outputs[[length(run$outputs) + 1]] <- told
    if (run$mode == "run") cat(format_told(told), sep = "\n")
  }
  invisible(told)
}

# out/yield.csv  made: 2,988 rows in 0.2 s
#                because visits-2026-03.csv changed
format_told <- function(told) {
  what <- switch(told$state,
    made = paste0(told$state, ": ", counted_rows(told$rows), " in ", format(signif(max(told$seconds, 0.01), 2)), " s",
                  if (!is.null(told$files)) paste0(", ", told$files[["written"]], " of ",
                                                   counted(told$files[["of"]], "file"), " written")),
    told$state
  )
  told$output <- shown_cell(told$output)
  told$why <- shown_cell(told$why)
  indent <- strrep(" ", nchar(told$output, "width") + 2)
  because <- if (length(told$why)) paste0(indent, c("because ", rep("and ", length(told$why) - 1)), told$why)
  c(paste0(told$output, "  ", what), because)
}

run_outputs <- function(run) {
  field <- function(name, model) vapply(run$outputs, `[[`, model, name)
  data.frame(output = field("output", ""), state = field("state", ""),
             why = vapply(run$outputs, function(told) paste(told$why, collapse = "; "), ""),
             rows = vapply(run$outputs, function(told) as.numeric(told$rows), 0),
             seconds = vapply(run$outputs, function(told) as.numeric(told$seconds), 0))
}
