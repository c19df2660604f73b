#' Add, change and remove columns
#'
#' Each line of the block sets one column with a formula written as if for one row; it is calculated
#' for all rows at once. Lines run from top to bottom, and a later line can use the columns that
#' earlier ones set.
#'
#' A name in a formula is first looked up among the columns, then where the block was written.
#' Arithmetic, comparisons, `&&` and \code{||}, `if` and `else`, `switch()`, `is.na()`, `sqrt()` and
#' similar functions work row by row, with R's results and R's rules for missing values: a missing
#' condition gives a missing value, and so does an `if` without `else` where the condition is false.
#'
#' @section Lines of a block:
#' * `name <- formula` creates a column or replaces it; `=` works like `<-`. A name that starts with
#'   a dot is a scratch column: later lines can use it, but it is not part of the result.
#' * `name <- NULL` removes a column; columns derived from it stay.
#' * `name[condition] <- formula` sets only the rows where the condition is true; other rows keep
#'   their value, or are missing if the column is new.
#' * `c(a, b) <- formula` sets several columns, from `list(formula, formula)` or from a function that gives a
#'   list, a data frame or a matrix.
#' * `for (name in names_like("*_g")) line` repeats the line for each name; `column_named()` stands
#'   for the column of that name.
#'
#' @section Functions: A function from your script or from a package that is written for one row,
#'   with `if`, `switch`, local names and `return()`, becomes part of the formula and runs for all
#'   rows at once. Any other function is called once with whole columns (for each group, if there
#'   are groups) and returns one value for each row; functions of R and of packages may also return
#'   a single value for all rows. Refused are a function from your script that returns one value for
#'   several rows, and one with code such as `x[1]`, which means one thing for a row and another for
#'   a column: [one_by_one()] calls it for each row, [all_at_once()] with whole columns. `mean()`,
#'   `sum()`, `sd()`, `min()`, `max()` and the like are calculated over the column or the group.
#'   `max(a, b)` of several columns, or `max(a, 0)`, could also mean the greater value in each row;
#'   it is refused, and the error shows both ways to write it.
#'
#' [ranking()], [running_total()], [moving_mean()], [previous()], [running()], [z_score()] and
#' [row_total()] are for calculations that depend on the order of rows, on groups, or on other
#' columns of the row.
#'
#' `.row` is the number of the row and `.rows` the number of rows, both within the group if there
#' are groups.
#'
#' @section Types: Types are R's. The branches of an `if`, and the two sides of a comparison, must
#'   both be text or neither: R would silently turn the number into text. Texts are compared by the
#'   code points of their characters, so that results do not depend on the machine's language. Sums
#'   and means of doubles compensate for rounding and may differ from R's in the last digit;
#'   everything else is the same as in R, bit for bit.
#'
#' @param x A data frame, or a rooted table from [open_table()]. It is not changed.
#' @param block Lines in braces.
#' @param ... Must be empty: a formula outside the braces is an error.
#' @param within Columns whose values group the rows, chosen as for `carry`, or formulas of columns,
#'   such as `date_part(day, "year")`: these are calculated before the first line. Aggregates such
#'   as `mean()` and `sum()`, R's functions of whole columns, `.row` and `.rows` are then calculated
#'   for each group. Missing values are a group of their own. A single function can be given groups
#'   of its own: `mean(net_kg, within = apiary)`; a formula there uses the columns as they are at
#'   that line. The order of the rows does not change.
#' @param along Columns, or formulas of columns, that give the order of rows for everything that
#'   depends on it: running words, `previous()` and the like, `first_value()`, `.row`, and R's
#'   functions of whole columns such as `cumsum()`. With [descending()] the greatest value comes
#'   first: `along = descending(.row)` goes from the last row to the first.
#' @param carry Which of the old columns to keep, chosen as shown in [all_columns()]: all by
#'   default.
#' @param after,before Where new columns go: after or before the column of this name; `after = 0`
#'   puts them first. By default
#'   they go last. Columns that are replaced stay where they are.
#' @return A data frame of the same class with the same rows in the same order; columns that did not
#'   change are shared with `x`, not copied. For a rooted table, a rooted table with one more step.
#' @section Errors: `rowanroot_unknown_column`, `rowanroot_unknown_function`,
#'   `rowanroot_wrong_length` (neither one value for each row nor a single value),
#'   `rowanroot_type_mismatch` (such as text where a number is needed), `rowanroot_bad_result` (a
#'   list or a data frame where a column is needed), `rowanroot_wrong_columns` (not as many columns
#'   as names), `rowanroot_bad_loop`, `rowanroot_bad_formula`, `rowanroot_endless_recursion`,
#'   `rowanroot_formula_failed` (R's own message is in it), `rowanroot_ambiguous_word` (`max(a,
#'   b)`), `rowanroot_not_row_wise` (`a[2]`), `rowanroot_row_or_columns`, `rowanroot_bad_target`,
#'   `rowanroot_not_a_statement`, `rowanroot_not_a_block`, `rowanroot_not_a_table`,
#'   `rowanroot_bad_text` (text that is not UTF-8), `rowanroot_no_level` for setting a category to a
#'   text that is not one of its levels; comparing it with such a text is a warning of that class.
#'   Whole numbers that become too large are missing, with a warning of class `rowanroot_overflow`;
#'   the minimum or maximum of no values is infinite, with a warning of class `rowanroot_no_values`.
#' @examples
#' visits <- data.frame(
#'   hive = c("NB-01", "NB-02", "SH-01"),
#'   gross_kg = c(31, 28.5, NA), tare_kg = c(6, 6.2, 5.9), frames = c(3, 6, 9)
#' )
#' visits |> set_columns({
#'   net_kg   <- gross_kg - tare_kg
#'   strength <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
#' })
#'
#' # A function of one row, some rows only, and means of groups
#' price <- function(kg) {
#'   if (is.na(kg)) return(0)
#'   if (kg > 24) kg * 7.5 else kg * 8
#' }
#' visits |> set_columns({
#'   gross_kg[.row == 1] <- gross_kg - 0.4
#'   price_eur <- price(gross_kg - tare_kg)
#'   c(apiary, number) <- list(substr(hive, 1, 2), as.integer(substr(hive, 4, 5)))
#' })
#' visits |> set_columns({ above_mean <- frames - mean(frames) }, within = tare_kg)
#'
#' # A narrow table, with the new columns first
#' pounds_per_kg <- 2.20462
#' visits |> set_columns({
#'   .net   <- gross_kg - tare_kg
#'   net_lb <- .net * pounds_per_kg
#' }, carry = hive, after = 0)
#' @concept add column
#' @concept derived column
#' @concept calculated column
#' @concept formula
#' @export
set_columns <- function(x, block, ..., within = NULL, along = NULL, carry = all_columns(), after = NULL,
                        before = NULL) {
  call <- quote(set_columns())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  check_nothing_outside(substitute(list(...)), call)
  carry <- with_columns_found(substitute(carry), x, parent.frame(), call)
  after <- place_as_typed(substitute(after), substitute(before), call)
  if (missing(block)) stop_not_a_block(quote(expr = ), call)
  lines <- with_columns_found(substitute(block), x, parent.frame(), call)
  within <- substitute(within)
  along <- substitute(along)
  is_usual <- is.null(within) && is.null(along) && is.null(after) && identical(carry, quote(all_columns()))
  step <- if (is_usual) bound_before(lines, column_names(x), parent.frame())
  if (is.null(step)) {
    step <- new_step_set_columns(lines, within, along, carry, after, column_names(x), parent.frame(), call)
    if (is_usual) remember_bound(step, lines, column_names(x), parent.frame())
  }
  apply_step(x, step, call)
}

