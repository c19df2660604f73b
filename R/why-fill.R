# A formula with the values of one row in the places of its names.

# The line's formula `filled`, what there is to say of it as `notes`, and the columns that it `used`.
fill_line <- function(statement, block, row) {
  found <- new.env(parent = emptyenv())
  found$notes <- character()
  found$used <- character()
  found$texts <- list()
  formula <- statement$formula
  if (!is.null(statement$condition)) {
    holds <- take_rows(block$value(statement$condition)$values, row)
    note(found, paste0(one_line(statement$condition), ": ", filled_text(statement$condition, block, row, found), " is ", value_text(holds)))
    if (!isTRUE(holds)) {
      target <- statement$targets
      if (target %in% block$columns) found$used <- c(found$used, target)
      return(list(filled = if (target %in% block$columns) "as it was" else "missing, as it is set in other rows only", notes = found$notes, used = unique(found$used)))
    }
  }
  formula <- branch_taken(formula, block, row, found)
  filled <- filled_text(formula, block, row, found)
  plain <- is.symbol(formula) || !is.language(formula)
  list(filled = if (!plain || !identical(formula, statement$formula)) filled, notes = unique(found$notes), used = unique(found$used))
}

note <- function(found, text) found$notes <- c(found$notes, text)

# The part of an `if` or a `switch` that holds in this row.
branch_taken <- function(code, block, row, found) {
  while (is_call_to(code, c("if", "switch", "("))) {
    if (is_call_to(code, "(")) {
      code <- code[[2]]
      next
    }
    if (is_call_to(code, "switch")) return(branch_of_switch(code, block, row, found))
    holds <- take_rows(block$value(code[[2]])$values, row)
    note(found, paste0(one_line(code[[2]]), ": ", filled_text(code[[2]], block, row, found), " is ", value_text(holds)))
    if (is.na(holds)) return(NA)
    if (isTRUE(as.logical(holds))) code <- code[[3]]
    else if (length(code) > 3) code <- code[[4]]
    else return(NA)
  }
  code
}

branch_of_switch <- function(code, block, row, found) {
  value <- take_rows(block$value(code[[2]])$values, row)
  note(found, paste0("switch: ", filled_text(code[[2]], block, row, found), if (!is.symbol(code[[2]])) paste0(" is ", value_text(value))))
  branches <- as.list(code)[-(1:2)]
  names <- names(branches)
  at <- if (is.na(value)) NA else match(as.character(value), names)
  if (is.na(at) && !is.na(value)) at <- utils::tail(which(!nzchar(names)), 1)
  while (length(at) && !is.na(at) && identical(branches[[at]], quote(expr = ))) at <- at + 1
  if (!length(at) || is.na(at)) NA else branch_taken(branches[[at]], block, row, found)
}

# Calls that stand for one value of a whole column or of an order are shown as they come out, with a note; others with what goes in.
filled_text <- function(code, block, row, found) {
  texts <- list()
  held <- function(text) {
    name <- paste0(".value", length(texts) + 1, ".")
    texts[[name]] <<- text
    as.name(name)
  }
  fill <- function(code) {
    if (is.symbol(code)) return(fill_name(code, block, row, found, held))
    if (!is.call(code)) return(code)
    if (is_call_to(code, c("function", "quote"))) return(code)
    special <- special_call(code, block, row, found)
    if (!is.null(special)) return(held(special))
    as.call(c(code[[1]], lapply(as.list(code)[-1], function(part) if (identical(part, quote(expr = ))) part else fill(part))))
  }
  text <- one_line(fill(code), 400L)
  for (name in names(texts)) text <- gsub(name, texts[[name]], text, fixed = TRUE)
  text
}

fill_name <- function(code, block, row, found, held) {
  name <- as.character(code)
  if (name %in% c(".row", ".rows")) return(held(value_text(take_rows(block$value(code)$values, row))))
  if (name %in% block$columns) {
    found$used <- c(found$used, name)
    return(held(value_text(take_rows(block$value(code)$values, row))))
  }
  value <- get0(name, block$env, inherits = TRUE)
  if (is.atomic(value) && length(value) == 1) held(value_text(value)) else code
}

# The text of a call's value, if it is one that a note tells of.
special_call <- function(code, block, row, found) {
  if (!is.symbol(code[[1]])) return(NULL)
  got <- tryCatch(block$value(code), error = function(e) NULL)
  if (is.null(got) || !got$node$kind %in% c("aggregate", "ordered", "running", "r_call")) return(NULL)
  looked_up <- got$node$kind == "r_call" && identical(got$node$name, "look_up")
  if (got$node$kind == "r_call" && !looked_up) return(NULL)
  value <- value_text(take_rows(got$values, row))
  found$used <- c(found$used, intersect(node_columns(got$node), block$columns))
  told <- if (looked_up) note_of_look_up(got$node, block, row) else note_of_order(got$node, got$values, block, row)
  note(found, paste0(one_line(code), " is ", value, if (nzchar(told)) paste0(", ", told)))
  value
}

# The rows of the group that the row is in, in their order.
rows_around <- function(node, block, row) {
  run <- block$run
  groups <- run_groups(run, node$within)
  order <- order_rows(run_order(run, node$along))
  rows <- if (is.null(order)) seq_len(block$rows) else order + 1L
  if (is.null(groups)) rows else rows[groups$of_row[rows] == groups$of_row[row]]
}

