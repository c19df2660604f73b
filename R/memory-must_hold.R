#' @export
in_memory.step_conditions <- function(step, data, call) {
  block <- new_block(data, nrow(data), call, step$env)
  block$within <- unlist(block$columns[step$within])
  if (!is.null(step$check)) step$check$is_done <- TRUE
  schema <- schema_of(data)
  broken <- list()
  for (k in seq_along(step$nodes)) {
    condition <- row_condition(step$nodes[[k]], step$typed$conditions[[k]], schema, block)
    of_table <- !length(step$within) && isTRUE(values_of_group(step$nodes[[k]], character()))
    found <- if (of_table) broken_table(value_of_table(condition, block)) else broken_rows(node_values(list(condition),
        block)[[1]])
    if (!is.null(found)) broken <- c(broken, list(c(found, list(at = k))))
  }
  # The columns of the first rows that break each.
  broken <- lapply(broken, function(one) {
    one$values <- lapply(as.list(data)[columns_of_condition(step, one$at)], take_rows, one$first)
    one
  })
  if (length(broken)) tell_broken(step, broken, call)
  data
}

columns_of_condition <- function(step, at) utils::head(intersect(node_columns(step$nodes[[at]]), step$columns), 4)

# A table without rows has a value too.
value_of_table <- function(condition, block) {
  rows <- block$rows
  on.exit(block$rows <- rows)
  block$rows <- max(rows, 1L)
  node_values(list(condition), block)[[1]][1]
}

# NULL if the condition holds.
broken_table <- function(value) if (!isTRUE(value)) list(rows = 0, first = NA_integer_, missing = is.na(value))

broken_rows <- function(values) {
  if (isTRUE(all(values))) return(NULL)
  breaks <- which(is.na(values) | !values)
  if (length(breaks)) list(rows = length(breaks), first = utils::head(breaks, 3), missing = anyNA(values))
}

tell_broken <- function(step, broken, call) {
  at <- vapply(broken, `[[`, 0, "at")
  formulas <- vapply(unname(step$typed$conditions[at]), one_line, "")
  count <- length(at)
  of <- length(step$nodes)
  bullets <- vapply(seq_along(broken), function(k) broken_text(broken[[k]], step$titles[at[k]], formulas[k]), "")
  is_missing <- any(vapply(broken, `[[`, NA, "missing"))
  message <- c(if (of == 1) "A condition does not hold."
               else "{count} of {of} conditions {cli::qty(count)}{?does/do} not hold.",
               stats::setNames(escaped(bullets), rep("found", count)),
               "try" = if (is_missing) paste("Where a condition is missing it does not hold:",
                                           "{.code is.na(x) || \u2026} lets missing values pass."))
  table <- data.frame(name = step$titles[at], formula = formulas, rows = vapply(broken, `[[`, 0, "rows"),
                      first = vapply(broken, function(one) one$first[1], 0L))
  if (step$verb == "must_hold") stop_because(message, "broken_condition", call, broken = table)
  warn_because(message, "broken_condition", call, broken = table)
}

broken_text <- function(one, title, formula) {
  named <- if (title != formula) paste0(title, " (", formula, ")") else title
  if (is.na(one$first[1])) return(paste0(named, ": it is ", if (one$missing) "missing." else "false."))
  shown <- vapply(seq_along(one$first), function(k) {
    values <- vapply(names(one$values), function(name) {
      paste(shown_side(name), format_value(take_rows(one$values[[name]], k)))
    }, "")
    paste0("row ", one$first[k], if (length(values)) paste0(" (", paste(values, collapse = ", "), ")"))
  }, "")
  paste0(named, ": ", counted_rows(one$rows), ", first ", paste(shown, collapse = ", "),
         if (one$rows > length(shown)) " \u2026", ".")
}
