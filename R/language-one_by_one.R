#' Call a function for each row
#'
#' The slow way, for a function that can neither become part of a formula nor be called with whole
#' columns. On a terminal a progress bar is shown.
#'
#' @param f A function that returns one value.
#' @param ... Its arguments, each with one value for each row or one for all rows, with or without
#'   names.
#' @return A vector with one value for each row. Whole numbers and doubles together give doubles;
#'   text can't be mixed with other types; a missing value fits every type.
#' @section Errors: `rowanroot_wrong_length` if the arguments differ in length, or `f` does not
#'   return exactly one value; `rowanroot_formula_failed`, with the row, if `f` fails;
#'   `rowanroot_type_mismatch` if it returns text for some rows and numbers for others.
#' @examples
#' grade <- function(kg) {
#'   while (kg > 10) kg <- kg / 2
#'   kg
#' }
#' visits <- data.frame(net_kg = c(25, 8, 14))
#' visits |> set_columns({ left_kg <- one_by_one(grade, net_kg) })
#' @export
one_by_one <- function(f, ...) {
  call <- quote(one_by_one())
  if (!is.function(f)) stop_because("{.arg f} must be a function, not {what_is(f)}.", "bad_argument", call)
  arguments <- list(...)
  lengths <- lengths(arguments)
  rows <- if (any(lengths != 1)) max(lengths[lengths != 1]) else if (length(lengths)) 1L else 0L
  if (any(lengths == 0)) rows <- 0L
  wrong <- which(lengths != rows & lengths != 1)
  if (length(wrong)) {
    stop_because(c("All arguments must have one value for each row, or one for all rows.",
                   "found" = "One has {counted(lengths[wrong[1]], 'value')}, another {counted(rows, 'value')}."),
                     "wrong_length", call)
  }
  values <- call_each_row(f, arguments, rows, call)
  combine_values(values, call)
}

call_each_row <- function(f, arguments, rows, call) {
  values <- vector("list", rows)
  bar <- cli::cli_progress_bar("Row by row", total = rows)
  for (row in seq_len(rows)) {
    one <- lapply(arguments, function(argument) if (length(argument) == 1) argument else argument[[row]])
    value <- tryCatch(do.call(f, one), error = function(error) {
      stop_because(c("Can't calculate row {row}.", "found" = "R's message: {conditionMessage(error)}"),
                   "formula_failed",
                   call, row = row)
    })
    if (length(value) != 1) {
      stop_because(c("The function must give one value for each row.",
                     "found" = "For row {row} it gives {what_is(value)}."),
                   "wrong_length", call)
    }
    values[[row]] <- value
    if (row %% 1000 == 0) cli::cli_progress_update(1000, id = bar)
  }
  cli::cli_progress_done(bar)
  values
}

combine_values <- function(values, call) {
  known <- values[!vapply(values, is_missing_literal, NA)]
  is_text <- vapply(known, is.character, NA)
  if (any(is_text) && !all(is_text)) {
    stop_because(c("The function gives text for some rows and other values for others.",
                   "try" = "Convert one of them with {.code as.character()} or {.code as.numeric()}."),
                     "type_mismatch", call)
  }
  if (length(values)) do.call(c, values) else logical()
}
