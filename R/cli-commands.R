# One function a command: it gets the words after the command's name, and gives the exit status.

cli_run <- function(args) {
  options <- list(
    optparse::make_option("--force", action = "store_true", default = FALSE,
                          help = "write every output, even if it is up to date or was edited"),
    optparse::make_option("--only", metavar = "output", help = "write this output only, named as in the script"),
    optparse::make_option("--dry-run", action = "store_true", default = FALSE, dest = "dry_run",
                          help = "write nothing, and show what would be written"),
    memory_option, json_option
  )
  given <- cli_arguments("run", args, options)
  if (is.null(given)) return(exit_done)
  use_memory_option(given$options$memory, "run")
  check_cli_file(given$args, "run")
  if (given$options$dry_run) return(tell_status(checked_status(given$args), given$options$json))
  run <- function() complete_run(given$args, given$options$force, given$options$only, quote(run_script()))
  run <- if (given$options$json) run_for_json(run) else run()
  if (!length(run$outputs) && !given$options$json) cat("The script has no outputs: `save_table()` makes one.\n")
  exit_done
}

# What became of each output, though some have failed.
run_for_json <- function(run) {
  run <- tryCatch(run(), rowanroot_script_failed = function(e) {
    if (!is.null(e$run)) print_json(lapply(e$run$outputs, told_for_json))
    stop(e)
  })
  print_json(lapply(run$outputs, told_for_json))
  run
}

told_for_json <- function(told) replace(told, "why", list(as.list(told$why)))

cli_status <- function(args) {
  given <- cli_arguments("status", args, list(json_option))
  if (is.null(given)) return(exit_done)
  check_cli_file(given$args, "status")
  tell_status(checked_status(given$args), given$options$json)
}

checked_status <- function(script) {
  call <- quote(script_status())
  check_script(script, call)
  status_run(script, call)$outputs
}

# Gives an exit status of its own if something is out of date.
tell_status <- function(outputs, as_json) {
  if (as_json) print_json(lapply(outputs, function(told) told_for_json(told[c("output", "state", "why")])))
  else if (!length(outputs)) cat("The script has no outputs: `save_table()` makes one.\n")
  else cat(unlist(lapply(outputs, format_told)), sep = "\n")
  if (all(vapply(outputs, `[[`, "", "state") == "up to date")) exit_done else exit_stale
}

json_option <- optparse::make_option("--json", action = "store_true", default = FALSE,
                                     help = "print JSON, for other programs")

# Stored until the command is done: only_json() prints it.
print_json <- function(data) state$json <- json_text(data)

# Whatever is printed while the code runs, by R or by others, goes where errors go; what print_json() was given
# comes alone.
only_json <- function(code) {
  state$json <- NULL
  diverted <- sink.number()
  sink(stderr())
  kept <- divert_output_cpp()
  on.exit({
    while (sink.number() > diverted) sink()
    restore_output_cpp(kept)
    if (!is.null(state$json)) cat(state$json, "\n", sep = "")
    state$json <- NULL
  })
  code
}

memory_option <- optparse::make_option("--memory", metavar = "size",
                                       help = "how much memory to use, as in \"4 GB\" [half of what is free]")

use_memory_option <- function(size, command) {
  if (is.null(size)) return(invisible())
  tryCatch(memory_size(size, "--memory"), rowanroot_bad_argument = function(e) stop_usage(command, e$parts[1]))
  options(rowanroot.memory = size)
}

# The number that an option gives, which must be in a range.
number_option <- function(text, name, command, least, whole = TRUE) {
  if (is.null(text)) return(NULL)
  number <- suppressWarnings(as.numeric(text))
  if (!is.na(number) && is.finite(number) && number >= least && (!whole || number == floor(number))) return(number)
  stop_usage(command, paste0("`", name, "` must be a ", if (whole) "whole ", "number, ", least,
                                 " or more, not `", text, "`."))
}

cli_peek <- function(args) {
  options <- list(
    optparse::make_option("--rows", default = "6", help = "how many rows to show [%default]"),
    optparse::make_option("--separator",
                          help = "the character between two fields; \\t for a tab [a comma; for .tsv files a tab]"),
    optparse::make_option("--table", help = "the table of a database"),
    optparse::make_option("--sheet", help = "the sheet of a workbook [the first]")
  )
  given <- cli_arguments("peek", args, options)
  if (is.null(given)) return(exit_done)
  rows <- number_option(given$options$rows, "--rows", "peek", 0)
  check_cli_file(given$args, "peek", is_pattern = TRUE)
  # A tab is hard to type in a shell.
  options <- given$options[intersect(c("separator", "table", "sheet"), names(given$options))]
  if (!is.null(options$separator)) options$separator <- sub("\\t", "\t", options$separator, fixed = TRUE)
  print(do.call(peek, c(list(given$args, rows), options)))
  exit_done
}

# An output may be a folder.
check_cli_output <- function(output, command) {
  file <- output_file(output)
  check_cli_file(file, command, is_pattern = dir.exists(file))
}

# A file that is not there is a usage error: nothing was tried.
check_cli_file <- function(path, command, is_pattern = FALSE) {
  if (file.exists(path) && (is_pattern || !dir.exists(path)) || is_pattern && length(Sys.glob(path))) {
    return(invisible())
  }
  if (dir.exists(path)) {
    stop_because(c("{.file {path}} is a folder, not a file.",
                   "try" = "{.code rowanroot {command} --help} shows how the command is used."), "usage")
  }
  hint <- nearest_name(basename(path), list.files(dirname(path)))
  stop_because(c("There is no file {.file {path}}.",
                 "try" = if (length(hint)) "{.file {in_folder_of(path, hint)}}",
                 "try" = "{.code rowanroot {command} --help} shows how the command is used."), "usage")
}
