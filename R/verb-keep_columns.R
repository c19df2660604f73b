#' Keep, drop and move columns
#'
#' `keep_columns()` keeps the chosen columns, in the order in which they are given; `drop_columns()`
#' removes them; `move_columns()` puts them side by side at another position.
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... The columns, chosen as shown in [all_columns()].
#' @param after,before Where the columns go: after or before the column of this name; `after = 0` puts them first. By
#'   default they go last.
#' @return A table with these columns, and the rows of `x`. Columns are shared with `x`, not copied.
#' @section Errors: `rowanroot_unknown_column`; `rowanroot_bad_choice` for anything that does not
#'   choose columns; `rowanroot_bad_argument` for `new = old`, which is for [rename_columns()].
#' @examples
#' visits <- data.frame(
#'   hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5), tare_kg = c(6, 6.2), frames = c(3L, 6L)
#' )
#' visits |> keep_columns(frames, names_like("*_kg"))
#' visits |> drop_columns(gross_kg:tare_kg)
#' visits |> move_columns(columns_that(is.integer), after = hive)
#' @export
keep_columns <- function(x, ...) {
  call <- quote(keep_columns())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  typed <- choice_as_typed(substitute(list(...)), x, parent.frame(), call)
  apply_step(x, new_step_columns("keep_columns", typed, NULL, column_names(x), parent.frame(), call), call)
}

#' @rdname keep_columns
#' @export
drop_columns <- function(x, ...) {
  call <- quote(drop_columns())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  typed <- choice_as_typed(substitute(list(...)), x, parent.frame(), call)
  apply_step(x, new_step_columns("drop_columns", typed, NULL, column_names(x), parent.frame(), call), call)
}

#' @rdname keep_columns
#' @export
move_columns <- function(x, ..., after = NULL, before = NULL) {
  call <- quote(move_columns())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  typed <- choice_as_typed(substitute(list(...)), x, parent.frame(), call)
  after <- place_as_typed(substitute(after), substitute(before), call)
  apply_step(x, new_step_columns("move_columns", typed, after, column_names(x), parent.frame(), call), call)
}

# The choice of columns as code.
choice_as_typed <- function(typed, x, env, call) {
  parts <- as.list(typed)[-1]
  named <- names(parts)[nzchar(names(parts))]
  if (length(named)) {
    stop_because(c("{.code {deparse(call)}} can't rename columns.",
                   "found" = "{.code {named[1]} = {one_line(parts[[named[1]]])}}",
                   "try" = "To rename, write {.code rename_columns(x, {named[1]} = {one_line(parts[[named[1]]])})}."),
                     "bad_argument", call)
  }
  if (!length(parts)) {
    stop_because(c("No columns are given.", "try" = "{.code {call[[1]]}(x, hive, net_kg)}"), "bad_choice", call)
  }
  with_columns_found(as.call(c(quote(c), parts)), x, env, call)
}

new_step_columns <- function(verb, typed, after, names, env, call) {
  chosen <- choose_columns(typed, names, env, call)
  if (!length(chosen) && verb != "drop_columns") {
    stop_because(c("{.code {paste(vapply(as.list(typed)[-1], one_line, ''), collapse = ', ')}} chooses no column.",
                   "try" = "The columns are {listed(names)}."), "bad_choice", call)
  }
  columns <- switch(verb,
    keep_columns = chosen,
    drop_columns = setdiff(names, chosen),
    move_columns = moved(names, chosen, place_of(after, names, env, call))
  )
  structure(list(verb = verb, typed = typed, after = after, from = columns, columns = columns,
                 columns_before = names, env = env),
            class = c("step_columns", "step"))
}

# `place` is the number of old columns that come before.
moved <- function(names, chosen, place) {
  rest <- setdiff(names, chosen)
  append(rest, chosen, after = sum(match(rest, names) <= place))
}

#' @export
bind_step.step_columns <- function(step, names, call) {
  new_step_columns(step$verb, step$typed, step$after, names, step$env, call)
}

#' @export
step_needs.step_columns <- function(step, wanted) step$from[match(wanted, step$columns)]

#' @export
step_keys.step_columns <- function(step, keys) {
  there <- step$from %in% names(keys$columns)
  list(rows = keys$rows, columns = stats::setNames(keys$columns[step$from[there]], step$columns[there]))
}

#' @export
step_key.step_columns <- function(step) {
  paste0("columns(", paste(quoted(step$columns), quoted(step$from), sep = "=", collapse = ","), ")")
}

#' @export
step_lines.step_columns <- function(step) {
  shown <- c(vapply(as.list(step$typed)[-1], one_line, ""),
             if (is_call_to(step$after, "before")) paste("before =", one_line(step$after[[2]]))
             else if (!is.null(step$after)) paste("after =", one_line(step$after)))
  list(list(name = "columns", text = paste0(step$verb, "(", paste(shown, collapse = ", "), ")"),
            key = rlang::hash(step_key(step))))
}

#' @export
goes_by_chunks.step_columns <- function(step, carried = TRUE) TRUE

#' @export
step_carrying.step_columns <- function(step, name) {
  step$from <- c(step$from, name)
  carried_after(step, name)
}

#' @export
step_lineage.step_columns <- function(step) {
  renamed <- which(step$columns != step$from)
  list(lapply(renamed, function(k) {
    list(name = step$columns[k], kind = "column", formula = paste(step$columns[k], "<-", step$from[k]),
         from = step$from[k])
  }))
}

#' @export
step_reason.step_columns <- function(step, column, row, rows) {
  from <- step$from[match(column, step$columns)]
  reason_same(from, row, if (from != column) paste(column, "<-", from))
}

#' @export
call_in_words.call_keep_columns <- function(call) paste("Keep the columns", code_list(free_arguments(call)))

#' @export
call_in_words.call_drop_columns <- function(call) paste("Leave out the columns", code_list(free_arguments(call)))

#' @export
call_in_words.call_move_columns <- function(call) {
  paste("Move the columns", code_list(free_arguments(call)), place_in_words(call$arguments))
}

#' @export
step_schema.step_columns <- function(step, schema, call) columns_of_schema(schema, step$columns, step$from)
