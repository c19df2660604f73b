#' Put tables below or beside each other
#'
#' `append_rows()` puts the rows of other tables below those of `x`: columns are matched by name, in any order. `append_columns()`
#' puts the columns of other tables beside those of `x`.
#'
#' Whole numbers become doubles where a table has these, categories get the levels of all in turn, and a text for a category becomes
#' a level of it. Nothing else is converted.
#'
#' @param x A data frame, or a live table from [open_table()].
#' @param ... Data frames; for `append_rows()` also lists of one value for each column.
#' @return A table of the class of `x`. Row names that are only numbers are counted anew.
#' @section Errors:
#' `rowanroot_unknown_column` for a column that `x` does not have, `rowanroot_missing_column` for one that is lacking;
#' `rowanroot_type_mismatch` for text where numbers are, and the like; `rowanroot_wrong_length` for another number of rows;
#' `rowanroot_repeated_name` for a column that is there already; `rowanroot_not_a_table`.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02"), net_kg = c(25, 22.3))
#' visits |> append_rows(data.frame(net_kg = 14L, hive = "SH-01"), list(hive = "OM-01", net_kg = NA))
#' visits |> append_columns(data.frame(frames = c(3L, 6L)))
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
  apply_step(x, new_step_append("append_columns", tables, as.list(substitute(list(...)))[-1], column_names(x), call), call)
}

check_frame <- function(table, what, call) {
  if (is_live_table(table)) {
    stop_because(c("Only the first table can be a live one.", "i" = "Take the other's values by {.code as.data.frame()}."), "not_a_table", call)
  }
  if (!is.data.frame(table)) stop_because("What is appended must be {what}, not {what_is(table)}.", "not_a_table", call)
  check_table(table, call)
}

as_rows <- function(table, call) {
  if (is.list(table) && !is.object(table) && !is.null(names(table))) {
    long <- lengths(table) != 1
    if (any(long)) {
      stop_because(c("A list for {.code append_rows()} has one value for each column.",
                     "x" = "{.code {names(table)[long][1]}} has {lengths(table)[long][1]}.", "i" = "Several rows stand in a data frame."), "wrong_length", call)
    }
    table <- structure(table, row.names = .set_row_names(1), class = "data.frame")
  }
  check_frame(table, "data frames, or lists with a value for each column", call)
  table
}

new_step_append <- function(verb, tables, typed, names, call) {
  if (!length(tables)) stop_because(c("There is nothing to append.", "i" = "Write {.code {verb}(x, other)}."), "bad_argument", call)
  added <- lapply(tables, base::names)
  if (verb == "append_rows") for (k in seq_along(tables)) check_same_columns(added[[k]], names, k, call)
  columns <- if (verb == "append_rows") names else c(names, unlist(added, use.names = FALSE))
  twice <- anyDuplicated(columns)
  if (twice) {
    stop_because(c("There is a column {.code {columns[twice]}} already.", "i" = "Rename one of them first, by {.code rename_columns()}."), "repeated_name", call)
  }
  structure(list(verb = verb, tables = tables, typed = typed, columns = columns, columns_before = names), class = c(paste0("step_", verb), "step_append", "step"))
}

check_same_columns <- function(added, names, number, call) {
  unknown <- setdiff(added, names)
  lacking <- setdiff(names, added)
  if (length(unknown)) {
    hint <- nearest_name(unknown[1], lacking)
    stop_because(c("Table {number} to append has {cli::qty(length(unknown))}{?a column/columns} that the first has not: {listed(unknown)}.",
                   "x" = if (length(lacking) && !length(hint)) "It lacks {listed(lacking)}.",
                   "i" = if (length(hint)) "Is {.code {unknown[1]}} what is called {.code {hint}} there? Rename it by {.code rename_columns()}."
                         else "Leave it out by {.code drop_columns()}."), "unknown_column", call, column = unknown)
  }
  if (!length(lacking)) return(invisible())
  stop_because(c("Table {number} to append lacks {cli::qty(length(lacking))}{?the column/the columns} {listed(lacking)}.",
                 "i" = "To have missing values there, set {cli::qty(length(lacking))}{?it/them} first: {.code set_columns(other, {{ {lacking[1]} <- NA }})}."),
               "missing_column", call, column = lacking)
}

#' @export
bind_step.step_append <- function(step, names, call) new_step_append(step$verb, step$tables, step$typed, names, call)

#' @export
run_step.step_append_rows <- function(step, data, call) {
  columns <- lapply(step$columns, function(name) {
    parts <- c(list(data[[name]]), lapply(step$tables, `[[`, name))
    put_below(parts, name, call)
  })
  rows <- nrow(data) + sum(vapply(step$tables, nrow, 0L))
  row_names <- if (has_row_names(data)) make.unique(c(row.names(data), unlist(lapply(step$tables, row.names)))) else .set_row_names(rows)
  as_table_like(data, stats::setNames(columns, step$columns), row_names)
}

