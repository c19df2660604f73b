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

# A word of each kind, known while the test runs: its record alone makes it one.
local_word <- function(word, env = parent.frame()) {
  language <- rowanroot:::language
  assign(word$name, list(word), envir = language)
  withr::defer(rm(list = word$name, envir = language), env)
}

test_that("a word without a kernel works by its record, of every kind", {
  local_folder()
  initials <- function(x) vapply(strsplit(x, " "), function(parts) paste(substr(parts, 1, 1), collapse = ""), "")
  spread_of <- function(x, na.rm = FALSE) diff(range(x, na.rm = na.rm))
  since_start <- function(x, along = NULL, within = NULL) NULL
  twice <- function(x) NULL
  # As the package would have them.
  environment(initials) <- environment(spread_of) <- asNamespace("rowanroot")
  local_word(rowanroot:::language_word("initials", "row", fun = initials))
  local_word(rowanroot:::language_word("spread_of", "aggregate", fun = spread_of, options = "na.rm", needs = "numbers"))
  local_word(rowanroot:::ordered_word("since_start", check = function(options, call) list(), fun = since_start,
                                      r = function(x) x - x[1]))
  local_word(rowanroot:::language_word("twice", "derived", fun = twice, one_row = TRUE,
                                       bind = function(given, expr, scope) {
    x <- rowanroot:::bind_formula(given$x, scope)
    rowanroot:::word_node("+", x, x, shown = expr)
  }))
  data <- data.frame(keeper = c("Ivo Marrowin", "Per Skepling", "Ivo Marrowin", "Per Skepling"), kg = c(4, 1, 9, 3),
                     day = c(2, 2, 1, 1))
  quietly(save_table(data, "in.csv"))
  for (table in list(data, open_table("in.csv"))) {
    made <- set_columns(table, {
      who <- initials(keeper)
      spread <- spread_of(kg, within = keeper)
      gain <- since_start(kg, along = day, within = keeper)
      more <- twice(kg)
    })
    found <- as.data.frame(made)
    expect_identical(found$who, c("IM", "PS", "IM", "PS"))
    expect_identical(as.numeric(found$spread), c(5, 2, 5, 2))
    expect_identical(as.numeric(found$gain), c(-5, -2, 0, 0))
    expect_identical(as.numeric(found$more), data$kg * 2)
  }
  expect_error(set_columns(data, { a <- spread_of(keeper) }), class = "rowanroot_type_mismatch")
  expect_identical(as.numeric(one_row_per(data, keeper, { s <- spread_of(kg) })$s), c(5, 2))
  expect_identical(as.numeric(why(made, row = 1, column = more)$value), 8)
  expect_output(print(why(made, row = 1, column = gain)), "in place 2 of 2 rows")
})
