#' Put tables below or beside each other
#'
#' `append_rows()` puts the rows of other tables below those of `x`: columns are matched by name, in any order.
#' `append_columns()` puts the columns of other tables beside those of `x`.
#'
#' Whole numbers become doubles where another table has doubles, categories get the levels of all
#' tables in turn, and text given for a category becomes one of its levels. Nothing else is
#' converted.
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... Data frames; for `append_rows()` also lists of one value for each column.
#' @return A table of the same class. Row names that are only numbers are numbered again.
#' @section Errors: `rowanroot_unknown_column` for a column that `x` does not have,
#'   `rowanroot_missing_column` for one that is not there; `rowanroot_type_mismatch` for types that
#'   do not fit, such as text below numbers; `rowanroot_wrong_length` for a different number of
#'   rows; `rowanroot_repeated_name` for a column that already exists; `rowanroot_not_a_table`.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02"), net_kg = c(25, 22.3))
#' visits |> append_rows(data.frame(net_kg = 14L, hive = "SH-01"), list(hive = "OM-01", net_kg = NA))
#' visits |> append_columns(data.frame(frames = c(3L, 6L)))
#' @concept union
#' @concept stack
#' @concept bind
#' @export
append_rows <- function(x, ...) {
  call <- quote(append_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  tables <- lapply(list(...), as_rows, call = call)
  apply_step(x, new_step_append("append_rows", tables, as.list(substitute(list(...)))[-1], column_names(x), call), call)
}

#' @rdname append_rows
#' @export
append_columns <- function(x, ...) {
  call <- quote(append_columns())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  tables <- list(...)
  for (table in tables) check_frame(table, "data frames", call)
  apply_step(x, new_step_append("append_columns", tables, as.list(substitute(list(...)))[-1], column_names(x), call),
             call)
}

check_frame <- function(table, what, call) {
  if (is_rooted_table(table)) {
    stop_because(c("Only the first table can be a live one.",
                   "try" = "Take the other's values by {.code as.data.frame()}."), "not_a_table", call)
  }
  if (!is.data.frame(table)) stop_because("What is appended must be {what}, not {what_is(table)}.", "not_a_table", call)
  check_table(table, call)
}

as_rows <- function(table, call) {
  if (is.list(table) && !is.object(table) && !is.null(names(table))) {
    long <- lengths(table) != 1
    if (any(long)) {
      stop_because(c("A list for {.code append_rows()} has one value for each column.",
                     "found" = "{.code {names(table)[long][1]}} has {lengths(table)[long][1]}.",
                       "try" = "Several rows stand in a data frame."), "wrong_length", call)
    }
    table <- structure(table, row.names = .set_row_names(1), class = "data.frame")
  }
  check_frame(table, "data frames, or lists with a value for each column", call)
  table
}

new_step_append <- function(verb, tables, typed, names, call) {
  if (!length(tables)) {
    stop_because(c("There is nothing to append.", "try" = "{.code {verb}(x, other)}"), "bad_argument", call)
  }
  added <- lapply(tables, base::names)
  if (verb == "append_rows") for (k in seq_along(tables)) check_same_columns(added[[k]], names, k, call)
  columns <- if (verb == "append_rows") names else c(names, unlist(added, use.names = FALSE))
  twice <- anyDuplicated(columns)
  if (twice) {
    stop_because(c("There is a column {.code {columns[twice]}} already.",
                   "try" = "Rename one of them first, with {.code rename_columns()}."), "repeated_name", call)
  }
  structure(list(verb = verb, tables = tables, typed = typed, columns = columns, columns_before = names),
            class = c(paste0("step_", verb), "step_append", "step"))
}

check_same_columns <- function(added, names, number, call) {
  unknown <- setdiff(added, names)
  lacking <- setdiff(names, added)
  if (length(unknown)) {
    hint <- nearest_name(unknown[1], lacking)
    stop_because(c(paste0("Table {number} to append has {cli::qty(length(unknown))}{?a column/columns} that the ",
                          "first has not: {listed(unknown)}."),
                   "found" = if (length(lacking) && !length(hint)) "It lacks {listed(lacking)}.",
                   "try" = if (length(hint)) paste0("Is it the column {.code {hint}}? ",
                                                  "Then rename it with {.code rename_columns()}.")
                         else "Leave it out by {.code drop_columns()}."), "unknown_column", call, column = unknown)
  }
  if (!length(lacking)) return(invisible())
  stop_because(c(paste0("Table {number} to append lacks {cli::qty(length(lacking))}{?the column/the columns} ",
                        "{listed(lacking)}."),
                 "try" = paste0("To have missing values there, set {cli::qty(length(lacking))}{?it/them} first: ",
                              "{.code set_columns(other, {{ {lacking[1]} <- NA }})}.")),
               "missing_column", call, column = lacking)
}

#' @export
bind_step.step_append <- function(step, names, call) new_step_append(step$verb, step$tables, step$typed, names, call)

#' @export
step_key.step_append <- function(step) paste0(step$verb, "(", rlang::hash(lapply(step$tables, as.list)), ")")

#' @export
step_lines.step_append <- function(step) {
  shown <- paste0(step$verb, "(", paste(vapply(step$typed, one_line, ""), collapse = ", "), ")")
  list(list(name = if (step$verb == "append_rows") "rows" else "columns", text = shown,
            key = rlang::hash(step_key(step))))
}

#' @export
step_reason.step_append <- function(step, column, row, rows) {
  is_of_first <- if (step$verb == "append_rows") row <= rows else column %in% step$columns_before
  if (is_of_first) reason_same(column, row) else reason_given()
}

#' @export
call_in_words.call_append_rows <- function(call) paste("Put below the rows of", code_list(free_arguments(call)))

#' @export
call_in_words.call_append_columns <- function(call) paste("Put beside the columns of", code_list(free_arguments(call)))
