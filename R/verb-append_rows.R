#' Put tables below or beside each other
#'
#' `append_rows()` puts the rows of other tables below those of `x`: columns are matched by name, in
#' any order. `append_columns()` puts the columns of other tables beside those of `x`.
#'
#' Whole numbers become doubles where another table has doubles, categories get the levels of all
#' tables in turn, and text given for a category becomes one of its levels. Nothing else is
#' converted.
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... Data frames or rooted tables, or paths of files to open; for `append_rows()` also
#'   lists of one value for each column.
#' @param absent What to do where one table has a column that another lacks: it is an error
#'   (`"error"`), or the rows of the table that lacks it have missing values (`"missing"`), and a
#'   line says which.
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
append_rows <- function(x, ..., absent = "error") {
  call <- quote(append_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  others <- other_tables(lapply(list(...), as_rows, call = call), as.list(substitute(list(...)))[-1], call)
  apply_step(x, new_step_append("append_rows", others, absent, column_names(x), call), call)
}

#' @rdname append_rows
#' @export
append_columns <- function(x, ...) {
  call <- quote(append_columns())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  tables <- list(...)
  for (table in tables) check_other(table, "What is appended", "tables", call)
  others <- other_tables(tables, as.list(substitute(list(...)))[-1], call)
  apply_step(x, new_step_append("append_columns", others, "error", column_names(x), call), call)
}

other_tables <- function(tables, shown, call) {
  unname(Map(function(table, shown) new_other_table(table, shown, call), tables, shown))
}

check_other <- function(table, which, what, call) {
  is_path <- is.character(table) && length(table) == 1 && is.null(names(table)) && !is.na(table)
  if (is_path || is_rooted_table(table)) return(invisible())
  if (!is.data.frame(table)) stop_because("{which} must be {what}, not {what_is(table)}.", "not_a_table", call)
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
  check_other(table, "What is appended", "tables, or lists with a value for each column", call)
  table
}

new_step_append <- function(verb, others, absent, names, call) {
  if (!length(others)) {
    stop_because(c("There is nothing to append.", "try" = "{.code {verb}(x, other)}"), "bad_argument", call)
  }
  check_one_of(absent, c("error", "missing"), "absent", call)
  added <- lapply(others, other_columns)
  is_below <- verb == "append_rows"
  if (is_below && absent == "error") for (k in seq_along(others)) check_same_columns(added[[k]], names, k, call)
  columns <- if (is_below) unique(c(names, unlist(added))) else c(names, unlist(added, use.names = FALSE))
  twice <- anyDuplicated(columns)
  if (twice) {
    stop_because(c("There is a column {.code {columns[twice]}} already.",
                   "try" = "Rename one of them first, with {.code rename_columns()}."), "repeated_name", call)
  }
  structure(list(verb = verb, others = others, absent = absent, columns = columns, columns_before = names),
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
bind_step.step_append <- function(step, names, call) {
  new_step_append(step$verb, lapply(step$others, other_table_now, call = call), step$absent, names, call)
}

#' @export
step_key.step_append <- function(step) {
  paste0(step$verb, "(", rlang::hash(lapply(step$others, key_of_other)),
         if (step$absent != "error") paste0(",", step$absent), ")")
}

#' @export
step_lines.step_append <- function(step) {
  shown <- c(vapply(step$others, function(other) one_line(other$shown), ""),
             if (step$absent != "error") "absent = \"missing\"")
  list(list(name = if (step$verb == "append_rows") "rows" else "columns",
            text = paste0(step$verb, "(", paste(shown, collapse = ", "), ")"),
            key = rlang::hash(c(step$verb, step$absent, line_keys_of(step)))))
}

#' @export
step_reason.step_append_rows <- function(step, column, row, rows) {
  if (row <= rows) return(if (column %in% step$columns_before) reason_same(column, row) else reason_given())
  row <- row - rows
  for (other in step$others) {
    if (row <= nrow(other_values(other))) break
    row <- row - nrow(other_values(other))
  }
  if (column %in% other_columns(other)) reason_other(other, column, row) else reason_given()
}

#' @export
step_reason.step_append_columns <- function(step, column, row, rows) {
  if (column %in% step$columns_before) return(reason_same(column, row))
  other <- Find(function(other) column %in% other_columns(other), step$others)
  reason_other(other, column, row)
}

#' @export
call_in_words.call_append_rows <- function(call) {
  paste0("Put below the rows of ", code_list(free_arguments(call)),
         if (identical(call$arguments$absent, "missing")) ", missing where a column is absent")
}

#' @export
call_in_words.call_append_columns <- function(call) paste("Put beside the columns of", code_list(free_arguments(call)))