# Values of one column of several tables. What is only missing fits everything.
put_below <- function(parts, name, call, stop_clash = stop_not_of_one_sort) {
  bare <- vapply(parts, function(part) is.logical(part) && all(is.na(part)), NA)
  known <- parts[!bare]
  if (!length(known)) return(unlist(parts))
  model <- known[[1]]
  if (any(vapply(parts, function(part) length(dim(part)) > 0, NA))) {
    stop_because(c("Column {.code {name}} can't be put below another: it is {what_is(model)}.", "i" = "Make columns of its parts first, or leave it out."),
                 "type_mismatch", call, column = name)
  }
  if (any(vapply(known, is.factor, NA)) && all(vapply(known, function(part) is.factor(part) || is.character(part), NA))) return(categories_below(parts, bare, name, call))
  for (k in seq_along(parts)) if (!bare[k] && !are_of_one_sort(model, parts[[k]])) stop_clash(parts, k, model, name, call)
  if (any(vapply(known, inherits, NA, "integer64"))) known <- lapply(known, bit64::as.integer64)
  if (inherits(model, "difftime")) known <- lapply(known, `units<-`, units(model))
  empty <- known[[1]][NA_integer_]
  parts[!bare] <- known
  parts[bare] <- lapply(parts[bare], function(part) rep(empty, length(part)))
  joined <- do.call(c, lapply(parts, unname))
  if (inherits(model, "POSIXct")) attr(joined, "tzone") <- attr(model, "tzone")
  joined
}

are_of_one_sort <- function(model, part) {
  if (is.object(model) || is.object(part)) {
    whole <- vapply(list(model, part), function(x) inherits(x, "integer64") || is.integer(x) && !is.object(x), NA)
    return(identical(class(model), class(part)) || all(whole))
  }
  is.numeric(model) && is.numeric(part) || typeof(model) == typeof(part)
}

stop_not_of_one_sort <- function(parts, k, model, name, call) {
  at <- which(!is.na(parts[[k]]))[1]
  shown <- as.character(parts[[k]][at])
  stop_because(c("Column {.code {name}} of table {k - 1} can't be put below that of the first.",
                 "x" = "There it is {sort_text(parts[[k]])}, in the first table {sort_text(model)}.",
                 "x" = if (is.atomic(parts[[k]])) "Its first value there is {.val {shown}}, in row {at}.",
                 "i" = "Convert one of them first, as by {.code as_number()} or {.code as.character()}."), "type_mismatch", call, column = name)
}

categories_below <- function(parts, bare, name, call) {
  all_levels <- lapply(parts[!bare], function(part) if (is.factor(part)) levels(part) else unique(part[!is.na(part)]))
  are_ordered <- all(vapply(parts[!bare], is.ordered, NA))
  levels <- if (are_ordered) levels_in_one_order(all_levels, name, call) else unique(c(levels(Find(is.factor, parts)), unlist(all_levels)))
  factor(unlist(lapply(parts, as.character)), levels = levels, ordered = are_ordered)
}

# All levels in an order in which those of each table are: of those that may come next, the one that was met first.
levels_in_one_order <- function(all_levels, name, call) {
  left <- unique(unlist(all_levels))
  placed <- character()
  while (length(left)) {
    waiting <- unique(unlist(lapply(all_levels, function(levels) setdiff(levels, placed)[-1])))
    next_one <- setdiff(left, waiting)[1]
    if (is.na(next_one)) {
      stop_because(c("The categories of {.code {name}} are in one order in one table, and in another one in another.", "x" = "These contradict each other: {listed(left, in_quotes)}.",
                     "i" = "Give them one order, as by {.code as_category({name}, levels = c(\u2026))}."), "type_mismatch", call, column = name)
    }
    placed <- c(placed, next_one)
    left <- setdiff(left, next_one)
  }
  placed
}

# "dates", "numbers", "text": what the values of a column are, in words.
values_are <- function(x) {
  if (is.factor(x)) return("categories")
  if (inherits(x, "Date")) return("dates")
  if (inherits(x, "POSIXt")) return("date-times")
  if (inherits(x, "integer64")) return("whole numbers of 64 bits")
  if (is.object(x)) return(paste("values of class", class(x)[1]))
  if (is.character(x)) "text" else if (is.logical(x)) "TRUE or FALSE" else if (is.numeric(x)) "numbers" else paste(typeof(x), "values")
}

# The same column of several files. `place` says in words where a row of a file is.
put_files_below <- function(parts, name, files, place, call) {
  if (length(parts) == 1) return(parts[[1]])
  put_below(parts, name, call, function(parts, k, model, name, call) {
    of_model <- match(TRUE, vapply(parts, identical, NA, model))
    at <- which(!is.na(parts[[k]]))[1]
    shown <- as.character(parts[[k]][at])
    stop_because(c("{.code {name}} has {values_are(model)} in {.file {files[of_model]}}, and {values_are(parts[[k]])} in {.file {files[k]}}.",
                   "x" = "The first value there is {.val {shown}}, in {place(k, at)}.", "i" = "Make them of one type in the files, or open the files apart."),
                 "type_mismatch", call, column = name, file = files[k])
  })
}

#' @export
run_step.step_append_columns <- function(step, data, call) {
  rows <- vapply(step$tables, nrow, 0L)
  wrong <- which(rows != nrow(data))
  if (length(wrong)) {
    stop_because(c("Tables side by side must have the same number of rows.", "x" = "The first has {nrow(data)}, table {wrong[1]} to append {rows[wrong[1]]}.",
                   "i" = "To find rows by a key use {.code look_up()}."), "wrong_length", call)
  }
  columns <- c(unclass(data)[step$columns_before], unlist(lapply(step$tables, as.list), recursive = FALSE))
  with_columns(data, stats::setNames(columns, step$columns))
}

#' @export
step_key.step_append <- function(step) paste0(step$verb, "(", rlang::hash(lapply(step$tables, as.list)), ")")

#' @export
step_lines.step_append <- function(step) {
  shown <- paste0(step$verb, "(", paste(vapply(step$typed, one_line, ""), collapse = ", "), ")")
  list(list(name = if (step$verb == "append_rows") "rows" else "columns", text = shown, key = rlang::hash(step_key(step))))
}
