# One function a command: it gets the words after the command's name, and gives the exit status.

cli_run <- function(args) {
  options <- list(
    optparse::make_option("--force", action = "store_true", default = FALSE,
                          help = "write every output, even if it is up to date or was edited by hand"),
    optparse::make_option("--only", metavar = "output", help = "write this output only, named as in the script"),
    optparse::make_option("--dry-run", action = "store_true", default = FALSE, dest = "dry_run", help = "write nothing, and tell what would be written"),
    json_option
  )
  given <- cli_arguments("run", args, options)
  if (is.null(given)) return(exit_done)
  check_cli_file(given$args, "run")
  if (given$options$dry_run) return(tell_status(script_status(given$args), given$options$json, exit_done))
  run <- function() run_script(given$args, force = given$options$force, only = given$options$only)
  outputs <- if (given$options$json) run_for_json(run()) else run()
  if (!nrow(outputs) && !given$options$json) cat("The script has no outputs: `save_table()` makes one.\n")
  exit_done
}

# What became of each output, though some have failed.
run_for_json <- function(code) {
  outputs <- tryCatch(with_output_aside(code), rowanroot_script_failed = function(e) {
    if (!is.null(e$outputs)) print_json(e$outputs)
    stop(e)
  })
  print_json(outputs)
  outputs
}

cli_status <- function(args) {
  given <- cli_arguments("status", args, list(json_option))
  if (is.null(given)) return(exit_done)
  check_cli_file(given$args, "status")
  tell_status(script_status(given$args), given$options$json, exit_stale)
}

# Gives the exit status `if_stale` where something is out of date.
tell_status <- function(outputs, as_json, if_stale) {
  if (as_json) print_json(outputs)
  else if (!nrow(outputs)) cat("The script has no outputs: `save_table()` makes one.\n")
  else for (k in seq_len(nrow(outputs))) cat(format_status(outputs[k, ]), sep = "\n")
  if (all(outputs$state == "up to date")) exit_done else if_stale
}

json_option <- optparse::make_option("--json", action = "store_true", default = FALSE, help = "as JSON, for other programs")

print_json <- function(data) {
  if (is.data.frame(data) && "why" %in% names(data)) data$why <- lapply(strsplit(data$why, "; ", fixed = TRUE), as.list)
  cat(json_text(data), "\n", sep = "")
}

# What the code prints goes where errors go.
with_output_aside <- function(code) {
  sink(stderr())
  on.exit(sink())
  code
}

format_status <- function(output) {
  what <- if (output$state == "up to date") "up to date" else "out of date"
  why <- strsplit(output$why, "; ", fixed = TRUE)[[1]]
  format_told(list(output = output$output, state = what, why = why))
}

cli_peek <- function(args) {
  options <- list(
    optparse::make_option("--rows", type = "integer", default = 6L, help = "how many rows to show [%default]"),
    optparse::make_option("--separator", default = ",", help = "the character between two fields, \\t for a tab [%default]")
  )
  given <- cli_arguments("peek", args, options)
  if (is.null(given)) return(exit_done)
  check_cli_file(given$args, "peek")
  # A tab is hard to type in a shell.
  separator <- sub("\\t", "\t", given$options$separator, fixed = TRUE)
  print(peek(open_table(given$args, separator = separator), rows = given$options$rows))
  exit_done
}

# A file that is not there is wrong use: nothing was tried.
check_cli_file <- function(path, command) {
  if (length(Sys.glob(path)) || file.exists(path)) return(invisible())
  hint <- nearest_name(basename(path), list.files(dirname(path)))
  stop_because(c("There is no file {.file {path}}.",
                 "i" = if (length(hint)) "Did you mean {.file {in_folder_of(path, hint)}}?",
                 "i" = "{.code rowanroot {command} --help} shows how the command is used."), "wrong_use")
}
