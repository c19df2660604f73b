# Words on plain vectors, outside a block.

# The same words on vectors outside a block: the vectors are the columns of a table without a name.
word_on_vectors <- function(name, x, options, within = NULL, along = NULL, call) {
  groups <- as_columns(within, "within")
  order <- as_columns(along, "along")
  by <- lapply(names(order), function(one) if (is_descending(order[[one]])) call("descending",
      as.name(one)) else as.name(one))
  order <- lapply(order, function(one) if (is_descending(one)) one$x else one)
  columns <- c(list(x = x), groups, order)
  check_same_length(columns, call)
  options <- lapply(options, function(option) {
    if (inherits(option, "rowanroot_time_window")) call("time_window", option$count, option$unit) else option
  })
  code <- as.call(c(as.name(name), quote(x), options))
  if (length(groups)) code$within <- as.call(c(quote(c), lapply(names(groups), as.name)))
  if (length(order)) code$along <- as.call(c(quote(c), by))
  calculate_code(code, columns, call)
}

as_columns <- function(x, name) {
  if (is.null(x)) return(list())
  columns <- if (is.list(x) && !is_descending(x)) x else list(x)
  stats::setNames(columns, paste0(name, seq_along(columns)))
}

check_same_length <- function(columns, call) {
  lengths <- lengths(columns)
  for (k in which(vapply(columns, is_column_like, NA, rows = lengths[1]) == FALSE)) {
    stop_because(c("{.arg {sub('[0-9]+$', '', names(columns)[k])}} must be a vector as long as {.arg x}.",
                   "found" = "{.arg x} has {counted(lengths[1], 'value')}, and it is {what_is(columns[[k]])}."),
                     "wrong_length", call)
  }
}

# What a piece of code comes to for these columns.
calculate_code <- function(code, columns, call) {
  node <- bind_formula(code, formula_scope(names(columns), environment(calculate_code), code, call))
  calculate_tree(default_engine(), node, columns, code, call)
}
