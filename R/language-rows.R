#' Totals, means, minimum and maximum across the columns of a row
#'
#' R's `sum()`, `mean()`, `min()` and `max()` summarise a column; these words work across the
#' columns of each row. `row_known()` and `row_missing()` count the row's values that are known and
#' that are missing; `row_max_name()` and `row_min_name()` give the name of the column with the
#' greatest or the least value, the first of several that are equal.
#'
#' @param ... Columns, or vectors of the same length, of numbers; for `row_min()` and `row_max()` also of dates, for
#'   `row_known()` and `row_missing()` of any type. In a formula columns can also be chosen, as shown in
#'   [all_columns()]: `row_total(names_like("*_kg"))`, `row_mean(c(jan:dec, -may))`.
#' @param missing What to do with missing values: the result of the row is missing (`"keep"`), or
#'   they are left out (`"skip"`) and the result is missing only if all values of the row are.
#' @return One value for each row: a whole number if all columns are whole numbers, except for
#'   means; a text for names.
#' @section Errors: `rowanroot_type_mismatch` for text, `rowanroot_bad_argument` for a wrong
#'   `missing`.
#' @examples
#' row_total(c(1, 2), c(3, NA), missing = "skip")
#' scales <- data.frame(a_kg = c(3, 5), b_kg = c(4, NA))
#' scales |> set_columns({
#'   both    <- row_total(a_kg, b_kg)
#'   lighter <- row_min(a_kg, b_kg, missing = "skip")
#'   weighed <- row_known(names_like("*_kg"))
#'   heavier <- row_max_name(names_like("*_kg"), missing = "skip")
#' })
#' @concept pmin
#' @concept rowSums
#' @export
row_total <- function(..., missing = "keep") across_vectors("row_total", list(...), missing = missing)

#' @rdname row_total
#' @export
row_mean <- function(..., missing = "keep") across_vectors("row_mean", list(...), missing = missing)

#' @rdname row_total
#' @export
row_min <- function(..., missing = "keep") across_vectors("row_min", list(...), missing = missing)

#' @rdname row_total
#' @export
row_max <- function(..., missing = "keep") across_vectors("row_max", list(...), missing = missing)

#' @rdname row_total
#' @export
row_known <- function(...) across_vectors("row_known", list(...))

#' @rdname row_total
#' @export
row_missing <- function(...) across_vectors("row_missing", list(...))

#' @rdname row_total
#' @export
row_max_name <- function(..., missing = "keep") {
  across_vectors("row_max_name", named_as_typed(list(...), substitute(list(...))), missing = missing)
}

#' @rdname row_total
#' @export
row_min_name <- function(..., missing = "keep") {
  across_vectors("row_min_name", named_as_typed(list(...), substitute(list(...))), missing = missing)
}

# The columns of a call under their names, or under their code.
named_as_typed <- function(columns, typed) {
  names(columns) <- argument_names(as.list(typed)[-1])
  columns
}

argument_names <- function(typed) {
  given <- names_or_none(typed)
  ifelse(nzchar(given), given, vapply(typed, one_line, ""))
}

# A word of columns, on vectors; `...` are its other arguments.
across_vectors <- function(name, columns, ...) {
  call <- call(name)
  if (!length(columns)) stop_because("{.code {name}()} needs columns.", "bad_argument", call)
  own <- names(columns)
  names(columns) <- paste0("x", seq_along(columns))
  check_same_length(stats::setNames(columns, c("x", rep("...", length(columns) - 1))), call)
  arguments <- stats::setNames(lapply(names(columns), as.name), own)
  calculate_code(as.call(c(as.name(name), arguments, list(...))), columns, call)
}

words_of_rows <- function() {
  across <- function(name, what) derived_word(name, function(given, expr, scope) bind_across(what, given, expr,
      scope), one_row = TRUE, choices = TRUE)
  list(
    across("row_total", "total"), across("row_mean", "mean"), across("row_min", "min"), across("row_max", "max"),
    across("row_known", "known"), across("row_missing", "missing"), across("row_max_name", "max_name"),
    across("row_min_name", "min_name"),
    language_word("name_of_end", "row", fun = name_of_end, several = "names", hidden = TRUE),
    operator("add_known", "add_known", rule_arithmetic, 2, text = "taken", hidden = TRUE),
    lesser_or_greater("lesser_known", "lesser_known", `<=`, skip_missing = TRUE, hidden = TRUE),
    lesser_or_greater("greater_known", "greater_known", `>=`, skip_missing = TRUE, hidden = TRUE)
  )
}

# Of two columns, where a missing value gives way to one that is known: operations of the core.
add_known <- function(a, b) {
  sum <- a + b
  sum[is.na(a)] <- rep_len(b, length(sum))[is.na(a)]
  sum[is.na(b)] <- rep_len(a, length(sum))[is.na(b)]
  sum
}

