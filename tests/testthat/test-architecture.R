# How the families of files call each other, read from the code. `make architecture` draws it.

test_that("no family of files calls one above it", {
  skip_if_not(file.exists("../../tools/calls.R"), "The sources are not here.")
  tools <- new.env()
  sys.source("../../tools/calls.R", tools)
  calls <- tools$calls_of_package("../../R")
  expect_gt(nrow(calls), 500)
  expect_identical(setdiff(c(calls$from_family, calls$to_family), unlist(tools$layers)), character())
  up <- calls[calls$up, ]
  expect_identical(paste(up$from, "calls", up$to, recycle0 = TRUE), character())
})

test_that("a call that goes up is seen, whether called, handed over or a method", {
  skip_if_not(file.exists("../../tools/calls.R"), "The sources are not here.")
  tools <- new.env()
  sys.source("../../tools/calls.R", tools)
  local_folder()
  write_text("above <- function(x) UseMethod(\"above\")", "print-a.R")
  write_text(c("called <- function(x) above(x)", "handed <- function(x) lapply(x, above)",
               "above.step <- function(x) x",
               "own <- function(above) above(1)"), "tree-b.R")
  calls <- tools$calls_of_package(".")
  expect_identical(calls$from[calls$up], c("above.step", "called", "handed"))
})

test_that("verbs and trees leave calculation to the engines", {
  skip_if_not(file.exists("../../tools/calls.R"), "The sources are not here.")
  files <- list.files("../../R", "^(verb|tree)-.*[.]R$", full.names = TRUE)
  expect_gt(length(files), 15)
  calls_core <- vapply(files, function(file) any(grepl("_cpp$", all.names(parse(file)))), NA)
  expect_identical(basename(files[calls_core]), character())
})
