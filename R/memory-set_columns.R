#' @export
in_memory.step_set_columns <- function(step, data, call) {
  block <- new_block_of(step, data, call)
  add_statements(block, step, typed_statements(step, block, data, call))
  with_columns(data, block_results(block, intersect(wanted_columns(step), names(block$columns))))
}

# Where nothing is calculated before the end, the types that the program is made with are found soon enough.
typed_statements <- function(step, block, data, call) {
  goes_by_row <- all(vapply(step$statements, statement_goes_by_row, NA)) && !may_use_others(step, block)
  if (goes_by_row) step$statements
  else type_block(step$statements, schema_of(data), call, used_statements(step))$statements
}

# Whether formulas may use columns that only R knows. Names that are not written show only in the tree.
may_use_others <- function(step, block) {
  others <- names(block$columns)[block$types == "other"]
  if (!length(others)) return(FALSE)
  look_at_script(step$statements) || any(match(others, all.names(step$typed$block), 0L))
}
