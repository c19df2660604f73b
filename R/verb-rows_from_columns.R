#' Make rows of columns, and columns of rows
#'
#' `rows_from_columns()` makes a long table of a wide one: each row becomes several, one for each of
#' the columns. `columns_from_rows()` makes a wide table of a long one: rows that are the same but
#' for a name and its value become one row, with a column for each name.
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... The columns, chosen as shown in [all_columns()]. If `value` has patterns they say
#'   which.
#' @param name For `rows_from_columns()` the name of the new column that has the columns' names; for
#'   `columns_from_rows()` the column whose values become names.
#' @param value For `rows_from_columns()` the name of the new column that has their values; or
#'   patterns with names, as in `c(kg = "*_kg", frames = "*_frames")`, for several value columns:
#'   what `*` stands for is the name. For `columns_from_rows()` the column with the values, several
#'   in `c()`, or an aggregate such as `sum(kg)`, which says how several values for one name become
#'   one.
#' @param absent What stands where there is no row for a name: one value.
#' @return A table of the class of `x`. `rows_from_columns()`: the other columns, `name`, and the
#'   values; the rows of one row stand together, in the order of the columns. Types must fit, as in
#'   [append_rows()]. `columns_from_rows()`: the columns that are neither name nor value, then one
#'   for each name, in the order in which the names first appear (of categories, in that of the
#'   levels); rows in the order in which they first appear. Of several values the columns are called
#'   `name_value`.
#' @section Errors: `rowanroot_type_mismatch` for columns of types that do not fit;
#'   `rowanroot_missing_column` where one of several value columns is not there for a name;
#'   `rowanroot_several_values` for two values of one name, with their rows;
#'   `rowanroot_missing_name` for a missing name; `rowanroot_repeated_name`;
#'   `rowanroot_unknown_column`; `rowanroot_bad_argument`; `rowanroot_bad_choice`.
#' @examples
#' wide <- data.frame(hive = c("NB-01", "NB-02"), may = c(25, 22.3), june = c(30, NA))
#' long <- rows_from_columns(wide, may:june, name = "month", value = "kg")
#' long
#' columns_from_rows(long, name = month, value = kg)
#'
#' data.frame(hive = "NB-01", may_kg = 25, may_frames = 8, june_kg = 30, june_frames = 10) |>
#'   rows_from_columns(name = "month", value = c(kg = "*_kg", frames = "*_frames"))
#' data.frame(hive = c("NB-01", "NB-01"), month = "may", kg = c(20, 5)) |>
#'   columns_from_rows(name = month, value = sum(kg), absent = 0)
#' @concept reshape
#' @concept long and wide
#' @concept pivot table
#' @concept unpivot
#' @concept crosstab
#' @export
rows_from_columns <- function(x, ..., name = "name", value = "value") {
  call <- quote(rows_from_columns())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  typed <- with_columns_found(as.call(c(quote(c), as.list(substitute(list(...)))[-1])), x, parent.frame(), call)
  apply_step(x, new_step_rows_from(typed, name, value, column_names(x), parent.frame(), call), call)
}

new_step_rows_from <- function(typed, name, value, names, env, call) {
  given <- names_or_none(as.list(typed)[-1])
  if (any(nzchar(given))) {
    stop_because(c("{.code rows_from_columns()} has no argument {.arg {given[nzchar(given)][1]}}.",
                   "try" = "Columns are given without a name."), "bad_argument", call)
  }
  check_names_given(name, "name", call, only_one = TRUE)
  check_names_given(unname(value), "value", call)
  chosen <- if (length(typed) > 1) choose_columns(typed, names, env, call)
  from <- if (is.null(base::names(value))) columns_for_value(chosen, value, typed, call)
          else columns_for_patterns(chosen, value, names, call)
  rest <- setdiff(names, unlist(from$columns))
  columns <- c(rest, name, base::names(from$columns))
  twice <- anyDuplicated(columns)
  if (twice) {
    stop_because(c("Two columns would be called {.code {columns[twice]}}.",
                   "try" = "Choose other names in {.arg name} and {.arg value}."), "repeated_name", call)
  }
  structure(list(typed = typed, name = name, value = value, rest = rest, from = from$columns, labels = from$labels,
                 columns = columns, columns_before = names, env = env), class = c("step_rows_from", "step"))
}

# The columns that each value column is made of, and their labels.
columns_for_value <- function(chosen, value, typed, call) {
  if (length(value) != 1) {
    stop_because(c("Several value columns need patterns.", "found" = "{.arg value} is {listed(value, in_quotes)}.",
                   "try" = "{.code value = c(kg = \"*_kg\", frames = \"*_frames\")}"), "bad_argument", call)
  }
  if (!length(chosen)) {
    stop_because(c("No columns are given.",
                   "try" = "{.code rows_from_columns(x, jan:dec, name = \"month\", value = \"kg\")}"),
                 "bad_choice", call)
  }
  list(columns = stats::setNames(list(chosen), value), labels = chosen)
}

