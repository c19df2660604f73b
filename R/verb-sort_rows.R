#' Sort rows
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... Columns, or formulas of columns, to sort by; where the first are equal, the next
#'   decides. [descending()] sorts from the greatest value to the least.
#' @param missing Where rows with a missing value go: `"last"`, in both directions, or `"first"`.
#' @return The sorted table. Rows that are equal in all these columns keep their order. Text is
#'   sorted by the Unicode code points of its characters, whatever the language: capitals before
#'   small letters. Categories are sorted by their levels.
#' @section Errors: `rowanroot_unknown_column`, `rowanroot_bad_choice` for anything but columns,
#'   `rowanroot_type_mismatch` for a column that is a list.
#' @examples
#' visits <- data.frame(apiary = c("SH", "NB", "NB"), net_kg = c(14, 20, 25))
#' visits |> sort_rows(apiary, descending(net_kg))
#' @concept order
#' @concept sort
#' @export
sort_rows <- function(x, ..., missing = "last") {
  call <- quote(sort_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  by <- as.list(substitute(list(...)))[-1]
  apply_step(x, new_step_sort_rows(by, missing, column_names(x), parent.frame(), call), call)
}

new_step_sort_rows <- function(by, missing, names, env, call, sides = new_side_columns(names)) {
  if (!length(by)) {
    stop_because(c("There is no column to sort by.",
                   "try" = "Write {.code sort_rows(x, hive)}, or {.code sort_rows(x, descending(net_kg))}."),
                 "bad_choice", call)
  }
  named <- names(by)[nzchar(names(by))]
  if (length(named)) {
    stop_because(c("{.code sort_rows()} has no argument {.arg {named[1]}}.",
                   "try" = "Columns are given without a name."), "bad_argument", call)
  }
  check_one_of(missing, c("last", "first"), "missing", call)
  order <- choose_order(as.call(c(quote(c), by)), list(columns = names, env = env, call = call, sides = sides))
  columns <- with_sides_of(names, sides)
  with_sides(structure(list(order = order, missing = missing, typed = by, columns = columns, columns_before = columns,
                            env = env), class = c("step_sort_rows", "step")), sides, call)
}

#' @export
bind_step.step_sort_rows <- function(step, names, call) {
  sides <- side_columns_again(step, names)
  new_step_sort_rows(step$typed, step$missing, sides$names, step$env, call, sides)
}

#' @export
step_needs.step_sort_rows <- function(step, wanted) union(wanted, step$order$names)

#' @export
step_keys.step_sort_rows <- function(step, keys) {
  keys_in_rows(key_from(key_of_step(step), keys$rows, keys$columns[step$order$names]), keys$columns)
}

#' @export
step_key.step_sort_rows <- function(step) {
  paste0("sort_rows(", paste(quoted(step$order$names), step$order$descending, collapse = ","), "|", step$missing, ")")
}

#' @export
step_carrying.step_sort_rows <- function(step, name) carried_after(step, name)

#' @export
step_lines.step_sort_rows <- function(step) {
  shown <- paste0("sort_rows(", paste(vapply(step$typed, one_line, ""), collapse = ", "), ")")
  list(list(name = "rows", text = shown, key = rlang::hash(step_key(step))))
}

#' @export
step_lineage.step_sort_rows <- function(step) list(list(rows_in_lineage(step, step$order$names)))

#' @export
call_in_words.call_sort_rows <- function(call) {
  paste0("Sort the rows by ", code_list(free_arguments(call)),
         if (identical(call$arguments$missing, "first")) ", missing ones first")
}

#' @export
step_schema.step_sort_rows <- function(step, schema, call) schema
