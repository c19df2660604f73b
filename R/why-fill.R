# A formula with the values of one row in the places of its names.

# The line's formula `filled` with values, `notes` on it, and the columns that it `used`.
fill_line <- function(statement, block, row) {
  found <- new.env(parent = emptyenv())
  found$notes <- character()
  found$used <- character()
  found$texts <- list()
  formula <- statement$formula
  if (!is.null(statement$condition)) {
    holds <- take_rows(block$value(statement$condition)$values, row)
    note(found, paste0(one_line(statement$condition), ": ", filled_text(statement$condition, block, row, found),
                       " is ", value_text(holds)))
    if (!isTRUE(holds)) {
      target <- statement$targets
      if (target %in% block$columns) found$used <- c(found$used, target)
      filled <- if (target %in% block$columns) "unchanged" else "missing: only other rows are set"
      return(list(filled = filled, notes = found$notes, used = unique(found$used)))
    }
  }
  note_of_columns_above(statement, block, row, found)
  formula <- branch_taken(formula, block, row, found)
  filled <- filled_text(formula, block, row, found)
  plain <- is.symbol(formula) || !is.language(formula)
  list(filled = if (!plain || !identical(formula, statement$formula)) filled, notes = unique(found$notes),
       used = unique(found$used))
}

# Making the text may make notes, which come first.
note <- function(found, text) {
  force(text)
  found$notes <- c(found$notes, text)
}

# A recurrence of several columns is noted with what these are in the row above.
note_of_columns_above <- function(statement, block, row, found) {
  pick <- if (statement$node$kind == "several") statement$node$parts[[1]]
  if (is.null(pick) || pick$kind != "pick") return(invisible())
  rows <- rows_around(pick$argument$part$node, block, row)
  above <- rows[match(row, rows) - 1]
  if (!length(above)) return(note(found, "from the row above, of which there is none"))
  values <- vapply(statement$targets, function(name) value_text(take_rows(block$column_after(name), above)), "")
  found$above <- values
  note(found, paste0("from the row above, where ", paste(names(values), "is", values, collapse = ", "), " (row ", above,
                     ")"))
}

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
  note(found, paste0("switch: ", filled_text(code[[2]], block, row, found),
                     if (!is.symbol(code[[2]])) paste0(" is ", value_text(value))))
  branches <- as.list(code)[-(1:2)]
  names <- names(branches)
  at <- if (is.na(value)) NA else match(as.character(value), names)
  if (is.na(at) && !is.na(value)) at <- utils::tail(which(!nzchar(names)), 1)
  while (length(at) && !is.na(at) && identical(branches[[at]], quote(expr = ))) at <- at + 1
  if (!length(at) || is.na(at)) NA else branch_taken(branches[[at]], block, row, found)
}

# Calls that stand for one value of a whole column or of an order are shown as they come out, with a note; others
# with what goes in.
filled_text <- function(code, block, row, found) {
  texts <- list()
  held <- function(text) {
    name <- paste0(".value", length(texts) + 1, ".")
    texts[[name]] <<- text
    as.name(name)
  }
  fill <- function(code, inner = TRUE) {
    if (is.symbol(code)) return(fill_name(code, block, row, found, held))
    if (!is.call(code)) return(code)
    if (is_call_to(code, c("function", "quote"))) return(code)
    if (is_call_to(code, "$")) return(fill_part_named(code, found, held, fill))
    special <- special_call(code, block, row, found, inner)
    if (!is.null(special)) return(held(special))
    fill_part <- function(part) if (identical(part, quote(expr = ))) part else fill(part)
    as.call(c(code[[1]], lapply(as.list(code)[-1], fill_part)))
  }
  text <- one_line(fill(code, inner = FALSE), 400L)
  for (name in names(texts)) text <- gsub(name, texts[[name]], text, fixed = TRUE)
  text
}

