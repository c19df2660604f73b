# R's functions of texts, value by value: each different text, or combination of values, is seen once, and what R's
# function gives for plain texts the core gives, quicker.

# NULL where R's function must have whole columns.
call_by_value <- function(arguments, values, node, block) {
  kinds <- vapply(arguments, `[[`, "", "kind")
  types <- vapply(arguments, `[[`, "", "type")
  columns <- which(kinds != "constant")
  are_columns <- vapply(values[columns], function(x) is.atomic(x) && is_column_like(x, block$rows), NA)
  if (!length(columns) || !all(are_columns) || "collapse" %in% names(node$arguments)) return(NULL)
  if (length(columns) == 1 && types[columns] == "text") return(call_by_text(columns, values, node, block))
  if (isTRUE(node$word$expensive)) call_by_combination(columns, values, node, block)
}

call_by_text <- function(at, values, node, block) {
  different <- different_texts_cpp(values[[at]])
  if (is.null(different)) {
    result <- call_by_pieces(at, values, node, block)
    if (!is.null(result)) return(new_slot(block, result))
    if (is.null(node$word$kernel)) return(NULL)
  }
  if (!is.null(different)) values[[at]] <- if (anyNA(different$of_row)) c(different$texts, NA) else different$texts
  result <- call_kernel(values, node)
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

# Arguments that the kernel can't take are for R's function to refuse.
call_kernel <- function(values, node) {
  kernel <- node$word$kernel
  if (!is.null(kernel)) tryCatch(do.call(kernel, stats::setNames(values, names(node$arguments))),
                                 error = function(e) NULL)
}

# A string of R's with what R needs for it.
bytes_of_string <- 100

# Of many different texts the strings are made piece by piece, as those of all would take much of the memory. NULL where
# that is not so, and where R's function fails or warns: then it is to do so with the rows of the whole column.
call_by_pieces <- function(at, values, node, block, rows = 2^17) {
  if (block$rows < 2 * rows || length(values[[at]]) * bytes_of_string < memory_budget() / 4) return(NULL)
  starts <- seq(0, block$rows - 1, by = rows)
  parts <- tryCatch(lapply(starts, function(start) {
    piece <- replace(values, at, list(values_in_rows(values[[at]], start + seq_len(min(rows, block$rows - start)))))
    result <- call_kernel(piece, node)
    if (is.null(result)) result <- call_r_once(piece, node, block)
    if (!is_column_like(result, length(piece[[at]]))) stop("another number of values")
    in_counted_memory(result)
  }), error = function(e) NULL, warning = function(w) NULL)
  if (!is.null(parts) && are_joined_as_plain(parts)) joined_as_plain(parts)
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
