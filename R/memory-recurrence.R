# Recurrences. The parts of the formula that do not need the row above are columns, calculated for all rows at once;
# the rest is a program that is run for one row after the other.

lower_running <- function(node, block) {
  if (!is.null(block$above)) {
    stop_because(c("A {.code running()} can't contain another.", "found" = "It does.", "in" = "{block$formula}",
                   "try" = "Put the inner one on a line of its own."), "bad_formula", block$call)
  }
  groups <- block_groups(block, node$within)
  order <- order_rows(block_order(block, node$along))
  on.exit(block$above <- NULL)
  typed <- lower_recurrence(node, block)
  type <- typed$type
  typed <- settle(typed, block)
  if (!has_above(typed)) return(typed)
  start <- as.vector(node$start, vector_mode(type))
  starts <- if (!is.null(block$chunks)) starts_of_groups(block$chunks, node, start, groups)
  result <- run_recurrence_cpp(typed, start, starts, block$values, block$rows, order, groups$of_row,
                               length(groups$sizes))
  if (!is.null(block$chunks)) keep_last_results(block$chunks, node, result$values, starts, groups)
  if (result$overflow_rows > 0) {
    warn_because(c("Integer overflow in {.code {block$formula}}: row {result$overflow_first} first.",
                   "try" = "Start with a double: {.code start = 0} instead of {.code start = 0L}."), "overflow",
                     block$call)
  }
  new_slot(block, result$values)
}

# The row above has the type of what the formula gives: it may begin with whole numbers and give others.
lower_recurrence <- function(node, block) {
  type <- if (is_missing_literal(node$start)) "missing" else value_type(node$start)
  shared <- block$shared
  for (k in 1:4) {
    block$shared <- shared
    block$above <- type
    typed <- lower_unguarded(node$formula, block)
    found <- common_type(c(type, typed$type))
    if (is.na(found) || !typed$type %in% c("missing", "logical", "integer", "double", "text")) {
      stop_type_changes(node, type, typed$type, block)
    }
    if (found == type) return(convert(typed, type))
    type <- found
  }
  stop_type_changes(node, type, typed$type, block)
}

has_above <- function(node) any_node(node, function(node) node$kind == "above")

# The tree with everything that does not need the row above as a column that is there.
settle <- function(node, block) {
  is_there <- function(node) node$kind == "constant" || !has_above(node)
  map_node(node, function(node) {
    if (node$kind == "constant" || has_above(node)) return(node)
    id <- column_slot(node, block)
    calculate(block, id)
    typed_slot(id, block$types[[id]])
  }, stop_at = is_there)
}

# A function of R is called with whole columns: it can't have the row above.
check_no_above <- function(arguments, node, block) {
  if (!any(vapply(arguments, has_above, NA))) return(invisible())
  stop_because(c("{.code .above} can only be used in calculations that run row by row.",
                 "found" = if (is.null(node)) "{.code {block$formula}} uses it in a function that needs whole columns."
                       else "{.code {label_of(node)}} in {.code {block$formula}} needs whole columns.",
                 "try" = paste0("Use arithmetic, comparisons, {.code if}, {.code pmin()}, {.code round()}, or ",
                                "functions of one row made of these.")),
               "bad_formula", block$call)
}
