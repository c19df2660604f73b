#' @export
in_memory.step_keep_rows <- function(step, data, call) {
  condition <- true_or_false(step, data, call)
  rows_where(data, if (step$verb == "keep_rows") condition else !condition | is.na(condition))
}

true_or_false <- function(step, data, call) {
  block <- new_block_of(step, data, call)
  condition <- row_condition(step$node, step$typed$condition, schema_of(data), block)
  values <- node_values(list(condition), block)[[1]]
  if (length(values) == block$rows) values else rep_len(values, block$rows)
}

# A condition of rows, typed; `line` is its code.
row_condition <- function(node, line, schema, block) {
  start_line(block, line)
  lower_condition(type_tree(new_condition(node, line), schema, block), block, as_row_condition = TRUE)
}
