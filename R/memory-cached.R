# Columns of a block that take long to calculate are cached: the next run calculates only those whose formula, or
# what it uses, has changed. A step's `cache` says where: `read(keys, rows)` gives the columns of these keys, or
# NULL, and `keep(keys, columns)` keeps some.

# Seconds from which on a column is worth keeping.
expensive_from <- function() getOption("rowanroot.keep_seconds", 0.25)

# `typed` are the step's statements with their types.
add_statements <- function(block, step, typed) {
  cache <- step$cache
  keys <- if (!is.null(cache)) statement_keys(step, step$input_keys)
  cached <- lapply(keys, function(made) if (length(made)) cache$read(made, block$rows))
  is_cached <- !vapply(cached, is.null, NA)
  for (k in which(used_statements(step, if (is.null(keys)) rep(FALSE, length(step$statements)) else is_cached))) {
    if (is.null(keys)) add_statement(block, typed[[k]])
    else if (is_cached[k]) block$columns[names(cached[[k]])] <- lapply(cached[[k]],
        function(column) new_slot(block, column)$id)
    else add_and_keep(block, typed[[k]], keys[[k]], cache)
  }
}

# A column whose calculation gave a warning is calculated again, and warns again.
add_and_keep <- function(block, statement, keys, cache) {
  warned <- FALSE
  started <- proc.time()[["elapsed"]]
  withCallingHandlers(add_statement(block, statement), warning = function(w) warned <<- TRUE)
  if (warned || !length(keys) || proc.time()[["elapsed"]] - started < expensive_from()) return(invisible())
  cache$keep(keys, lapply(names(keys), function(name) block$values[[block$columns[[name]]]]))
}
