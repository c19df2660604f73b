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

# Making the text may make notes, which come first.
note <- function(found, text) {
  force(text)
  found$notes <- c(found$notes, text)
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
  fill <- function(code, inner = TRUE) {
    if (is.symbol(code)) return(fill_name(code, block, row, found, held))
    if (!is.call(code)) return(code)
    if (is_call_to(code, c("function", "quote"))) return(code)
    special <- special_call(code, block, row, found, inner)
    if (!is.null(special)) return(held(special))
    as.call(c(code[[1]], lapply(as.list(code)[-1], function(part) if (identical(part, quote(expr = ))) part else fill(part))))
  }
  text <- one_line(fill(code, inner = FALSE), 400L)
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

# The text of a call's value, if it is one of a whole column or of an order: a note tells of it, too.
special_call <- function(code, block, row, found, inner) {
  if (!is.symbol(code[[1]])) return(NULL)
  node <- tryCatch(block$bind(code), error = function(e) NULL)
  if (is.null(node)) return(NULL)
  if (identical(node$name, "look_up") && node$kind == "r_call") return(looked_up(code, node, block, row, found))
  if (as.character(code[[1]]) %in% names(derived_words)) return(written_out(code, node, block, row, found, inner))
  if (!node$kind %in% c("aggregate", "ordered", "running")) return(NULL)
  values <- tryCatch(block$values(node), error = function(e) NULL)
  if (is.null(values)) return(NULL)
  value <- value_text(take_rows(values, row))
  found$used <- c(found$used, intersect(node_columns(node), block$columns))
  told <- note_of_order(node, values, block, row)
  note(found, paste0(one_line(code), " is ", value, if (nzchar(told)) paste0(", ", told)))
  value
}

# A word that is short for a formula of a whole column or of an order is shown as that formula.
written_out <- function(code, node, block, row, found, inner) {
  parts <- ordered_parts(node)
  if (!length(parts)) return(NULL)
  values <- lapply(parts, block$values)
  told <- mapply(note_of_order, parts, values, MoreArgs = list(block = block, row = row))
  labels <- mapply(function(part, values) part_text(part, value_text(take_rows(values, row))), parts, values)
  for (one in unique(told)) note(found, paste0(one_line(code), ": ", paste(unique(labels[told == one]), collapse = ", "), ", ", one))
  found$used <- c(found$used, intersect(node_columns(node), block$columns))
  node_text(node, block, row, inner)
}

part_text <- function(part, value) switch(part$entry$name, previous = paste(value, "before"), following = paste(value, "behind"), paste(part$entry$name, value))

# A node with its values in this row, with brackets where they are needed if it is part of another.
node_text <- function(node, block, row, inner = FALSE) {
  if (node$kind == "shared") return(node_text(node$memory$node, block, row, inner))
  if (node$kind == "deep") return(value_text(take_rows(rep_len(block$values(node), block$rows), row)))
  if (node$kind != "word" || length(node$arguments) != 2 || !grepl("^[-+*/=<>!]+$", node$word$name)) return(value_text(take_rows(rep_len(block$values(node), block$rows), row)))
  sides <- vapply(unname(node$arguments), node_text, "", block = block, row = row, inner = TRUE)
  text <- paste(sides[1], node$word$name, sides[2])
  if (inner) paste0("(", text, ")") else text
}

ordered_parts <- function(node) {
  switch(node$kind, aggregate = , ordered = list(node), shared = once(node, "ordered", ordered_parts(node$memory$node)), deep = through_deep(node, ordered_parts),
         word = unlist(lapply(unname(node$arguments), ordered_parts), recursive = FALSE),
         choose = unlist(lapply(node[c("condition", "yes", "no")], ordered_parts), recursive = FALSE), list())
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
  if (name %in% c("previous", "following")) return(note_of_neighbour(rows, at, if (name == "previous") -node$options$by else node$options$by, of))
  window <- if (startsWith(name, "moving")) utils::tail(rows[seq_len(at)], node$options$rows)
  went_in <- utils::tail(if (is.null(window)) rows[seq_len(at)] else window, 4)
  paste0("the last that went in: ", paste(vapply(went_in, function(one) value_text(take_rows(arguments, one)), ""), collapse = ", "), if (length(went_in) > 1) " (rows " else " (row ",
         paste(went_in, collapse = ", "), "), of ", if (is.null(window)) paste(counted_rows(at), "so far") else paste(counted_rows(length(window)), "of its window"), " among ", of)
}

note_of_neighbour <- function(rows, at, by, of) {
  from <- at + by
  paste0(if (from < 1 || from > length(rows)) "as there is no such row" else paste("from row", rows[from]), ", among ", of)
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

# A look-up of one column is shown as what it gave. The note tells where the table has it.
looked_up <- function(code, node, block, row, found) {
  keys <- node$arguments[!names(node$arguments) %in% c("table", "take", "by", "unknown")]
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
  codes <- key_codes(values, unname(as.list(table)[by]), block$call)
  at <- key_rows(codes$keys, codes$table)
  where <- paste0(", where ", paste(by, "is", vapply(values, value_text, ""), collapse = " and "))
  opened <- node$looked_up$table
  if (is.na(at)) return(paste0("no row", where))
  if (is.null(opened)) return(paste0("row ", at, " of ", called, where))
  place <- if (!length(live(opened)$steps)) source_place(live(opened)$source, at, block$call)
  paste0(if (is.null(place)) paste("row", at, "of", table_title(opened)) else place, where)
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
  x <- shown_explanation(x)
  c(paste0(cli::style_bold(x$column), ", row ", format(x$row, big.mark = ","), ", is ", cli::style_bold(value_text(x$value))), indented(x, width - 2))
}

shown_explanation <- function(x) {
  for (part in c("column", "formula", "filled", "notes", "place")) if (!is.null(x[[part]])) x[[part]] <- shown(x[[part]])
  x$from <- lapply(x$from, shown_explanation)
  x
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
  print_lines(format(x, width = width))
  invisible(x)
}
