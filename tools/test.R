# Runs the tests on the installed package. The last line has the figures.
Sys.setenv(NOT_CRAN = "true")
results <- testthat::test_dir("tests/testthat", package = "rowanroot", load_package = "installed",
                              reporter = "check", stop_on_failure = FALSE)
expectations <- unlist(lapply(results, `[[`, "results"), recursive = FALSE)
is_one <- function(class) sum(vapply(expectations, inherits, NA, class))
passed <- is_one("expectation_success")
failed <- is_one("expectation_failure") + is_one("expectation_error")
figures <- sprintf("%d passed, %d failed", passed, failed)
writeLines(figures, "build/test-figures.txt")
cat(figures, "\n", sep = "")
quit(status = if (failed || !passed) 1 else 0)