note_of_order <- function(node, values, block, row) {
  rows <- rows_around(node, block, row)
  of <- paste0(counted_rows(length(rows)), group_text(node, block, row))
  if (node$kind == "aggregate") return(paste("over", of))
  if (node$kind == "running") return(paste0("from the row above, ", above_text(rows, row, values), ", among ", of))
  arguments <- argument_values_of(node, block)
  name <- node$entry$name
  at <- match(row, rows)
  if (name == "ranking") return(note_of_rank(arguments, values, rows, row, of))
  if (name %in% c("previous", "following")) return(paste("among", of))
  went_in <- utils::tail(rows[seq_len(at)], 4)
  paste0("the last that went in: ", paste(vapply(went_in, function(one) value_text(take_rows(arguments, one)), ""), collapse = ", "), if (length(went_in) > 1) " (rows " else " (row ",
         paste(went_in, collapse = ", "), "), of ", counted_rows(at), " so far among ", of)
}

above_text <- function(rows, row, values) {
  at <- match(row, rows)
  if (at == 1) "of which there is none" else paste0(value_text(take_rows(values, rows[at - 1])), " (row ", rows[at - 1], ")")
}

argument_values_of <- function(node, block) {
  id <- column_slot(type_unguarded(node$argument, block$run), block$run)
  calculate(block$run, id)
  block$run$values[[id]]
}

# The nearest rows with another rank on either side.
note_of_rank <- function(x, ranks, rows, row, of) {
  own <- ranks[row]
  if (is.na(own)) return("since it has no value")
  others <- rows[!is.na(ranks[rows]) & rows != row]
  told <- function(candidates, best, word) {
    if (!length(candidates)) return(NULL)
    nearest <- candidates[best(ranks[candidates])]
    paste0(word, " it ", value_text(take_rows(x, nearest)), " (row ", nearest, ", rank ", format(ranks[nearest]), ")")
  }
  tied <- sum(ranks[others] == own)
  paste(c(paste("among", of), told(others[ranks[others] < own], which.max, "before"), told(others[ranks[others] > own], which.min, "behind"),
          if (tied) paste("with the same rank", counted(tied, "other"))), collapse = "; ")
}

group_text <- function(node, block, row) {
  names <- if (is.null(node$within)) block$step$within else node$within
  if (!length(names)) return("")
  paste0(" where ", paste(vapply(names, function(name) paste(name, "is", value_text(take_rows(block$value(as.name(name))$values, row))), ""), collapse = " and "))
}

note_of_look_up <- function(node, block, row) {
  table <- node$arguments$table$value
  keys <- node$arguments[!names(node$arguments) %in% c("table", "take", "by", "unknown")]
  values <- lapply(unname(keys), function(key) take_rows(argument_values_of(list(argument = key), block), row))
  if (!is.data.frame(table)) return(paste("by", value_text(values[[1]])))
  by <- node$arguments$by$value
  hit <- Reduce(`&`, Map(function(name, value) as.character(table[[name]]) == as.character(value), by, values))
  at <- which(hit)
  paste0(if (length(at)) paste("row", at[1]) else "no row", " of the table, where ", paste(by, "is", vapply(values, value_text, ""), collapse = " and "))
}

# One value as people read it.
value_text <- function(value) {
  if (is.list(value)) return(one_line(value))
  if (length(value) != 1 || is.na(value)) return(if (is.numeric(value) && is.nan(value)) "NaN" else "NA")
  if (is.factor(value) || is.character(value)) return(quoted(as.character(value)))
  if (is.numeric(value) && !is.object(value)) return(format(value, digits = 7))
  as.character(value)
}

#' @export
format.explanation <- function(x, width = cli::console_width(), ...) {
  c(paste0(cli::style_bold(x$column), ", row ", format(x$row, big.mark = ","), ", is ", cli::style_bold(value_text(x$value))), indented(x, width - 2))
}

indented <- function(x, width) {
  lines <- c(
    if (!is.null(x$formula)) strwrap(x$formula, width, exdent = 4),
    if (!is.null(x$filled)) strwrap(paste("=", x$filled), width, indent = 4, exdent = 6),
    vapply(x$notes, function(text) paste(cli::col_grey(strwrap(text, width, indent = 2, exdent = 4)), collapse = "\n"), ""),
    if (!is.null(x$place)) cli::col_grey(paste("from", x$place))
  )
  inner <- lapply(x$from, function(one) {
    # What a file says needs no line of its own.
    head <- paste0(cli::style_bold(one$column), " is ", value_text(one$value))
    if (is.null(one$formula) && !length(one$from)) paste0(head, cli::col_grey(paste0(", ", paste(c(if (!is.null(one$place)) paste("from", one$place), one$notes), collapse = ", "))))
    else c(head, indented(one, width - 2))
  })
  paste0("  ", unlist(strsplit(c(lines, unlist(inner)), "\n", fixed = TRUE)), recycle0 = TRUE)
}

#' @export
print.explanation <- function(x, width = cli::console_width(), ...) {
  cat(format(x, width = width), sep = "\n")
  invisible(x)
}
