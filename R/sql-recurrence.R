# Recurrences, in a database that lets a session have functions of its own: a function that gives a row's value for the
# value in the row above, and an aggregate over it, which goes along as a window.

sql_recurrence <- function(node, items) {
  make <- items$dialect$recurrence
  if (is.null(make) || length(node$formulas) != 1 || !is.null(items$groups)) not_in_sql("`running()` like this")
  groups <- groups_of(node, items)
  order <- order_of(node, items)
  start <- once(sql_node(node$starts[[1]], items), items)
  formula <- formula_of_row(node$formulas[[1]], start, items)
  is_first <- add_window(paste0("(row_number()", window_text(groups, order$terms), " = 1)"), "logical", groups, items,
                         order$level)
  given <- c(list(is_first, formula$start), formula$inputs)
  about <- make(formula$type, types_in_sql(given), formula$sql)
  items$prepare <- c(items$prepare, about$prepare)
  # A session's functions are not on other servers.
  items$crosses <- TRUE
  over <- window_text(groups, order$terms, "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW")
  add_window(paste0(about$name, "(", paste(sql_of(given), collapse = ", "), ")", over), formula$type,
             c(given, groups), items, order$level, nan = items$dialect$has_nan)
}

# The formula in terms of $1, the value above, and of what each row gives besides: $2, whether it is the first, $3, the
# start, and then its `inputs`. Its type is that of the value above: a start that is a whole number may have to be a
# double.
formula_of_row <- function(formula, start, items) {
  for (type in unique(c(if (start$type == "missing") NULL else start$type, "double"))) {
    inner <- items_of_row(items, type)
    found <- sql_node(formula, inner)
    if (found$type == "missing") found <- as_sql_type(found, type, inner)
    if (length(inner$levels) || length(inner$sent)) not_in_sql("`running()` with words of several rows")
    if (found$type == type) {
      return(list(sql = found$sql, type = type, inputs = inner$inputs, start = as_sql_type(start, type, items)))
    }
  }
  not_in_sql("`running()` whose values have another type than its start")
}

# Items of a function's body: columns are its arguments.
items_of_row <- function(items, type) {
  inner <- list2env(as.list(items), parent = emptyenv())
  inner$levels <- list()
  inner$sent <- character()
  inner$shared <- list()
  inner$inputs <- list()
  inner$is_row <- TRUE
  inner$above <- new_operand("(CASE WHEN $2 THEN $3 ELSE $1 END)", type, nan = TRUE, simple = TRUE)
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
  column$sql <- paste0("$", known + 3)
  column$level <- 0
  column
}
