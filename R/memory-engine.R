# The engine in memory: columns are R vectors, calculated by the core. It is the default one from when the package
# is loaded.

memory_engine <- function() structure(list(), class = "memory_engine")

#' @export
execute.memory_engine <- function(engine, step, table, call) within_memory(in_memory(step, table, call))

# The data frame after the step.
in_memory <- function(step, data, call) UseMethod("in_memory")

#' @export
calculate_tree.memory_engine <- function(engine, node, columns, line, call) {
  block <- new_block(columns, length(columns[[1]]), call)
  start_line(block, line)
  id <- column_slot(lower_node(node, block), block)
  calculate(block, id)
  value <- block$values[[id]]
  if (is.null(value)) rep_len(NA, block$rows) else value
}
