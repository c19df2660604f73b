# Statements of a block: which columns they set, and which of them are needed.

# A column that is set and removed later is not there, and the other way round.
final_targets <- function(statements) {
  set <- removed <- character()
  if (!any(vapply(statements, `[[`, NA, "removes"))) {
    return(list(set = unique(unlist(lapply(statements, `[[`, "targets"))), removed = removed))
  }
  for (statement in statements) {
    if (statement$removes) {
      set <- setdiff(set, statement$targets)
      removed <- union(removed, statement$targets)
    } else {
      set <- union(set, statement$targets)
      removed <- setdiff(removed, statement$targets)
    }
  }
  list(set = set, removed = removed)
}

wanted_columns <- function(step) if (is.null(step$wanted)) step$columns else intersect(step$columns, step$wanted)

# Whether the line calls nothing but words that go row by row.
statement_goes_by_row <- function(statement) statement$removes || statement$goes_by_row

# Which statements are run: all, unless only some columns are wanted, or some are kept and what was on the way to
# them is not used.
used_statements <- function(step, is_kept = rep(FALSE, length(step$statements))) {
  is_used <- rep(TRUE, length(step$statements))
  if (is.null(step$wanted) && !any(is_kept)) return(is_used)
  wanted <- wanted_columns(step)
  for (k in rev(seq_along(step$statements))) {
    statement <- step$statements[[k]]
    is_used[k] <- statement$removes || any(statement$targets %in% wanted)
    if (!is_used[k]) next
    wanted <- setdiff(wanted, statement$targets)
    if (!statement$removes && !is_kept[k]) {
      wanted <- union(wanted, c(node_columns(statement$node), step$within, step$along$names))
    }
  }
  is_used
}

# For each statement the keys of its targets.
statement_keys <- function(step, keys) {
  columns <- keys$columns
  shared <- paste(c(canonical_methods(step$env), keys$rows, columns[step$within], "|", columns[step$along$names],
                    step$along$descending,
                    if (!is.null(step$calibration)) rlang::hash(step$calibration$found)), collapse = ",")
  lapply(step$statements, function(statement) {
    if (statement$removes) return(character())
    from <- columns[intersect(node_columns(statement$node), names(columns))]
    key <- key_from(shared, statement_key(statement), from)
    made <- vapply(stats::setNames(nm = statement$targets), function(target) key_from(key, target), "")
    columns[names(made)] <<- made
    made
  })
}

# A scratch column is only a way to the columns that it came from, and so is the column itself as it was.
through_block <- function(from, targets, origins) {
  passed <- is_scratch(from) | from %in% intersect(targets, names(origins))
  unique(as.character(c(from[!passed], unlist(origins[from[passed]], use.names = FALSE))))
}

statement_key <- function(statement) {
  paste0(paste(quoted(statement$targets), collapse = ","), "<-",
         if (statement$removes) "nothing" else canonical(statement$node))
}

# The nodes that a statement adds to a table's lineage. `by` are the columns of the block's groups and order.
statement_in_lineage <- function(statement, by) {
  if (statement$removes) return(list(list(removes = statement$targets)))
  several <- statement$node$kind == "several" && length(statement$node$parts) == length(statement$targets)
  lapply(seq_along(statement$targets), function(k) {
    name <- statement$targets[k]
    node <- if (several) statement$node$parts[[k]] else statement$node
    list(name = name, kind = if (is_scratch(name)) "scratch" else "column", formula = line_text(statement$line),
         from = c(node_columns(node), if (goes_by_groups(node)) by))
  })
}
