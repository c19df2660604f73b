# Runs the tests on the installed package. The last line has the figures.
Sys.setenv(NOT_CRAN = "true")
results <- testthat::test_dir("tests/testthat", package = "rowanroot", load_package = "installed",
                              reporter = "check", stop_on_failure = FALSE)
results <- as.data.frame(results)
passed <- sum(results$passed)
failed <- sum(results$failed) + sum(results$error)
figures <- sprintf("%d passed, %d failed", passed, failed)
writeLines(figures, "build/test-figures.txt")
cat(figures, "\n", sep = "")
quit(status = if (failed || !passed) 1 else 0)
