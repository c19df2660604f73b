# Runs the statements of a block on columns in memory. A statement only says what its column is; columns
# are calculated together, in one pass, when R or the result needs them.

# A block has numbered slots. A slot has a value (an R vector), or a pending typed node, or both; `columns` says which
# slot each name stands for at this point of the block; `counting` marks the shared parts of formulas whose
# overflows count only for the rows that use them. `env` is where the formulas were written: methods for classes are
# looked up there.
new_block <- function(data, rows, call, env = NULL) {
  values <- unclass(data)
  attributes(values) <- NULL
  block <- new_slots(values, stats::setNames(as.list(seq_along(data)), names(data)))
  block$rows <- rows
  block$call <- call
  block$env <- env
  block$formula <- ""
  block$line_number <- 0
  block$counting <- logical()
  block$guarded <- FALSE
  block$groups <- block$orders <- block$aggregates <- block$row_counts <- block$likes <- list()
  block
}

# The block of a step: in its groups and order, with what a calibrated routine learned and what came in earlier chunks.
new_block_of <- function(step, data, call) {
  block <- new_block(data, nrow(data), call, step$env)
  block$within <- unlist(block$columns[step$within])
  block$within_names <- step$within
  block$calibration <- step$calibration
  block$chunks <- step$chunks
  block$along <- list(ids = unlist(block$columns[step$along$names]), descending = step$along$descending,
                      names = step$along$names)
  block
}

# The slots, as an environment. `put()` and `name()` change them in place, where `block$values[[id]] <-` would copy
# them all each time.
new_slots <- function(values, columns) {
  force(columns)
  pending <- vector("list", length(values))
  types <- vapply(values, value_type, "")
  put <- function(id, value, node, type) {
    values[id] <<- list(value)
    pending[id] <<- list(node)
    types[id] <<- type
  }
  name <- function(name, id) {
    at <- match(name, names(columns))
    if (is.na(at)) columns[[name]] <<- id else columns[[at]] <<- id
  }
  environment()
}

new_slot <- function(block, value) {
  id <- length(block$types) + 1L
  type <- value_type(value)
  block$put(id, value, NULL, type)
  typed_slot(id, type)
}

new_pending <- function(block, node) {
  if (!is.null(block$above)) check_no_above(list(node), NULL, block)
  id <- length(block$types) + 1L
  block$put(id, NULL, node, node$type)
  typed_slot(id, node$type)
}

add_statement <- function(block, statement) {
  start_line(block, statement$line)
  block$shared <- list()
  targets <- statement$targets
  if (statement$removes) {
    block$columns[targets] <- NULL
  } else if (length(targets) == 1) {
    id <- column_slot(lower_node(statement$node, block), block)
    check_no_list(block$values[[id]], statement$node, block)
    block$name(targets, id)
  } else {
    block$columns[targets] <- lapply(several_nodes(statement$node, length(targets), block), column_slot, block = block)
  }
  invisible()
}

# A list that a formula makes is mostly a text that was split: one list a row is not what is wanted.
check_no_list <- function(value, node, block) {
  if (!is.list(value) || inherits(value, "AsIs") || node$kind == "column") return(invisible())
  stop_because(c("A column must have one value for each row, not a list.",
                 "found" = "{.code {block$formula}} gives a list.",
                 "try" = "Take one value of each, as in {.code vapply({label_of(node)}, `[`, \"\", 1)}.",
                 "try" = "To keep the lists, write {.code I({label_of(node)})}."),
               "bad_result", block$call)
}

# As many typed nodes as there are names. What R gave may be a list, a data frame or a matrix.
several_nodes <- function(node, wanted, block) {
  parts <- lapply(node$parts, lower_node, block = block)
  if (length(parts) == wanted) return(parts)
  value <- node_values(parts, block)[[1]]
  if (length(dim(value)) == 2) value <- as.data.frame(value)
  found <- if (is.list(value)) length(value) else 1
  if (found != wanted) stop_wrong_columns(found, block$formula, wanted, block$call)
  lapply(unname(as.list(value)), typed_value, block = block)
}

# The line whose turn it is, and its text for messages.
start_line <- function(block, line) {
  block$line <- line
  block$line_number <- block$line_number + 1
  delayedAssign("formula", line_text(line), assign.env = block)
}

# The slot of a formula's result: one value for each row.
column_slot <- function(node, block) {
  if (node$kind == "slot") return(node$id)
  if (node$kind == "code") node <- typed_value(eval_code(node$node, NULL, block), block)
  if (node$kind == "slot") return(node$id)
  if (node$kind == "classed") return(new_classed_slot(block, node))
  if (node$kind == "object") return(new_slot(block, whole_column(node$value, block))$id)
  new_pending(block, node)$id
}

# A single value with a class, such as a date, is repeated; anything else has the wrong length.
whole_column <- function(value, block) {
  single <- is.atomic(value) && is_vector_like(value) && length(value) == 1
  if (!single) stop_wrong_length(value, block)
  rep(value, block$rows)
}

stop_wrong_length <- function(value, block) {
  if (!is_vector_like(value)) {
    stop_because(c("A column must have one value for each row.",
                   "found" = "{.code {block$formula}} gives {what_is(value)}.",
                   "try" = if (is.data.frame(value)) paste0("Name all its columns, as in ",
                                                          "{.code c({paste(names(value), collapse = ', ')}) ",
                                                          "<- \u2026}.")), "bad_result", block$call)
  }
  stop_because(c("A column must have one value for each row, or one for all rows.",
                 "found" = paste0("{.code {block$formula}} gives {counted(length(value), 'value')}, and the table has ",
                              "{counted_rows(block$rows)}.")),
               "wrong_length", block$call, found = length(value), expected = block$rows)
}

# Gives values to these slots. If any is yet to be calculated, so are all columns, in the same pass: they
# may be what it is made of.
calculate <- function(block, ids) {
  is_pending <- function(ids) lengths(block$pending[ids]) > 0L
  if (!any(is_pending(ids))) return(invisible())
  ids <- unique(c(ids, unlist(block$columns, use.names = FALSE)))
  ids <- ids[is_pending(ids)]
  nodes <- block$pending[ids]
  values <- calculate_program(nodes, block, block$likes[as.character(ids)])
  for (k in seq_along(ids)) {
    block$put(ids[k], values[[k]], NULL, block$types[ids[k]])
  }
  invisible()
}

# The columns of these names, as they are at the end of the block.
block_results <- function(block, names) {
  ids <- unlist(block$columns[names], use.names = FALSE)
  calculate(block, ids)
  stats::setNames(block$values[ids], names)
}