check_nothing_outside <- function(outside, call) {
  if (length(outside) == 1) return(invisible())
  name <- names(outside)[2]
  named <- !is.null(name) && nzchar(name)
  stop_not_a_block(if (named) call("<-", as.name(name), outside[[2]]) else outside[[2]], call)
}

new_step_set_columns <- function(block, within, along, carry, after, names, env, call,
                                 sides = new_side_columns(names)) {
  scope <- list(columns = names, env = env, call = call, sides = sides)
  groups <- if (!is.null(within)) choose_groups(within, scope)
  order <- if (!is.null(along)) choose_order(along, scope)
  before <- with_sides_of(names, sides)
  step <- list(statements = bind_block(block, before, env, call, formula_scope, groups),
               carried = choose_columns(carry, sides$names, env, call), within = groups, along = order,
               typed = list(block = block, within = within, along = along, carry = carry, after = after),
               columns_before = before, env = env)
  step$columns <- step_columns(step, before, place_of(after, sides$names, env, call))
  with_sides(structure(step, class = c("step_set_columns", "step")), sides, call)
}

# The place of new columns as code: a name, 0, or `before(name)`.
place_as_typed <- function(after, before, call) {
  if (is.null(before)) return(after)
  if (!is.null(after)) stop_because("Give {.arg after} or {.arg before}, not both.", "bad_argument", call)
  call("before", before)
}

# After which of the old columns the new ones go: a number.
place_of <- function(after, names, env, call) {
  if (is.null(after)) return(length(names))
  if (is_call_to(after, "before")) return(place_before(after[[2]], names, env, call))
  if (is.numeric(after) && length(after) == 1 && after == 0) return(0)
  chosen <- if (is.numeric(after)) character() else choose_columns(after, names, env, call)
  if (length(chosen) != 1) {
    stop_because(c("{.arg after} must be the name of one column, or 0 to come first.",
                   "found" = "It is {.code {one_line(after)}}."), "bad_choice", call)
  }
  match(chosen, names)
}

