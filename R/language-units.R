#' Convert units
#'
#' Converts numbers from one unit to another with the package units, which must be installed.
#'
#' @param x A column, or a vector, of numbers.
#' @param from,to The units, written as in the package units: `"mm"`, `"kg"`, `"degree_Celsius"`,
#'   `"km/h"`.
#' @return Doubles. Missing values stay missing.
#' @section Errors: `rowanroot_bad_argument` for units that are unknown or measure different
#'   quantities; `rowanroot_type_mismatch` for anything but numbers; `rowanroot_missing_package` if
#'   units is not installed.
#' @examplesIf requireNamespace("units", quietly = TRUE)
#' convert_unit(c(12, 250), "mm", "cm")
#' visits <- data.frame(gross_kg = c(31, NA))
#' visits |> set_columns({ gross_lb <- convert_unit(gross_kg, "kg", "lb") })
#' @concept unit conversion
#' @export
convert_unit <- function(x, from, to) {
  call <- quote(convert_unit())
  if (!(is.numeric(x) && !is.object(x)) && !(is.logical(x) && all(is.na(x)))) {
    stop_because(c("{.arg x} must be numbers, not {what_is(x)}.",
                   "try" = "Convert text with {.code as_number()}."), "type_mismatch", call)
  }
  if (!requireNamespace("units", quietly = TRUE)) {
    stop_because(c("{.code convert_unit()} needs the package units.",
                   "try" = "Install it: {.code install.packages(\"units\")}."), "missing_package", call)
  }
  for (name in c("from", "to")) check_unit(get(name), name, call)
  tryCatch(as.numeric(units::set_units(units::set_units(as.numeric(x), from, mode = "standard"), to,
                                       mode = "standard")), error = function(e) {
    stop_because("Can't convert {.val {from}} to {.val {to}}: they are units of different quantities.",
                 "bad_argument", call)
  })
}

check_unit <- function(unit, name, call) {
  if (is_one_text(unit) && nzchar(unit) && !inherits(try(units::as_units(unit), silent = TRUE), "try-error")) {
    return(invisible())
  }
  stop_because(c("{.arg {name}} must be a unit, such as {.val kg} or {.val km/h}.",
                 "found" = "It is {one_line(unit)}."),
               "bad_argument", call)
}

words_of_units <- function() list(language_word("convert_unit", "row"))
