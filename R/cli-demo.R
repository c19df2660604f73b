cli_demo <- function(args) {
  given <- cli_arguments("demo", args, at_least = 0)
  if (is.null(given)) return(exit_done)
  folder <- if (length(given$args)) given$args else "rowanroot-demo"
  files <- make_demo(folder)
  script <- file.path(folder, "yield.R")
  demo_said("A beekeepers' cooperative has a file of hive visits for each month.",
            paste0("Its ", length(files), " files are now in ", folder, "; the script is ", script, "."))
  demo_did("rowanroot run yield.R")
  run_script(script)
  demo_said("The new columns, each beside those that it came from:")
  demo_show(script)
  demo_did("rowanroot run yield.R")
  run_script(script)
  change <- demo_change(folder)
  demo_said("Nothing had changed, so nothing was done. Now one weight in one file is corrected:", change)
  demo_did("rowanroot status yield.R")
  status <- checked_status(script)
  cat(unlist(lapply(status, format_told)), sep = "\n")
  demo_did("rowanroot run yield.R")
  run_script(script)
  demo_said("Where does a number come from?")
  demo_did("rowanroot why out/yield.csv --row 1 --column net_lb")
  demo_why(folder)
  demo_said(paste0("The table is in ", file.path(folder, "out", "yield.csv"), "."),
            "Change a formula in the script, or a number in a file, and run it again.")
  exit_done
}

demo_said <- function(...) cat("", ..., sep = "\n")

demo_did <- function(command) cat("", cli::style_bold(paste("$", command)), sep = "\n")

# The script's table, as an R session would print it.
demo_show <- function(script) {
  run <- new_script_run("status", script)
  env <- in_script_folder(script, evaluate_script(script, run, NULL))
  in_script_folder(script, print(peek(env$yield, rows = 4)))
}

demo_why <- function(folder) {
  in_folder(folder, print(explain(table_of_output("out/yield.csv", NULL)$table, 1L, "net_lb", NULL, globalenv(),
                                  NULL)))
}

# Corrects the first weight of a file, and gives a sentence about it.
demo_change <- function(folder) {
  file <- file.path("visits", "2025-06.csv")
  lines <- readLines(file.path(folder, file), encoding = "UTF-8")
  fields <- strsplit(lines[2], ",", fixed = TRUE)[[1]]
  at <- match("gross_kg", strsplit(lines[1], ",", fixed = TRUE)[[1]])
  old <- fields[at]
  fields[at] <- format(as.numeric(old) + 1)
  lines[2] <- paste(fields, collapse = ",")
  connection <- file(file.path(folder, file), "wb")
  on.exit(close(connection))
  writeLines(enc2utf8(lines), connection, useBytes = TRUE)
  paste0("  ", file, ", line 2: gross_kg ", old, " becomes ", fields[at])
}
