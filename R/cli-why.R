# Commands that look at the table behind an output: its script is run again, and writes nothing.

cli_why <- function(args) {
  options <- list(
    optparse::make_option("--row", help = "the number of the row"),
    optparse::make_option("--where", metavar = "formula",
                          help = "in place of --row, a formula that is true in one row: 'hive == \"NB-04\"'"),
    optparse::make_option("--column", metavar = "name", help = "the column"),
    json_option
  )
  given <- cli_arguments("why", args, options)
  if (is.null(given)) return(exit_done)
  asked <- given$options
  if (is.null(asked$column)) stop_usage("why", "`--column` must name a column.")
  if (is.null(asked$row) == is.null(asked$where)) stop_usage("why", "Give `--row` or `--where`.")
  asked$row <- number_option(asked$row, "--row", "why", 1)
  where <- if (!is.null(asked$where)) formula_of_text(asked$where)
  check_cli_output(given$args, "why")
  found <- table_of_output(given$args, quote(why()))
  explanation <- explain(found$table, asked$row, asked$column, where, globalenv(), quote(why()))
  note_out_of_date(found, given$args)
  if (asked$json) print_json(plain_explanation(explanation)) else print(explanation)
  exit_done
}

note_out_of_date <- function(found, output) {
  if (found$state$state == "up to date") return(invisible())
  cli_error(paste0("Note: ", output, " is out of date. This is what it would be now."))
}

cli_lineage <- function(args) {
  options <- list(optparse::make_option("--column", metavar = "name",
                                        help = "only this column, what it depends on and what depends on it"),
                  json_option)
  given <- cli_arguments("lineage", args, options)
  if (is.null(given)) return(exit_done)
  check_cli_output(given$args, "lineage")
  found <- table_of_output(given$args, quote(lineage()))
  graph <- lineage_of(found$table, given$options$column, quote(lineage()))
  note_out_of_date(found, given$args)
  if (given$options$json) print_json(as.data.frame(graph)) else print(graph)
  exit_done
}

formula_of_text <- function(text) {
  parsed <- tryCatch(parse(text = text, keep.source = FALSE), error = function(e) NULL)
  if (length(parsed) == 1) return(parsed[[1]])
  stop_usage("why", paste0("`", text, "` is not a formula."))
}

# The table that a script saves as this output, and the state of the output.
table_of_output <- function(output, call) {
  folder <- project_of(output, call)
  old <- setwd(folder$path)
  on.exit(setwd(old))
  records <- output_records(folder$output)
  if (!length(records)) stop_unknown_output(output, call)
  script <- utils::tail(records, 1)[[1]]$script
  if (is.null(script)) {
    stop_because(c("No script is known that made {.file {output}}.",
                   "try" = "It was saved outside a script. {.code why()} explains a table in R."),
                 "unknown_output", call, output = output)
  }
  if (!file.exists(script)) {
    stop_because("The script {.file {script}}, which made {.file {output}}, was not found.", "no_such_file", call,
                 path = script, output = output)
  }
  run <- new_script_run("look", script, wanted = folder$output)
  evaluate_quietly(script, run, call)
  if (is.null(run$tables)) {
    stop_because(c("{.file {script}} no longer saves {.file {output}}.",
                   "try" = "It saves {.file {vapply(run$outputs, `[[`, '', 'output')}}."), "unknown_output", call,
                 output = output)
  }
  run$tables[[1]]
}

cli_report <- function(args) {
  options <- list(optparse::make_option("--to", metavar = "file",
                                        help = "the file to write [the script's name, with -report.html]"),
                  memory_option)
  given <- cli_arguments("report", args, options)
  if (is.null(given)) return(exit_done)
  use_memory_option(given$options$memory, "report")
  check_cli_file(given$args, "report")
  to <- given$options$to
  if (is.null(to)) to <- paste0(without_ending(given$args), "-report.html")
  report_script(given$args, to)
  cat("Wrote ", to, "\n", sep = "")
  exit_done
}

# One page for all outputs of a script.
report_script <- function(script, file) {
  call <- quote(report())
  check_script(script, call)
  check_report_file(file, call)
  run <- new_script_run("look", script)
  tables <- in_script_folder(script, {
    evaluate_quietly(script, run, call)
    lapply(seq_along(run$tables), function(k) {
      one <- run$tables[[k]]
      changed <- if (!is.null(one$path) && file.exists(one$path) && file.exists(before_path(one$path))) {
        tryCatch(changes_by(one$path, NULL, globalenv(), call), error = function(e) NULL)
      }
      report_of_table(reported_parts(one$table, call), if (length(run$tables) > 1) one$name, changed,
                      if (length(run$tables) > 1) k)
    })
  })
  if (!length(tables)) {
    stop_because(c("The script has no outputs.", "try" = "{.code save_table()} makes one."), "unknown_output", call)
  }
  title <- if (length(run$tables) == 1) paste0(run$tables[[1]]$name, ", by ", basename(script)) else basename(script)
  write_page(title, tables, file, call)
}

plain_explanation <- function(x) {
  list(column = x$column, row = x$row, value = if (is.numeric(x$value) &&
                                                   !is.object(x$value)) x$value else value_text(x$value),
       formula = x$formula, filled = x$filled, notes = as.list(x$notes),
       place = x$place, from = lapply(x$from, plain_explanation))
}
