# Recurrences, in a database that lets a session have functions of its own: a function that gives a row's values for
# those in the row above, and an aggregate over it, which goes along as a window.

sql_recurrence <- function(node, items) {
  make <- items$dialect$recurrence
  if (is.null(make) || !is.null(items$groups)) not_in_sql("`running()` like this")
  groups <- groups_of(node, items)
  order <- order_of(node, items)
  starts <- lapply(node$starts, function(start) once(sql_node(start, items), items))
  row <- formulas_of_row(node$formulas, starts, items)
  is_first <- add_window(paste0("(row_number()", window_text(groups, order$terms), " = 1)"), "logical", groups, items,
                         order$level)
  given <- c(list(is_first), row$starts, row$inputs)
  about <- make(row$types, types_in_sql(given), row$sql)
  items$prepare <- c(items$prepare, about$prepare)
  # A session's functions are not on other servers.
  items$crosses <- TRUE
  over <- window_text(groups, order$terms, "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW")
  is_one <- length(row$types) == 1
  found <- add_window(paste0(about$name, "(", paste(sql_of(given), collapse = ", "), ")", over),
                      if (is_one) row$types else "row", c(given, groups), items, order$level,
                      nan = items$dialect$has_nan)
  if (!is_one) found$parts <- row$types
  found
}

# One column of a recurrence of several.
sql_pick <- function(node, items) {
  row <- sql_node(node$argument, items)
  if (is.null(row$parts)) not_in_sql("a part of this")
  new_operand(paste0("(", row$sql, ").c", node$number), row$parts[[node$number]], row$level,
              nan = items$dialect$has_nan)
}

# The formulas in terms of $1, the values above, and of what each row gives besides: $2, whether it is the first, then
# the starts, and then their `inputs`. Their types are those of the values above: a start that is a whole number may
# have to be a double.
formulas_of_row <- function(formulas, starts, items) {
  types <- vapply(starts, `[[`, "", "type")
  types[types == "missing"] <- "double"
  repeat {
    inner <- items_of_row(items, types)
    found <- Map(function(formula, type) {
      made <- sql_node(formula, inner)
      if (made$type == "missing") as_sql_type(made, type, inner) else made
    }, formulas, types)
    if (length(inner$levels) || length(inner$sent)) not_in_sql("`running()` with words of several rows")
    others <- types_in_sql(found) != types
    if (!any(others)) break
    if (any(types[others] == "double")) not_in_sql("`running()` whose values have another type than its start")
    types[others] <- "double"
  }
  list(sql = sql_of(found), types = types, inputs = inner$inputs, starts = Map(as_sql_type, starts, types, list(items)))
}

# Items of a function's body: columns are its arguments.
items_of_row <- function(items, types) {
  inner <- list2env(as.list(items), parent = emptyenv())
  inner$levels <- list()
  inner$sent <- character()
  inner$shared <- list()
  inner$inputs <- list()
  inner$is_row <- TRUE
  count <- length(types)
  above <- if (count == 1) "$1" else paste0("($1).c", seq_len(count))
  inner$above <- Map(function(sql, start, type) {
    new_operand(paste0("(CASE WHEN $2 THEN ", start, " ELSE ", sql, " END)"), type, nan = TRUE, simple = TRUE)
  }, above, paste0("$", seq_len(count) + 2), types)
  inner$before_inputs <- count + 2
  inner$outer <- items
  inner
}

# A column, as an argument of the function.
input_of_row <- function(name, items) {
  column <- column_operand(name, items$outer)
  known <- match(column$sql, sql_of(items$inputs))
  if (is.na(known)) {
    items$inputs <- c(items$inputs, list(column))
    known <- length(items$inputs)
  }
  column$sql <- paste0("$", known + items$before_inputs)
  column$level <- 0
  column
}
