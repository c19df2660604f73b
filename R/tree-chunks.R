# Formulas of rows that come in chunks, one after the other.

# Whether a tree has for each row what it has there for all rows, if they come in chunks. `grouped` says that the
# block has groups, `carried` that a chunk goes on from those before it.
goes_by_row <- function(node, grouped, carried = TRUE) {
  fold_node(node, function(node, children) {
    by_row <- unlist(children)
    switch(node$kind,
      value = is_one_value(node) || is.function(node$value) || is.null(node$value),
      column = , above = TRUE,
      rows = carried && node$name == ".row" && !grouped,
      ordered = carried && goes_in_chunks(node) && is.null(node$along) && by_row,
      running = carried && is.null(node$along) && all(by_row),
      r_call = looks_at_one_row(node) && all(are_for_each_row(node, by_row)),
      r_code = , aggregate = FALSE,
      all(by_row)
    )
  })
}

# Which arguments of a call have for each row what they have for all: those that go by row, and options that may be
# vectors or tables. Other vectors of the script go along with the rows, as in `paste0(hive, c("a", "b"))`.
are_for_each_row <- function(node, by_row) {
  if (all(by_row) || is.null(node$word$several)) return(by_row)
  is_value <- vapply(node$arguments, function(one) one$kind == "value", NA)
  by_row | is_value & names_of_arguments(node) %in% node$word$several
}

# What the function calls the arguments that it is given.
names_of_arguments <- function(node) {
  places <- stats::setNames(as.list(seq_along(node$arguments)), names(node$arguments))
  matched <- as.list(match.call(args(node$fun), as.call(c(quote(f), places))))[-1]
  names(matched)[match(seq_along(places), unlist(matched))]
}

# Whether the record says how an ordered word goes on from one chunk to the next, with the options that it has here.
goes_in_chunks <- function(node) {
  chunks <- node$word$chunks
  !is.null(if (is.function(chunks)) chunks(node$options) else chunks)
}

# Whether a node needs R's memory for the values of all rows: a call of R that is given all at once.
calls_r <- function(node) {
  node$kind == "r_code" ||
    node$kind == "r_call" && !identical(node$word$kind, "look_up") && is.null(beyond_memory(node))
}

# How a call does without R's memory for all rows: "core" or "pieces". NULL where it is given all rows: a function that
# may fail for some of them must count all of these in its message.
beyond_memory <- function(call) {
  word <- call$word
  if (!looks_at_one_row(call)) return(NULL)
  if (!is.null(word$kernel)) return("core")
  if (is.function(word$beyond)) word$beyond(call$arguments) else if (isTRUE(word$quiet)) "pieces" else word$beyond
}

# Some of R's functions look at other values of the column, to see what these are like.
looks_at_one_row <- function(call) {
  word <- call$word
  goes_by_value(word, call$arguments) && (is.null(word$peeks) || !word$peeks(call$arguments))
}
