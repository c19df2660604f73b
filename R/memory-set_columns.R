#' @export
in_memory.step_set_columns <- function(step, data, call) {
  block <- new_block_of(step, data, call)
  add_statements(block, step, typed_statements(step, schema_of(data), call))
  with_columns(data, block_results(block, intersect(wanted_columns(step), names(block$columns))))
}

# Where nothing is calculated before the end, the types that the program is made with are found soon enough.
typed_statements <- function(step, schema, call) {
  is_calculated <- function(node) match(node$kind, c("aggregate", "ordered", "running", "r_call", "r_code"), 0L) > 0L
  at_once <- any(schema$types == "other") || any(vapply(step_trees(step), any_node, NA, is = is_calculated))
  if (at_once) type_block(step$statements, schema, call, used_statements(step))$statements else step$statements
}
