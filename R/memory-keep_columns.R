# The step has for each of its columns the name that it had.
#' @export
in_memory.step_columns <- function(step, data, call) {
  there <- step$from %in% names(data)
  with_columns(data, stats::setNames(unclass(data)[step$from[there]], step$columns[there]))
}
