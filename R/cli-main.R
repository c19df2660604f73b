# The command `rowanroot`: the first word says which command, and each has a parser of its own.

cli_commands <- function() {
  list(
    demo = list(run = cli_demo, arguments = "[folder]",
                about = "write the demo's files and script, run it, change a file, run again"),
    run = list(run = cli_run, arguments = "script.R",
               about = "run a script; write only the outputs that are out of date"),
    status = list(run = cli_status, arguments = "script.R",
                  about = "show which outputs of a script are out of date, and why"),
    watch = list(run = cli_watch, arguments = "script.R",
                 about = "run a script again whenever one of its files changes"),
    why = list(run = cli_why, arguments = "output",
               about = "show one value of an output with its formulas filled in, back to file and line"),
    lineage = list(run = cli_lineage, arguments = "output",
                   about = "show what each column of an output is made from"),
    report = list(run = cli_report, arguments = "script.R",
                  about = "write one HTML page on the outputs of a script: steps, figures, checks"),
    changes = list(run = cli_changes, arguments = "output",
                   about = "show what differs in an output from what it was before"),
    new = list(run = cli_new, arguments = "folder", about = "start a project: a script, and a folder for its files"),
    clean = list(run = cli_clean, arguments = "[folder]",
                 about = "remove what is stored beside a script and can be made again"),
    peek = list(run = cli_peek, arguments = "file", about = "show the size, columns and first rows of a file")
  )
}

exit_done <- 0L
exit_failed <- 1L
exit_usage <- 2L
exit_stale <- 3L

# Runs the command line `args` and gives its exit status.
cli_main <- function(args) {
  # Names of files may have any letters, wherever the command is called from.
  if (!l10n_info()[["UTF-8"]]) suppressWarnings(Sys.setlocale("LC_CTYPE", "C.UTF-8"))
  if (!length(args) || args[1] %in% c("--help", "-h", "help")) {
    cat(cli_overview(), sep = "\n")
    return(if (length(args)) exit_done else exit_usage)
  }
  if (args[1] == "--version") {
    cat("rowanroot ", format(utils::packageVersion("rowanroot")), "\n", sep = "")
    return(exit_done)
  }
  command <- cli_commands()[[args[1]]]
  if (is.null(command)) return(cli_unknown_command(args[1]))
  if ("--json" %in% before_dashes(args)) only_json(cli_guarded(command$run(args[-1]),
                                                               as_json = TRUE)) else cli_guarded(command$run(args[-1]))
}

# Words after a lone `--` are no options.
before_dashes <- function(args) args[cumsum(args == "--") == 0]

cli_overview <- function() {
  commands <- cli_commands()
  uses <- format(paste(names(commands), vapply(commands, `[[`, "", "arguments")))
  c("rowanroot: derives the columns of tables, and reruns only what is out of date", "",
    "Usage: rowanroot command [arguments]", "",
    paste0("  ", uses, "  ", vapply(commands, `[[`, "", "about")), "",
    "`rowanroot command --help` describes a command; `--version` shows the version.",
    "Exit status: 0 done, 1 a check or a step failed, 2 usage error, 3 (of status, run --dry-run) out of date.")
}

cli_unknown_command <- function(name) {
  hint <- nearest_name(name, names(cli_commands()))
  cli_error(paste0("There is no command `", name, "`.", if (length(hint)) paste0(" Did you mean `", hint, "`?"),
                   " `rowanroot --help` lists them."))
  exit_usage
}

cli_error <- function(lines) cat(shown(lines), sep = "\n", file = stderr())

# Errors become a message and an exit status: one for usage errors, another for what failed.
cli_guarded <- function(code, on_interrupt = cli_interrupted, as_json = FALSE) {
  failed <- function(status) function(e) cli_failure(e, status, as_json)
  tryCatch(
    withCallingHandlers(code, warning = function(w) {
      cli_error(paste0("Warning: ", conditionMessage(w)))
      invokeRestart("muffleWarning")
    }),
    rowanroot_usage = failed(exit_usage),
    rowanroot_bad_argument = failed(exit_usage),
    rowanroot_unknown_output = failed(exit_usage),
    rowanroot_folder_in_use = failed(exit_usage),
    rowanroot_no_such_file = failed(exit_usage),
    error = failed(exit_failed),
    interrupt = on_interrupt
  )
}

cli_interrupted <- function(e) {
  cli_error("Interrupted. Each output is the complete old file or the complete new one.")
  130L
}

cli_failure <- function(error, status, as_json = FALSE) {
  text <- conditionMessage(error)
  cli_error(paste0("Error: ", text))
  # The states of the outputs, if there are any, show what failed.
  if (as_json && is.null(state$json)) {
    print_json(list(error = list(class = class(error)[1], message = unlabeled(error))))
  }
  status
}

# A message in one line, for programs.
unlabeled <- function(error) {
  if (is.null(error$parts)) one_text(conditionMessage(error)) else paste(error$parts, collapse = " ")
}

# The options and the words of a command, or a usage error. NULL if it has shown its help.
cli_arguments <- function(name, args, options = list(), at_least = 1, at_most = 1) {
  command <- cli_commands()[[name]]
  parser <- optparse::OptionParser(
    usage = paste("rowanroot", name, command$arguments, if (length(options)) "[options]"),
    option_list = options, description = paste0("\n", sub("^(.)", "\\U\\1", command$about, perl = TRUE), ".")
  )
  parsed <- tryCatch(
    optparse::parse_args(parser, before_dashes(args), positional_arguments = TRUE, print_help_and_exit = FALSE),
    error = function(e) stop_usage(name, sub("^Error in getopt\\(.*\\) : ", "", one_text(conditionMessage(e))))
  )
  parsed$args <- c(parsed$args, args[cumsum(args == "--") > 0][-1])
  if (parsed$options$help) {
    optparse::print_help(parser)
    return(NULL)
  }
  words <- length(parsed$args)
  if (words < at_least) stop_usage(name, paste0("It needs ", command$arguments, "."))
  if (words > at_most) {
    stop_usage(name, paste0("It takes ", at_most, " argument", if (at_most != 1) "s", ", not ", words, "."))
  }
  parsed
}

stop_usage <- function(name, what) {
  stop_because(c("{.code rowanroot {name}} was not understood. {what}",
                 "try" = "{.code rowanroot {name} --help} shows how it is used."),
               "usage")
}