# What stands right of `$` is a name.
fill_part_named <- function(code, found, held, fill) {
  if (!identical(code[[2]], quote(.above))) return(call("$", fill(code[[2]]), code[[3]]))
  value <- found$above[as.character(code[[3]])]
  if (is.null(value) || is.na(value)) code else held(unname(value))
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

# The text of a call's value, if it is one of a whole column or of an order: a note explains it, too.
special_call <- function(code, block, row, found, inner) {
  if (!is.symbol(code[[1]])) return(NULL)
  node <- tryCatch(block$bind(code), error = function(e) NULL)
  word <- if (!is.null(node)) block$word(code)
  if (!is.null(word)) explain_call(word, code, node, block, row, found, inner)
}

# What stands in the formula for a call of a word: NULL where it is shown with what goes in, as it was written.
explain_call <- function(word, code, node, block, row, found, inner) UseMethod("explain_call", word$methods)

explain_call.default <- function(word, code, node, block, row, found, inner) NULL

explain_call.word_aggregate <- function(word, code, node, block, row, found, inner) {
  if (!node$kind %in% c("aggregate", "ordered", "running")) return(NULL)
  values <- tryCatch(block$values(node), error = function(e) NULL)
  if (is.null(values)) return(NULL)
  value <- value_text(take_rows(values, row))
  found$used <- c(found$used, intersect(node_columns(node), block$columns))
  told <- note_of_order(node, values, block, row)
  note(found, paste0(one_line(code), " is ", value, if (nzchar(told)) paste0(", ", told)))
  value
}

explain_call.word_ordered <- explain_call.word_aggregate

explain_call.word_recurrence <- explain_call.word_aggregate

# A word that is short for a formula of a whole column or of an order is shown as that formula.
explain_call.word_derived <- function(word, code, node, block, row, found, inner) {
  is_part <- function(node) node$kind %in% c("aggregate", "ordered")
  parts <- find_nodes(node, is_part, stop_at = function(node) is_part(node) || node$kind == "r_call")
  if (!length(parts)) return(NULL)
  values <- lapply(parts, block$values)
  told <- mapply(note_of_order, parts, values, MoreArgs = list(block = block, row = row))
  labels <- mapply(function(part, values) part_text(part, value_text(take_rows(values, row))), parts, values)
  for (one in unique(told)) {
    note(found, paste0(one_line(code), ": ", paste(unique(labels[told == one]), collapse = ", "), ", ", one))
  }
  found$used <- c(found$used, intersect(node_columns(node), block$columns))
  node_text(node, block, row)[[if (inner) "inside" else "alone"]]
}

part_text <- function(part, value) {
  if (is.null(part$word$explain_value)) paste(part$word$name, value) else paste(value, part$word$explain_value)
}

# A node with its values in this row: as it stands alone, and with brackets where they are needed inside of another.
node_text <- function(node, block, row) {
  is_shown <- function(node) node$kind == "word" && length(node$arguments) == 2 && is_sign(node$word$name)
  fold_node(node, function(node, sides) {
    if (!is_shown(node)) {
      text <- value_text(take_rows(rep_len(block$values(node), block$rows), row))
      return(list(alone = text, inside = text))
    }
    text <- paste(sides[[1]]$inside, node$word$name, sides[[2]]$inside)
    list(alone = text, inside = paste0("(", text, ")"))
  }, stop_at = function(node) !node$kind %in% c("shared", "deep") && !is_shown(node))
}

is_sign <- function(name) !grepl("[[:alnum:]]", name)

# The rows of the group that the row is in, in their order.
rows_around <- function(node, block, row) {
  run <- block$run
  groups <- block_groups(run, node$within)
  order <- order_rows(block_order(run, node$along))
  rows <- if (is.null(order)) seq_len(block$rows) else order + 1L
  if (is.null(groups)) rows else rows[groups$of_row[rows] == groups$of_row[row]]
}

note_of_order <- function(node, values, block, row) {
  rows <- rows_around(node, block, row)
  of <- paste0(counted_rows(length(rows)), group_text(node, block, row))
  if (node$kind == "aggregate") return(paste("over", of))
  if (node$kind == "running") return(paste0("from the row above, ", above_text(rows, row, values), ", among ", of))
  node$word$explain(list(arguments = argument_values_of(node, block), values = values, rows = rows, row = row,
                         at = match(row, rows), window = window_around(node, rows, row, block),
                         of = of, options = node$options))
}

# The rows of a moving word's window, in their order.
window_around <- function(node, rows, row, block) {
  if (!identical(node$word$memory, "moving")) return(NULL)
  about <- list(formula = block$run$formula, call = block$call)
  if (inherits(node$options$rows, "rowanroot_time_window")) {
    reach <- reach_of_time(node$options, list(order = block_order(block$run, node$along)), about)
    at <- reach$scale[[1]][rows]
    ends <- c(reach$scale[[2]][row], reach$scale[[3]][row])
    return(rows[which(if (reach$with_to) at > ends[1] & at <= ends[2] else at >= ends[1] & at < ends[2])])
  }
  reach <- reach_of_rows(node$options, list(rows = block$rows), about)
  at <- match(row, rows)
  rows[max(1, at - reach$before):min(length(rows), at + reach$after)]
}

above_text <- function(rows, row, values) {
  at <- match(row, rows)
  if (at == 1) "of which there is none" else paste0(value_text(take_rows(values, rows[at - 1])), " (row ",
                                                    rows[at - 1], ")")
}

argument_values_of <- function(node, block) {
  id <- column_slot(lower_unguarded(node$argument, block$run), block$run)
  calculate(block$run, id)
  block$run$values[[id]]
}

group_text <- function(node, block, row) {
  names <- if (is.null(node$within)) block$step$within else node$within
  if (!length(names)) return("")
  told <- vapply(names, function(name) {
    paste(shown_side(name), "is", value_text(take_rows(block$value(as.name(name))$values, row)))
  }, "")
  paste0(" where ", paste(told, collapse = " and "))
}

# A look-up of one column is shown as its result. The note names the row of the table.
explain_call.word_look_up <- function(word, code, node, block, row, found, inner) {
  if (node$kind != "r_call") return(NULL)
  keys <- node$arguments[!names(node$arguments) %in% c("table", "take", "by", "unknown", "match")]
  values <- lapply(unname(keys), function(key) take_rows(argument_values_of(list(argument = key), block), row))
  found$used <- c(found$used, intersect(node_columns(node), block$columns))
  one <- length(node$arguments$take$value) < 2
  value <- if (one) value_text(take_rows(block$values(node), row))
  note(found, paste0(one_line(code), if (one) paste(" is", value), ", from ", place_of_key(node, values, block)))
  value
}

place_of_key <- function(node, values, block) {
  table <- node$arguments$table$value
  shown <- node$arguments$table$shown
  called <- if (is.symbol(shown)) as.character(shown) else "the table"
  if (!is.data.frame(table)) return(paste(value_text(values[[1]]), "in", called))
  by <- node$arguments$by$value
  match <- node$arguments$match$value
  at <- rows_of_keys(values, unname(as.list(table)[by]), if (is.null(match)) "only" else match, block$call)
  if (length(match) && !is.na(at)) values <- lapply(unname(as.list(table)[by]), take_rows, rows = at)
  where <- paste0(", where ", paste(by, "is", vapply(values, value_text, ""), collapse = " and "))
  opened <- node$looked_up$table
  if (is.na(at)) return(paste0("no row", where))
  if (is.null(opened)) return(paste0("row ", at, " of ", called, where))
  place <- if (!length(rooted(opened)$steps)) source_place(rooted(opened)$source, at, block$call)
  paste0(if (is.null(place)) paste("row", at, "of", table_title(opened)) else place, where)
}

format.explanation <- function(x, width = cli::console_width(), ...) {
  x <- shown_explanation(x)
  c(paste0(cli::style_bold(x$column), ", row ", format(x$row, big.mark = ","), ", is ",
           cli::style_bold(value_text(x$value))), indented(x, width - 2))
}

shown_explanation <- function(x) {
  x$column <- shown_side(x$column)
  for (part in c("column", "formula", "filled", "notes", "place")) {
    if (!is.null(x[[part]])) x[[part]] <- shown(x[[part]])
  }
  x$from <- lapply(x$from, shown_explanation)
  x
}

indented <- function(x, width) {
  lines <- c(
    if (!is.null(x$formula)) strwrap(x$formula, width, exdent = 4),
    if (!is.null(x$filled)) strwrap(paste("=", x$filled), width, indent = 4, exdent = 6),
    vapply(x$notes, function(text) paste(cli::col_grey(strwrap(text, width, indent = 2, exdent = 4)),
                                         collapse = "\n"), ""),
    if (!is.null(x$place)) cli::col_grey(paste("from", x$place))
  )
  inner <- lapply(x$from, function(one) {
    # The value of a file needs no line of its own.
    head <- paste0(cli::style_bold(one$column), " is ", value_text(one$value))
    if (is.null(one$formula) && !length(one$from)) {
      paste0(head, cli::col_grey(paste0(", ", paste(c(if (!is.null(one$place)) paste("from", one$place), one$notes),
                                                    collapse = ", "))))
    }
    else c(head, indented(one, width - 2))
  })
  paste0("  ", unlist(strsplit(c(lines, unlist(inner)), "\n", fixed = TRUE)), recycle0 = TRUE)
}

#' @export
print.explanation <- function(x, width = cli::console_width(), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}
