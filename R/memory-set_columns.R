#' @export
in_memory.step_set_columns <- function(step, data, call) {
  block <- new_block(data, nrow(data), call, step$env)
  block$within <- unlist(block$columns[step$within])
  block$within_names <- step$within
  block$calibration <- step$calibration
  block$chunks <- step$chunks
  block$along <- list(ids = unlist(block$columns[step$along$names]), descending = step$along$descending,
                    names = step$along$names)
  add_statements(block, step, typed_statements(step, schema_of(data), call))
  with_columns(data, block_results(block, intersect(wanted_columns(step), names(block$columns))))
}

# Where nothing is calculated before the end, the types that the program is made with are found soon enough.
typed_statements <- function(step, schema, call) {
  is_calculated <- function(node) match(node$kind, c("aggregate", "ordered", "running", "r_call", "r_code"), 0L) > 0L
  at_once <- any(schema$types == "other") || any(vapply(step_trees(step), any_node, NA, is = is_calculated))
  if (at_once) type_block(step$statements, schema, call, used_statements(step))$statements else step$statements
}
