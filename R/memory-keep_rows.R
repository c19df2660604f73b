#' @export
in_memory.step_keep_rows <- function(step, data, call) {
  condition <- true_or_false(step, data, call)
  rows_where(data, if (step$verb == "keep_rows") condition else !condition | is.na(condition))
}

true_or_false <- function(step, data, call) {
  block <- new_block(data, nrow(data), call, step$env)
  block$within <- unlist(block$columns[step$within])
  block$within_names <- step$within
  block$calibration <- step$calibration
  block$chunks <- step$chunks
  start_line(block, step$typed$condition)
  condition <- type_condition(type_tree(new_condition(step$node, step$typed$condition), schema_of(data), block), block,
                              as_row_condition = TRUE)
  values <- node_values(list(condition), block)[[1]]
  if (length(values) == block$rows) values else rep_len(values, block$rows)
}
