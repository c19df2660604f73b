# How much of the code the tests of the package run, of R and of C++, file by file, the least first: into
# build/coverage.txt. Programs that the tests start count too. What the instruments make slower, or say themselves,
# lets a few tests fail: that is for `make test`.
tests <- normalizePath("tests/testthat")
run <- paste('testthat::test_dir("%s", package = "rowanroot", load_package = "installed",',
             'reporter = "check", stop_on_failure = FALSE)')
code <- c('Sys.setenv(NOT_CRAN = "true")', sprintf(run, tests))
# A program that a test kills may leave half of what it counted.
code <- c(code, '
  traces <- list.files(dirname(find.package("rowanroot")), "^covr_trace_", full.names = TRUE, recursive = TRUE)
  for (file in traces) if (inherits(try(readRDS(file), silent = TRUE), "try-error")) unlink(file)
')
lines <- as.data.frame(covr::package_coverage(".", type = "none", code = code,
                                              line_exclusions = list("src/RcppExports.cpp", "R/RcppExports.R")))
lines <- lines[!duplicated(lines[c("filename", "first_line")]), ]
lines$run <- lines$value > 0
by_file <- aggregate(run ~ filename, lines, function(run) c(lines = length(run), percent = round(100 * mean(run), 1)))
by_file <- do.call(data.frame, by_file)
names(by_file) <- c("file", "lines", "percent")
by_file <- by_file[order(by_file$percent), ]
of_language <- tapply(lines$run, ifelse(grepl("[.]R$", lines$filename), "R", "C++"), mean)
told <- c(utils::capture.output(print(by_file, row.names = FALSE)), "",
          sprintf("%s: %.1f %% of lines", c(names(of_language), "all"), 100 * c(of_language, mean(lines$run))))
dir.create("build", showWarnings = FALSE)
writeLines(told, "build/coverage.txt")
missed <- lines[!lines$run, c("filename", "first_line")]
utils::write.csv(missed, "build/not-run.csv", row.names = FALSE)
writeLines(told)
