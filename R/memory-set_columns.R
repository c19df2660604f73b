#' @export
in_memory.step_set_columns <- function(step, data, call) {
  block <- new_block(data, nrow(data), call, step$env)
  block$within <- unlist(block$columns[step$within])
  block$within_names <- step$within
  block$calibration <- step$calibration
  block$chunks <- step$chunks
  block$along <- list(ids = unlist(block$columns[step$along$names]), descending = step$along$descending,
                    names = step$along$names)
  add_statements(block, step, type_block(step$statements, schema_of(data), call, used_statements(step))$statements)
  with_columns(data, block_results(block, intersect(wanted_columns(step), names(block$columns))))
}