columns_for_patterns <- function(chosen, value, names, call) {
  if (!all(nzchar(base::names(value))) || anyDuplicated(base::names(value)) ||
      !all(lengths(regmatches(value, gregexpr("*", value, fixed = TRUE))) == 1)) {
    stop_because(c("Each pattern in {.arg value} needs a name, and one {.code *}.",
                   "try" = "{.code value = c(kg = \"*_kg\", frames = \"*_frames\")}"), "bad_argument", call)
  }
  among <- if (is.null(chosen)) names else chosen
  labels_of <- lapply(unname(value), function(pattern) {
    ends <- strsplit(paste0(pattern, " "), "*", fixed = TRUE)[[1]]
    ends[2] <- substr(ends[2], 1, nchar(ends[2]) - 1)
    fits <- startsWith(among, ends[1]) & endsWith(among, ends[2]) & nchar(among) > nchar(ends[1]) + nchar(ends[2])
    stats::setNames(among[fits], substring(among[fits], nchar(ends[1]) + 1, nchar(among[fits]) - nchar(ends[2])))
  })
  all_fit <- unlist(lapply(labels_of, unname))
  if (anyDuplicated(all_fit)) {
    stop_because("{.code {all_fit[duplicated(all_fit)][1]}} fits two of the patterns.", "bad_choice", call)
  }
  unused <- setdiff(chosen, all_fit)
  if (length(unused)) stop_because("{.code {unused[1]}} fits none of the patterns.", "bad_choice", call)
  labels <- unique(unlist(lapply(labels_of, base::names)))
  if (!length(labels)) stop_because("No column fits the patterns {listed(value, in_quotes)}.", "bad_choice", call)
  columns <- lapply(seq_along(value), function(k) {
    lacking <- setdiff(labels, base::names(labels_of[[k]]))
    if (!length(lacking)) return(unname(labels_of[[k]][labels]))
    column <- sub("*", lacking[1], value[[k]], fixed = TRUE)
    stop_because(c("There is no column {.code {column}} for {.val {lacking[1]}}.",
                   "try" = "To have missing values there: {.code set_columns(x, {{ {column} <- NA }})}."),
                 "missing_column", call, column = column)
  })
  list(columns = stats::setNames(columns, base::names(value)), labels = labels)
}

#' @export
bind_step.step_rows_from <- function(step, names, call) {
  new_step_rows_from(step$typed, step$name, step$value, names, step$env, call)
}

#' @export
step_needs.step_rows_from <- function(step, wanted) {
  made <- intersect(wanted, names(step$from))
  # One column at least has the number of rows.
  if (!length(made)) made <- names(step$from)[1]
  intersect(step$columns_before, c(wanted, unlist(step$from[made])))
}

#' @export
step_keys.step_rows_from <- function(step, keys) {
  rows <- key_from(key_of_step(step), keys$rows)
  columns <- keys_in_rows(rows, keys$columns[intersect(step$rest, names(keys$columns))])$columns
  columns[[step$name]] <- key_from(rows, step$name)
  for (name in names(step$from)) {
    from <- keys$columns[step$from[[name]]]
    if (!anyNA(from)) columns[[name]] <- key_from(rows, name, from)
  }
  list(rows = rows, columns = columns)
}

#' @export
step_key.step_rows_from <- function(step) {
  from <- vapply(step$from, function(columns) paste(quoted(columns), collapse = ","), "")
  made <- paste(quoted(names(step$from)), from, sep = "=", collapse = ";")
  paste0("rows_from_columns(", quoted(step$name), "|", made, "|", paste(quoted(step$labels), collapse = ","), ")")
}

#' @export
step_lines.step_rows_from <- function(step) {
  shown <- c(vapply(as.list(step$typed)[-1], one_line, ""), paste("name =", quoted(step$name)),
             paste("value =", one_line(step$value)))
  list(list(name = "rows", text = paste0("rows_from_columns(", paste(shown, collapse = ", "), ")"),
            key = rlang::hash(step_key(step))))
}

#' @export
goes_by_chunks.step_rows_from <- function(step, carried = TRUE) TRUE

#' @export
step_carrying.step_rows_from <- function(step, name) {
  step$rest <- c(step$rest, name)
  carried_after(step, name)
}

#' @export
step_lineage.step_rows_from <- function(step) {
  line <- step_lines(step)[[1]]
  made <- lapply(names(step$from), function(name) {
    list(name = name, kind = "column", formula = line$text, from = step$from[[name]])
  })
  names <- list(name = step$name, kind = "column", formula = line$text, from = character())
  list(list(rows_in_lineage(step, character(), line)), c(list(names), made))
}

#' @export
step_reason.step_rows_from <- function(step, column, row, rows) {
  each <- length(step$labels)
  before <- (row - 1) %/% each + 1
  at <- (row - 1) %% each + 1
  if (column == step$name) return(reason_given())
  if (!column %in% names(step$from)) return(reason_same(column, before))
  reason_same(step$from[[column]][at], before, paste(column, "<-", step$from[[column]][at]))
}

#' @export
call_in_words.call_rows_from_columns <- function(call) {
  columns <- free_arguments(call)
  name <- if (is.null(call$arguments$name)) "name" else as.character(call$arguments$name)
  paste0("Make rows of ", if (length(columns)) paste("the columns", code_list(columns)) else
         paste("columns by", code_text(call$arguments$value)), ", with their names in ", name)
}