lesser_known <- function(a, b) pmin(a, b, na.rm = TRUE)

greater_known <- function(a, b) pmax(a, b, na.rm = TRUE)

# Column after column.
bind_across <- function(what, given, expr, scope) {
  missing <- option_values(given["missing"[!is.null(given$missing)]], scope)$missing
  missing <- check_one_of(if (is.null(missing)) "keep" else missing, c("keep", "skip"), "missing", scope$call)
  columns <- given[names_or_none(given) != "missing"]
  if (!length(columns)) {
    stop_because(c("{.code {one_line(expr)}} needs columns.", "in" = "{scope_text(scope)}"),
                 "bad_argument", scope$call)
  }
  names <- argument_names(columns)
  columns <- lapply(columns, function(column) new_shared(bind_formula(column, scope)))
  switch(what,
    mean = bind_row_mean(columns, missing, expr),
    known = join_columns("total", lapply(columns, is_there, expr), "keep", expr),
    missing = join_columns("total", lapply(columns, is_there, expr, FALSE), "keep", expr),
    max_name = bind_name_of_end("max", columns, names, missing, expr),
    min_name = bind_name_of_end("min", columns, names, missing, expr),
    join_columns(what, columns, missing, expr)
  )
}

# 1 where a column is known, 0 where it is missing; or the other way round.
is_there <- function(column, expr, known = TRUE) {
  missing <- word_node("is.na", column, shown = expr)
  word_node("as.integer", if (known) word_node("!", missing, shown = expr) else missing, shown = expr)
}

# The name of the first column that has the row's greatest or least value.
bind_name_of_end <- function(what, columns, names, missing, expr) {
  options <- list(names = new_value(names), what = new_value(what), missing = new_value(missing))
  new_call(name_of_end, paste0("row_", what, "_name"), c(options, unname(columns)), expr, environment(name_of_end),
           the_word("name_of_end"))
}

name_of_end <- function(names, what, missing, ...) {
  columns <- list(...)
  rows <- max(lengths(columns))
  columns <- lapply(columns, function(column) if (length(column) == rows) column else rep_len(column, rows))
  threads <- getOption("rowanroot.threads", 0L)
  if (all(vapply(columns, function(column) value_type(column) %in% c("logical", "integer", "double"), NA))) {
    numbers <- number_of_end_cpp(lapply(columns, as.numeric), what == "max", missing == "skip", threads)
    return(coded_texts_cpp(numbers, names))
  }
  end_by_comparing(columns, names, what, missing)
}

check_can_be_compared <- function(columns, names, what) {
  model <- columns[[1]]
  for (k in seq_along(columns)) {
    if (are_of_one_sort(model, columns[[k]]) && !(is.factor(model) && !is.ordered(model))) next
    stop_because(c("{.code row_{what}_name()} needs columns that can be compared.",
                   "found" = "{.code {names[1]}} is {sort_text(model)}.",
                   "found" = if (k > 1) "{.code {names[k]}} is {sort_text(columns[[k]])}."),
                 "type_mismatch", NULL)
  }
}

# Of other types: from the last on, a name gives way to that of an earlier column which is the value too.
end_by_comparing <- function(columns, names, what, missing) {
  check_can_be_compared(columns, names, what)
  base::names(columns) <- paste0("x", seq_along(columns))
  parts <- lapply(base::names(columns), function(name) new_shared(new_column(name)))
  expr <- quote(row_end)
  end <- new_shared(join_columns(what, parts, missing, expr))
  node <- Reduce(function(k, later) {
    is_end <- word_node("==", parts[[k]], end, shown = expr)
    if (missing == "skip") is_end <- word_node("isTRUE", is_end, shown = expr)
    new_choice(is_end, new_value(names[k]), later, expr)
  }, seq_along(parts), new_value(NA_character_), right = TRUE)
  calculate_tree(default_engine(), node, columns, expr, NULL)
}

join_columns <- function(what, columns, missing, expr) {
  names <- if (missing == "skip") c(total = "add_known", min = "lesser_known",
                                    max = "greater_known") else c(total = "+", min = "pmin", max = "pmax")
  joined_in_pairs(names[[what]], columns, expr)
}

bind_row_mean <- function(columns, missing, expr) {
  numbers <- lapply(columns, function(column) word_node("as.numeric", column, shown = column$shown))
  total <- join_columns("total", numbers, missing, expr)
  if (missing == "keep") return(word_node("/", total, new_value(length(columns)), shown = expr))
  known <- join_columns("total", lapply(columns, is_there, expr), "keep", expr)
  word_node("/", total, known, shown = expr)
}
