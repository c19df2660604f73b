#' @export
in_memory.step_keep_rows <- function(step, data, call) {
  condition <- true_or_false(step, data, call)
  rows_where(data, if (step$verb == "keep_rows") condition else !condition | is.na(condition))
}

true_or_false <- function(step, data, call) {
  run <- new_run(data, nrow(data), call, step$env)
  run$within <- unlist(run$columns[step$within])
  run$within_names <- step$within
  run$calibration <- step$calibration
  run$lots <- step$lots
  start_line(run, step$typed$condition)
  condition <- type_condition(type_tree(new_condition(step$node, step$typed$condition), schema_of(data), run), run,
                              as_row_condition = TRUE)
  values <- node_values(list(condition), run)[[1]]
  if (length(values) == run$rows) values else rep_len(values, run$rows)
}
