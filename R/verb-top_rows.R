#' The rows with the greatest or the least values
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param count How many rows to keep, in each group if there are groups.
#' @param by The column, or the formula of columns, to compare, or several in `c()`: where the first
#'   are equal, the next decides.
#' @param within Columns, or formulas of columns, whose values group the rows. Missing values are a
#'   group of their own.
#' @param ties What to do with rows that are equal to the last one kept: `"keep"` them too, so that
#'   there may be more rows than `count`, or `"cut"` them, so that those that come first stay.
#' @return A table of these rows, the greatest first (for `bottom_rows()`, the least). Groups follow
#'   each other in the order in which they first appear. Rows with a missing value in `by` are left
#'   out.
#' @section Errors: `rowanroot_unknown_column`, `rowanroot_bad_argument` for a wrong `count` or
#'   `ties`, `rowanroot_type_mismatch` for a column that is a list.
#' @examples
#' visits <- data.frame(apiary = c("SH", "NB", "NB", "NB"), net_kg = c(14, 20, 25, 18))
#' visits |> top_rows(2, by = net_kg)
#' visits |> bottom_rows(1, by = net_kg, within = apiary)
#' @export
top_rows <- function(x, count, by, within = NULL, ties = "keep") {
  call <- quote(top_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  typed <- list(by = substitute(by), within = substitute(within))
  apply_step(x, new_step_top_rows("top_rows", count, typed, ties, column_names(x), parent.frame(), call), call)
}

#' @rdname top_rows
#' @export
bottom_rows <- function(x, count, by, within = NULL, ties = "keep") {
  call <- quote(bottom_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  typed <- list(by = substitute(by), within = substitute(within))
  apply_step(x, new_step_top_rows("bottom_rows", count, typed, ties, column_names(x), parent.frame(), call), call)
}

new_step_top_rows <- function(verb, count, typed, ties, names, env, call, sides = new_side_columns(names)) {
  if (identical(typed$by, quote(expr = ))) {
    stop_because(c("There is no column to choose rows by.", "try" = "{.code {verb}(x, 3, by = net_kg)}"),
                 "bad_argument", call)
  }
  if (missing(count)) {
    stop_because(c("How many rows?", "try" = "{.code {verb}(x, 3, by = {one_line(typed$by)})}"), "bad_argument",
                 call)
  }
  count <- check_whole_number(count, 0, "count", call)
  check_one_of(ties, c("keep", "cut"), "ties", call)
  scope <- list(columns = names, env = env, call = call, sides = sides)
  by <- choose_order(typed$by, scope)
  if (any(by$descending)) {
    stop_because(c("{.arg by} needs no {.code descending()}.",
                   "try" = "{.code top_rows()} takes the greatest values, {.code bottom_rows()} the least."),
                     "bad_choice", call)
  }
  within <- if (!is.null(typed$within)) choose_groups(typed$within, scope)
  columns <- with_sides_of(names, sides)
  with_sides(structure(list(verb = verb, count = count, by = by$names, within = within, ties = ties, typed = typed,
                            columns = columns, columns_before = columns, env = env),
                       class = c("step_top_rows", "step")), sides, call)
}

#' @export
bind_step.step_top_rows <- function(step, names, call) {
  sides <- side_columns_again(step, names)
  new_step_top_rows(step$verb, step$count, step$typed, step$ties, sides$names, step$env, call, sides)
}

#' @export
chooses_rows.step_top_rows <- function(step) TRUE

#' @export
step_needs.step_top_rows <- function(step, wanted) union(wanted, c(step$by, step$within))

#' @export
step_keys.step_top_rows <- function(step, keys) {
  keys_in_rows(key_from(key_of_step(step), keys$rows, keys$columns[c(step$by, step$within)]), keys$columns)
}

#' @export
step_key.step_top_rows <- function(step) {
  paste0(step$verb, "(", step$count, "|", paste(quoted(step$by), collapse = ","), "|",
         paste(quoted(step$within), collapse = ","), "|", step$ties, ")")
}

#' @export
step_carrying.step_top_rows <- function(step, name) carried_after(step, name)

#' @export
step_lines.step_top_rows <- function(step) {
  shown <- paste0(step$verb, "(", step$count, ", by = ", one_line(step$typed$by),
                  if (length(step$within)) paste0(", within = ", one_line(step$typed$within)), ")")
  list(list(name = "rows", text = shown, key = rlang::hash(step_key(step))))
}

#' @export
step_lineage.step_top_rows <- function(step) list(list(rows_in_lineage(step, c(step$by, step$within))))

#' @export
call_in_words.call_top_rows <- function(call) top_rows_in_words(call, "greatest")

#' @export
call_in_words.call_bottom_rows <- function(call) top_rows_in_words(call, "least")

top_rows_in_words <- function(call, which) {
  given <- call$arguments
  groups <- if (!is.null(given$within)) paste(" for each", code_text(given$within))
  paste0("Keep the ", code_text(given$count), " rows with the ", which, " ", code_text(given$by), groups)
}

#' @export
step_schema.step_top_rows <- function(step, schema, call) in_other_rows(schema)
