#' One row of each kind: remove repeated rows
#'
#' Keeps one row for each combination of values of the columns, with all its other columns. To
#' calculate something from the rows of a group, use [one_row_per()].
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... Columns, chosen as shown in [all_columns()], or formulas of columns; by default all,
#'   so that only rows that are wholly the same are removed. Missing values count as equal.
#' @param keep Which of the rows stays: the `"first"` or the `"last"`.
#' @param along Columns, or formulas of columns, that give the order of rows for `keep`, in
#'   [descending()] order if the greatest comes first; by default the order of the table.
#' @return A table of the same class with the rows that stay, in their order. Row names that are only
#'   numbers are numbered again.
#' @section Errors: `rowanroot_unknown_column`, `rowanroot_bad_choice`, `rowanroot_bad_argument` for
#'   a wrong `keep`, `rowanroot_type_mismatch` for a column that is a list.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02", "NB-01"), day = 3:1, net_kg = c(25, 22, 24))
#' visits |> one_of_each(hive)
#' visits |> one_of_each(hive, keep = "last", along = day)
#' @concept deduplicate
#' @concept distinct
#' @concept unique
#' @export
one_of_each <- function(x, ..., keep = "first", along = NULL) {
  call <- quote(one_of_each())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  typed <- with_columns_found(as.call(c(quote(c), as.list(substitute(list(...)))[-1])), x, parent.frame(), call)
  apply_step(x, new_step_one_of_each(typed, keep, substitute(along), column_names(x), parent.frame(), call), call)
}

new_step_one_of_each <- function(typed, keep, along, names, env, call, sides = new_side_columns(names)) {
  check_one_of(keep, c("first", "last"), "keep", call)
  given <- names_or_none(as.list(typed)[-1])
  if (any(nzchar(given))) {
    stop_because(c("{.code one_of_each()} has no argument {.arg {given[nzchar(given)][1]}}.",
                   "try" = "Columns are given without a name."), "bad_argument", call)
  }
  scope <- list(columns = names, env = env, call = call, sides = sides)
  by <- if (length(typed) > 1) choose_groups(typed, scope) else names
  order <- if (!is.null(along)) choose_order(along, scope)
  columns <- with_sides_of(names, sides)
  with_sides(structure(list(by = by, keep = keep, order = order, typed = typed, along = along, columns = columns,
                            columns_before = columns, env = env), class = c("step_one_of_each", "step")), sides, call)
}

#' @export
bind_step.step_one_of_each <- function(step, names, call) {
  sides <- side_columns_again(step, names)
  new_step_one_of_each(step$typed, step$keep, step$along, sides$names, step$env, call, sides)
}

#' @export
chooses_rows.step_one_of_each <- function(step) TRUE

#' @export
step_needs.step_one_of_each <- function(step, wanted) union(wanted, c(step$by, step$order$names))

#' @export
step_keys.step_one_of_each <- function(step, keys) {
  keys_in_rows(key_from(key_of_step(step), keys$rows, keys$columns[c(step$by, step$order$names)]), keys$columns)
}

#' @export
step_key.step_one_of_each <- function(step) {
  paste0("one_of_each(", paste(quoted(step$by), collapse = ","), "|", step$keep, "|",
         paste(quoted(step$order$names), step$order$descending, collapse = ","), ")")
}

#' @export
step_carrying.step_one_of_each <- function(step, name) carried_after(step, name)

#' @export
step_lines.step_one_of_each <- function(step) {
  shown <- c(vapply(as.list(step$typed)[-1], one_line, ""), if (step$keep == "last") "keep = \"last\"",
             if (!is.null(step$along)) paste("along =", one_line(step$along)))
  list(list(name = "rows", text = paste0("one_of_each(", paste(shown, collapse = ", "), ")"),
            key = rlang::hash(step_key(step))))
}

#' @export
step_lineage.step_one_of_each <- function(step) list(list(rows_in_lineage(step, c(step$by, step$order$names))))

#' @export
call_in_words.call_one_of_each <- function(call) {
  given <- call$arguments
  columns <- free_arguments(call)
  paste0("Keep the ", if (identical(given$keep, "last")) "last" else "first", " row of each ",
         if (length(columns)) code_list(columns) else "kind",
         if (!is.null(given$along)) paste(" along", code_text(given$along)))
}

#' @export
step_schema.step_one_of_each <- function(step, schema, call) in_other_rows(schema)
