# Columns that only go out with the rows that are chosen next are calculated late: for these rows alone, when the others
# are gone. What is late must give for each row what it gives for it alone, and neither fail nor warn: a row that is
# left out would have been told of.

# Whether the step only chooses rows, or puts them in order.
chooses_rows <- function(step) UseMethod("chooses_rows")

#' @export
chooses_rows.default <- function(step) FALSE

# The step in two, around one that chooses rows by the columns `by`: `early` and `late`. NULL where nothing is late.
early_and_late <- function(step, by, schema, call) {
  used <- used_statements(step)
  typed <- suppressWarnings(type_block(step$statements, schema, call, used))
  waits <- waiting_statements(step, by, typed$statements, used)
  if (!any(waits)) return(NULL)
  late <- step
  late$statements <- step$statements[waits]
  late["within"] <- late["along"] <- list(NULL)
  late$cache <- NULL
  early <- step
  early$statements <- step$statements[used & !waits]
  wanted <- c(wanted_columns(step), by)
  for (statement in rev(late$statements)) {
    wanted <- c(setdiff(wanted, statement$targets), node_columns(statement$node))
  }
  early$columns <- late$columns_before <- unique(wanted)
  early$wanted <- NULL
  list(early = early, late = late)
}

# Of the statements those that can wait: nothing that is early uses what they set, or sets what they use.
waiting_statements <- function(step, by, typed, used) {
  statements <- step$statements
  targets <- lapply(statements, `[[`, "targets")
  from <- lapply(statements, function(one) if (!one$removes) node_columns(one$node))
  waits <- used & vapply(seq_along(statements), function(k) is_quiet_row(statements[[k]], typed[[k]]), NA)
  repeat {
    before <- waits
    for (k in which(waits)) {
      early <- !waits & used
      after <- early & seq_along(waits) > k
      waits[k] <- !any(targets[[k]] %in% c(by, unlist(from[after]), unlist(targets[after]))) &&
        !any(from[[k]] %in% unlist(targets[after])) && !any(scratch_of(from[[k]]) %in% unlist(targets[early]))
    }
    if (identical(waits, before)) return(waits)
  }
}

scratch_of <- function(names) names[is_scratch(names)]

is_quiet_row <- function(statement, typed) {
  !statement$removes && statement$node$kind != "several" && goes_by_row(statement$node, FALSE, carried = FALSE) &&
    !any_node(typed$node, Negate(is_quiet))
}

# Whether the node, of a typed tree, neither fails nor warns. Whole numbers may overflow.
is_quiet <- function(node) {
  switch(node$kind,
    column = , value = , shared = , deep = TRUE,
    word = is_typed(node) && !node$type %in% c("other", "integer", "number") &&
      !is.null(rule_of_types(node$word, types_of(node$arguments))),
    choose = , convert = , condition = is_typed(node),
    r_call = isTRUE(node$word$quiet),
    FALSE
  )
}
