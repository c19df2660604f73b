# R's functions of texts, value by value: each different text, or combination of values, is seen once, and what R's
# function gives for plain texts the core gives, quicker.

# NULL where the function must have whole columns.
call_by_value <- function(arguments, values, node, block) {
  columns <- columns_of_rows(arguments, values, node, block)
  if (!length(columns) || "collapse" %in% names(node$arguments)) return(NULL)
  types <- vapply(arguments, `[[`, "", "type")
  found <- if (!is_of_r(node$word)) NULL
           else if (length(columns) == 1 && types[columns] == "text") call_by_text(columns, values, node, block)
           else if (isTRUE(node$word$expensive)) call_by_combination(columns, values, node, block)
  if (is.null(found)) call_by_pieces(columns, values, node, block) else found
}

# The places of the arguments that are columns; none where others differ from row to row, too.
columns_of_rows <- function(arguments, values, node, block) {
  is_constant <- vapply(arguments, function(one) one$kind == "constant", NA)
  is_column <- !is_constant & vapply(values, function(x) is.atomic(x) && is_column_like(x, block$rows), NA)
  if (all(are_for_each_row(node, is_constant | is_column))) which(is_column)
}

call_by_text <- function(at, values, node, block) {
  different <- different_texts_cpp(values[[at]])
  if (!is.null(different)) {
    if (!looks_at_one_row(node)) different <- with_first_ahead(different)
    values[[at]] <- if (anyNA(different$of_row)) c(different$texts, NA) else different$texts
  }
  result <- call_kernel(values, node)
  if (is.null(result) && is.null(different)) result <- rows_of_call(at, values, node, block)
  if (is.null(result)) {
    # For bytes that are not text R gives no row number, or one among the distinct values.
    result <- withCallingHandlers(call_r_once(values, node, block), rowanroot_formula_failed = function(e) {
      texts <- list(values = values[[at]], of_row = different$of_row)
      tryCatch(texts_in_utf8(texts, block$call), rowanroot_bad_text = function(e) stop_in_formula(e, block$formula,
          block$call))
    })
  }
  if (is_column_like(result, length(values[[at]]))) {
    new_slot(block, at_rows(result, with_missing_rows(different, result)))
  }
}

# R's functions that look at other values look at the first.
with_first_ahead <- function(different) {
  first <- different$of_row[match(FALSE, is.na(different$of_row))]
  if (is.na(first) || first == 1) return(different)
  list(texts = c(different$texts[first], different$texts), of_row = different$of_row + 1L)
}

# Arguments that the kernel can't take are for R's function to refuse.
call_kernel <- function(values, node) {
  kernel <- node$word$kernel
  if (!is.null(kernel)) tryCatch(do.call(kernel, stats::setNames(values, names(node$arguments))),
                                 error = function(e) NULL)
}

# What R needs for a value: a string of its own with its place, or a number, what it is made of and what is made of it.
bytes_of_value <- function(column) if (is.character(column)) 100 else 24

# Where the values of all rows would take much of the memory, they are made piece by piece. NULL where that is not so,
# and where the function fails or warns: then it is to do so with the rows of the whole column.
call_by_pieces <- function(columns, values, node, block) {
  if (identical(beyond_memory(node), "core")) return(NULL)
  result <- rows_of_call(columns, values, node, block)
  if (!is.null(result)) typed_value(result, block)
}

rows_of_call <- function(columns, values, node, block, rows = 2^17) {
  needed <- block$rows * sum(vapply(values[columns], bytes_of_value, 0))
  if (block$rows < 2 * rows || needed < memory_budget() / 4 || !looks_at_one_row(node)) return(NULL)
  parts <- tryCatch(lapply(seq(0, block$rows - 1, by = rows), function(start) {
    there <- start + seq_len(min(rows, block$rows - start))
    piece <- replace(values, columns, lapply(values[columns], values_in_rows, there))
    result <- call_kernel(piece, node)
    if (is.null(result)) result <- call_r_once(piece, node, block)
    if (is.data.frame(result)) {
      result[] <- lapply(result, in_counted_memory)
      return(result)
    }
    if (!is_column_like(result, length(there))) stop("another number of values")
    in_counted_memory(result)
  }), error = function(e) NULL, warning = function(w) NULL)
  if (!is.null(parts)) joined_pieces(parts)
}

# NULL where they are not of one type.
joined_pieces <- function(parts) {
  first <- parts[[1]]
  if (!is.data.frame(first)) return(if (are_joined_as_plain(parts)) joined_as_plain(parts))
  columns <- lapply(stats::setNames(nm = names(first)), function(name) joined_pieces(lapply(parts, `[[`, name)))
  if (any(vapply(columns, is.null, NA))) return(NULL)
  structure(columns, row.names = .set_row_names(length(columns[[1]])), class = "data.frame")
}

# What the function gives for a missing text stands behind what it gives for the others: rows without a text have
# that, unless it is missing too.
with_missing_rows <- function(different, result) {
  last <- length(result)
  if (last > length(different$texts) && !is.null(different) && !is.na(result[last])) {
    different$of_row[is.na(different$of_row)] <- last
  }
  different
}

call_by_combination <- function(columns, values, node, block) {
  few <- few_combinations(values[columns], block$rows, block$call)
  if (is.null(few)) return(NULL)
  values[columns] <- lapply(values[columns], `[`, few$first)
  result <- call_r_once(values, node, block)
  if (is_column_like(result, length(few$first))) typed_value(at_rows(result, few), block)
}