place_before <- function(before, names, env, call) {
  chosen <- if (!is.numeric(before)) choose_columns(before, names, env, call)
  if (length(chosen) == 1) return(match(chosen, names) - 1)
  stop_because(c("{.arg before} must be the name of one column.", "found" = "It is {.code {one_line(before)}}."),
               "bad_choice", call)
}

# The names of the result's columns, in order.
step_columns <- function(step, names, place) {
  final <- final_targets(step$statements)
  kept <- names[match(names, c(step$carried, final$set), 0L) > 0L & !match(names, final$removed, 0L)]
  new <- final$set[!is_scratch(final$set) & !match(final$set, names, 0L)]
  append(kept, new, after = sum(match(kept, names) <= place))
}

#' @export
bind_step.step_set_columns <- function(step, names, call) {
  sides <- side_columns_again(step, names)
  new_step_set_columns(step$typed$block, step$typed$within, step$typed$along, step$typed$carry, step$typed$after,
                       sides$names, step$env, call, sides)
}

#' @export
step_needs.step_set_columns <- function(step, wanted) {
  used <- lapply(step$statements[used_statements(step)],
                 function(statement) if (!statement$removes) node_columns(statement$node))
  intersect(step$columns_before, c(wanted, unlist(used), step$within, step$along$names))
}

#' @export
step_keys.step_set_columns <- function(step, keys) {
  columns <- keys$columns
  for (made in statement_keys(step, keys)) columns[names(made)] <- made
  list(rows = keys$rows, columns = columns[intersect(step$columns, names(columns))])
}

#' @export
step_key.step_set_columns <- function(step) {
  lines <- vapply(step$statements, statement_key, "")
  paste0("set_columns(", paste(lines, collapse = ";"), "|", paste(quoted(step$within), collapse = ","), "|",
         paste(quoted(step$along$names), step$along$descending, collapse = ","), "|",
           paste(quoted(step$columns), collapse = ","), ")")
}

#' @export
step_lines.step_set_columns <- function(step) {
  methods <- canonical_methods(step$env)
  lapply(step$statements, function(statement) {
    line <- list(name = paste(statement$targets, collapse = ", "), text = line_text(statement$line),
                 key = rlang::hash(paste0(statement_key(statement), methods)))
    if (statement$removes) return(line)
    line$values <- shown_values(statement$node)
    line$anew <- anew_words(tree_outside(statement$node))
    line
  })
}

#' @export
step_origins.step_set_columns <- function(step) {
  origins <- list()
  for (statement in step$statements) {
    if (statement$removes) {
      origins[statement$targets] <- NULL
      next
    }
    nodes <- if (statement$node$kind == "several") statement$node$parts else list(statement$node)
    made <- lapply(nodes, function(node) through_block(node_columns(node), statement$targets, origins))
    origins[statement$targets] <- rep_len(made, length(statement$targets))
  }
  origins[intersect(names(origins), step$columns)]
}

#' @export
step_trees.step_set_columns <- function(step) {
  unname(lapply(Filter(function(statement) !statement$removes, step$statements), `[[`, "node"))
}

#' @export
goes_by_chunks.step_set_columns <- function(step, carried = TRUE) {
  if (length(step$along) || !is.null(step$calibration)) return(FALSE)
  all(vapply(step_trees(step), goes_by_row, NA, grouped = length(step$within) > 0, carried = carried))
}

#' @export
step_carrying.step_set_columns <- function(step, name) carried_after(step, name)

#' @export
step_lineage.step_set_columns <- function(step) {
  lapply(step$statements, statement_in_lineage, by = c(step$within, step$along$names))
}

#' @export
step_reason.step_set_columns <- function(step, column, row, rows) {
  at <- utils::tail(which(vapply(step$statements, function(statement) column %in% statement$targets, NA)), 1)
  if (length(at)) reason_line(at) else reason_same(column, row)
}

#' @export
call_in_words.call_set_columns <- function(call) {
  given <- call$arguments
  lines <- block_in_words(given$block)
  options <- c(if (!is.null(given$within)) trimws(within_text(call)),
               if (!is.null(given$along)) paste("along", code_text(given$along)))
  if (length(options)) lines[1] <- paste0(upper_first(paste(options, collapse = ", ")), ": ", lower_first(lines[1]))
  c(lines, if (!is.null(given$carry)) paste("Of the old columns carry", code_text(given$carry)),
    if (!is.null(given$after) || !is.null(given$before)) paste("Put the new columns", place_in_words(given)))
}

#' @export
step_schema.step_set_columns <- function(step, schema, call) {
  columns_of_schema(type_block(step$statements, schema, call, used_statements(step))$schema, step$columns)
}
