# Runs the tests on the installed package, in two processes that take one file after the other. The last line has
# the figures.
Sys.setenv(NOT_CRAN = "true")
arguments <- commandArgs(TRUE)

# What one process does: a file is taken by whoever makes its folder in the queue.
take_files <- function(queue, number) {
  files <- list.files("tests/testthat", "^test-.*[.]R$", full.names = TRUE)
  results <- list()
  # What takes longest comes first, so that both end together.
  slow <- sprintf("test-%s.R", c("cli", "new-word", "names-of-files", "source-workbook", "source-json", "report",
                                 "store-kept", "memory-budget", "source-parquet", "words-ranks", "sink-database",
                                 "sql"))
  for (file in files[order(match(basename(files), slow), -file.size(files))]) {
    if (!dir.create(file.path(queue, basename(file)), showWarnings = FALSE)) next
    cat("\n", basename(file), "\n", sep = "")
    started <- proc.time()[["elapsed"]]
    results <- c(results, testthat::test_file(file, package = "rowanroot", load_package = "installed",
                                              reporter = "check", stop_on_failure = FALSE))
    cat(round(proc.time()[["elapsed"]] - started), "s\n")
  }
  expectations <- unlist(lapply(results, `[[`, "results"), recursive = FALSE)
  is_one <- function(class) sum(vapply(expectations, inherits, NA, class))
  saveRDS(c(passed = is_one("expectation_success"), failed = is_one("expectation_failure") +
            is_one("expectation_error")), file.path(queue, paste0("figures-", number)))
  writeLines(unlist(lapply(results, failures_of)), file.path(queue, paste0("failures-", number)))
}

# What a test found wrong, as text: the file, the test and what was said.
failures_of <- function(result) {
  wrong <- Filter(function(found) inherits(found, c("expectation_failure", "expectation_error")), result$results)
  vapply(wrong, function(found) {
    paste0("Failed: ", result$file, ": ", result$test, "\n", substr(conditionMessage(found), 1, 2000))
  }, "")
}

run_all <- function() {
  queue <- tempfile("queue")
  dir.create(queue)
  logs <- file.path(queue, c("log-1", "log-2"))
  rscript <- shQuote(file.path(R.home("bin"), "Rscript"))
  system(paste(c(paste(rscript, "tools/test.R", shQuote(queue), 1:2, ">", shQuote(logs), "2>&1 &"), "wait"),
               collapse = " "))
  for (log in logs) writeLines(readLines(log, warn = FALSE))
  # Once more at the end, where somebody looks who has the end of the output alone.
  for (failures in Sys.glob(file.path(queue, "failures-*"))) writeLines(readLines(failures, warn = FALSE))
  figures <- file.path(queue, c("figures-1", "figures-2"))
  # A process that was ended has no figures.
  ended <- sum(!file.exists(figures))
  sums <- Reduce(`+`, lapply(figures[file.exists(figures)], readRDS), c(passed = 0, failed = ended))
  text <- sprintf("%d passed, %d failed", sums[["passed"]], sums[["failed"]])
  writeLines(text, "build/test-figures.txt")
  cat(text, "\n", sep = "")
  quit(status = if (sums[["failed"]] || !sums[["passed"]]) 1 else 0)
}

if (length(arguments)) take_files(arguments[1], arguments[2]) else run_all()
