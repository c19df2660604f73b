# Formulas of rows that come in chunks, one after the other.

# Whether a tree has for each row what it has there for all rows, if they come in chunks. `grouped` says that the
# block has groups, `carried` that a chunk goes on from those before it.
goes_by_row <- function(node, grouped, carried = TRUE) {
  fold_node(node, function(node, children) {
    by_row <- unlist(children)
    switch(node$kind,
      value = is_one_value(node) || is.function(node$value),
      column = , above = TRUE,
      rows = carried && node$name == ".row" && !grouped,
      ordered = carried && goes_in_chunks(node) && is.null(node$along) && by_row,
      running = carried && is.null(node$along) && all(by_row),
      # Options may be vectors and tables of the script.
      r_call = looks_at_one_row(node) && all(by_row | vapply(node$arguments, function(one) one$kind == "value", NA)),
      r_code = , aggregate = FALSE,
      all(by_row)
    )
  })
}

# Whether the record says how an ordered word goes on from one chunk to the next, with the options that it has here.
goes_in_chunks <- function(node) {
  chunks <- node$word$chunks
  !is.null(if (is.function(chunks)) chunks(node$options) else chunks)
}

# Whether a node is a call of R with whole columns, rather than of the core.
calls_r <- function(node) {
  node$kind == "r_code" || node$kind == "r_call" && !identical(node$word$kind, "look_up")
}

# Some of R's functions look at other values of the column, to see what these are like.
looks_at_one_row <- function(call) {
  word <- call$word
  goes_by_value(word, call$arguments) && (is.null(word$peeks) || !word$peeks(call$arguments))
}
