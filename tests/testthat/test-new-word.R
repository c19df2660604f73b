# A word is added as CONTRIBUTING.md says, to a copy of the sources: its record with the function, its kernel, and
# nothing else. It must then work in every way, by a test that nobody wrote for it.

word_added <- '
#\' The long side of a right triangle
#\'
#\' @param x,y The short sides: numbers of one unit.
#\' @return The long side, in the same unit; missing where one of them is.
#\' @export
hypot <- function(x, y) sqrt(x^2 + y^2)

words_of_triangles <- function() list(
  language_word("hypot", "row", arguments = 2, type = rule_real, memory = "hypotenuse")
)
'

kernel_added <- '
struct Hypotenuse {
  static double apply(double x, double y) { return std::sqrt(x * x + y * y); }
};
'

add_word <- function(folder) {
  write_text(word_added, file.path(folder, "R/language-triangles.R"))
  write(c("export(hypot)"), file.path(folder, "NAMESPACE"), append = TRUE)
  file <- file.path(folder, "src/core/mathematics.cpp")
  code <- readLines(file)
  code <- append(code, kernel_added, grep("^struct Angle", code) - 1)
  entry <- paste('{"hypotenuse", {Type::real, Type::real}, Type::real,',
                 'binary_kernel<Hypotenuse, double, double, double>},')
  writeLines(append(code, entry, grep('\\{"angle"', code)), file)
}

test_that("a new word is a record, a kernel and nothing else", {
  skip_if_not(file.exists("../../src/core/mathematics.cpp"), "The sources are not here.")
  sources <- normalizePath("../..")
  tests <- normalizePath(".")
  local_folder()
  dir.create("package")
  parts <- c("DESCRIPTION", "NAMESPACE", "LICENSE", "R", "src", "inst", "exec")
  file.copy(file.path(sources, parts), "package", recursive = TRUE, copy.date = TRUE)
  add_word("package")
  dir.create("library")
  install <- c("CMD", "INSTALL", "--no-docs", "--no-test-load", "-l", "library", "package")
  status <- system2(file.path(R.home("bin"), "R"), install, stdout = "log", stderr = "log")
  if (status) writeLines(readLines("log"))
  expect_identical(status, 0L)
  code <- sprintf(paste0("testthat::test_file('%s/test-every-way.R', package = 'rowanroot', ",
                         "load_package = 'installed', stop_on_failure = TRUE)"), tests)
  libraries <- paste(normalizePath("library"), Sys.getenv("R_LIBS"), sep = ":")
  withr::local_envvar(ROWANROOT_WORD = "hypot", ROWANROOT_SECONDS = "8", R_LIBS = libraries)
  status <- system2(file.path(R.home("bin"), "Rscript"), c("-e", shQuote(code)), stdout = "log", stderr = "log")
  if (status) writeLines(readLines("log"))
  expect_identical(status, 0L)
  expect_match(paste(readLines("log"), collapse = "\n"), "[1-9][0-9]* of hypot")
})
