# Runs the statements of a block on columns in memory. A statement only says what its column is; columns
# are calculated together, in one pass, when R or the result needs them.

# A run has numbered slots. A slot has a value (an R vector), or a pending typed node, or both; `columns` says which
# slot each name stands for at this point of the block; `counting` marks the shared parts of formulas whose
# overflows count only for the rows that use them. `env` is where the formulas were written: methods for classes are
# looked up there.
new_run <- function(data, rows, call, env = NULL) {
  values <- unclass(data)
  attributes(values) <- NULL
  run <- new_slots(values, stats::setNames(as.list(seq_along(data)), names(data)))
  run$rows <- rows
  run$call <- call
  run$env <- env
  run$formula <- ""
  run$line_number <- 0
  run$counting <- logical()
  run$guarded <- FALSE
  run$groups <- run$orders <- run$aggregates <- run$row_counts <- list()
  run
}

# The slots, as an environment. `put()` and `name()` change them in place, where `run$values[[id]] <-` would copy
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

new_slot <- function(run, value) {
  id <- length(run$types) + 1L
  type <- value_type(value)
  run$put(id, value, NULL, type)
  typed_slot(id, type)
}

new_pending <- function(run, node) {
  if (!is.null(run$above)) check_no_above(list(node), NULL, run)
  id <- length(run$types) + 1L
  run$put(id, NULL, node, node$type)
  typed_slot(id, node$type)
}

run_statement <- function(run, statement) {
  start_line(run, statement$line)
  run$shared <- list()
  targets <- statement$targets
  if (statement$removes) {
    run$columns[targets] <- NULL
  } else if (length(targets) == 1) {
    id <- column_slot(type_node(statement$node, run), run)
    check_no_list(run$values[[id]], statement$node, run)
    run$name(targets, id)
  } else {
    run$columns[targets] <- lapply(several_nodes(statement$node, length(targets), run), column_slot, run = run)
  }
  invisible()
}

# A list that a formula makes is mostly a text that was split: one list a row is not what is wanted.
check_no_list <- function(value, node, run) {
  if (!is.list(value) || inherits(value, "AsIs") || node$kind == "column") return(invisible())
  stop_because(c("A column must have one value a row, not a list for each.",
                 "x" = "{.code {run$formula}} gives lists.",
                 "i" = "Take one value of each, as in {.code vapply({label_of(node)}, `[`, \"\", 1)}.",
                 "i" = "To keep the lists, write {.code I({label_of(node)})}."),
               "bad_result", run$call)
}

# As many typed nodes as there are names. What R gave may be a list, a data frame or a matrix.
several_nodes <- function(node, wanted, run) {
  parts <- lapply(node$parts, type_node, run = run)
  if (length(parts) == wanted) return(parts)
  value <- node_values(parts, run)[[1]]
  if (length(dim(value)) == 2) value <- as.data.frame(value)
  found <- if (is.list(value)) length(value) else 1
  if (found != wanted) stop_wrong_columns(found, run$formula, wanted, run$call)
  lapply(unname(as.list(value)), typed_value, run = run)
}

# The line that is being run, and its text for messages.
start_line <- function(run, line) {
  run$line <- line
  run$line_number <- run$line_number + 1
  delayedAssign("formula", line_text(line), assign.env = run)
}

# The slot of a formula's result: one value a row.
column_slot <- function(node, run) {
  if (node$kind == "slot") return(node$id)
  if (node$kind == "code") node <- typed_value(eval_code(node$node, NULL, run), run)
  if (node$kind == "slot") return(node$id)
  if (node$kind == "object") return(new_slot(run, whole_column(node$value, run))$id)
  new_pending(run, node)$id
}

# A single value with a class, such as a date, is repeated; anything else has the wrong length.
whole_column <- function(value, run) {
  single <- is.atomic(value) && is_vector_like(value) && length(value) == 1
  if (!single) stop_wrong_length(value, run)
  rep(value, run$rows)
}

stop_wrong_length <- function(value, run) {
  if (!is_vector_like(value)) {
    stop_because(c("A column must have one value a row.",
                   "x" = "{.code {run$formula}} gives {what_is(value)}.",
                   "i" = if (is.data.frame(value)) paste0("Name all its columns, as in ",
                                                          "{.code c({paste(names(value), collapse = ', ')}) ",
                                                          "<- \u2026}.")), "bad_result", run$call)
  }
  stop_because(c("A column must have one value a row, or one for all rows.",
                 "x" = paste0("{.code {run$formula}} gives {counted(length(value), 'value')}, and the table has ",
                              "{counted_rows(run$rows)}.")),
               "wrong_length", run$call, found = length(value), expected = run$rows)
}

# Gives values to these slots. If any is yet to be calculated, so are all columns, in the same pass: they
# may be what it is made of.
calculate <- function(run, ids) {
  is_pending <- function(ids) !vapply(run$pending[ids], is.null, NA)
  if (!any(is_pending(ids))) return(invisible())
  ids <- unique(c(ids, unlist(run$columns, use.names = FALSE)))
  ids <- ids[is_pending(ids)]
  nodes <- run$pending[ids]
  values <- run_program(nodes, run)
  for (k in seq_along(ids)) {
    run$put(ids[k], values[[k]], NULL, run$types[ids[k]])
  }
  invisible()
}

# The columns of these names, as they are at the end of the block.
run_results <- function(run, names) {
  ids <- unlist(run$columns[names], use.names = FALSE)
  calculate(run, ids)
  stats::setNames(run$values[ids], names)
}
