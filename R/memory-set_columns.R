#' @export
in_memory.step_set_columns <- function(step, data, call) {
  run <- new_run(data, nrow(data), call, step$env)
  run$within <- unlist(run$columns[step$within])
  run$within_names <- step$within
  run$calibration <- step$calibration
  run$lots <- step$lots
  run$along <- list(ids = unlist(run$columns[step$along$names]), descending = step$along$descending,
                    names = step$along$names)
  run_statements(run, step, type_block(step$statements, schema_of(data), call, used_statements(step))$statements)
  with_columns(data, run_results(run, intersect(wanted_columns(step), names(run$columns))))
}
