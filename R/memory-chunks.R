# Rows that come in several lots, one after the other, since all together are too many for the memory. What is
# calculated row by row needs nothing else; running words go on from what the lots before came to. A step that runs
# in lots has `lots`, an environment: how many rows came `before`, the names of `groups` seen so far, and the
# `memory` of each running word.

new_lots <- function() list2env(list(before = 0L, groups = list(), memory = list()))

rows_before <- function(run) if (is.null(run$lots)) 0L else run$lots$before

# The same groups with numbers that they have in all lots.
groups_of_all_lots <- function(groups, columns, key, lots) {
  first <- first_rows_cpp(groups$of_row, length(groups$sizes))
  names <- do.call(paste, c(lapply(unname(columns), function(column) exact_names(stored_values(take_rows(column,
      first)))), sep = "\r"))
  known <- union(lots$groups[[key]], names)
  lots$groups[[key]] <- known
  list(of_row = match(names, known)[groups$of_row + 1L] - 1L, sizes = rep(NA_integer_, length(known)))
}

exact_names <- function(values) {
  if (inherits(values, "integer64")) return(bit64::as.character.integer64(values))
  if (is.character(values)) return(ifelse(is.na(values), "missing", paste0("=", enc2utf8(values))))
  if (is.double(values)) sprintf("%a", values) else as.character(values)
}

# What a word needs of the rows before: its memory, or for words that look at a few rows back, those of each group.
with_earlier_lots <- function(place, node, key, run) {
  lots <- run$lots
  if (is.null(lots$memory[[key]])) lots$memory[[key]] <- if (node$word$chunks ==
                                                             "on") new_running_memory_cpp()
                                                               else new.env(parent = emptyenv())
  place$memory <- lots$memory[[key]]
  place
}

# The last `count` rows of each group in the lots before, put before the values of this one; `calculate` gets these,
# and the groups of all of them.
after_earlier_rows <- function(x, place, count, calculate) {
  memory <- place$memory
  if (is.null(memory)) return(calculate(x, place))
  of_row <- if (is.null(place$of_row)) rep(0L, place$rows) else place$of_row
  earlier <- length(memory$of_row)
  x <- if (earlier) c(memory$x, x) else x
  place$of_row <- c(memory$of_row, of_row)
  place$rows <- length(place$of_row)
  place$groups <- max(place$groups, place$of_row + 1L, 1L)
  values <- calculate(x, place)
  from_the_end <- number_in_group_cpp(place$rows, rev(seq_len(place$rows)) - 1L, place$of_row, place$groups)
  kept <- which(from_the_end <= count)
  memory$x <- x[kept]
  memory$of_row <- place$of_row[kept]
  values[earlier + seq_len(length(values) - earlier)]
}

# What a recurrence begins with in each group: its last result there.
starts_of_groups <- function(lots, node, start, groups) {
  starts <- lots$memory[[recurrence_key(node)]]
  c(starts, rep(start, max(length(groups$sizes), 1L) - length(starts)))
}

keep_last_results <- function(lots, node, values, starts, groups) {
  if (is.null(groups)) starts <- if (length(values)) values[length(values)] else starts
  else starts[groups$of_row + 1L] <- values
  lots$memory[[recurrence_key(node)]] <- starts
}

recurrence_key <- function(node) paste("running", rlang::hash(canonical(node)))
