# Rows that come in several chunks, one after the other, since all together are too many for the memory. What is
# calculated row by row needs nothing else; running words go on from what the chunks before came to. A step that runs
# in chunks has `chunks`, an environment: how many rows came `before`, the numbers of `groups` seen so far, and the
# state that each running word has `carried` on.

new_chunks <- function() list2env(list(before = 0L, groups = list(), carried = list()))

rows_before <- function(block) if (is.null(block$chunks)) 0L else block$chunks$before

# The same groups with numbers that they have in all chunks.
groups_of_all_chunks <- function(groups, columns, key, chunks) {
  first <- group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)
  if (is.null(chunks$groups[[key]])) chunks$groups[[key]] <- new_groups_so_far_cpp()
  found <- groups_so_far_cpp(chunks$groups[[key]], lapply(unname(columns), function(column) {
    stored_values(take_rows(column, first))
  }))
  list(of_row = found$number[groups$of_row + 1L], sizes = rep(NA_integer_, found$groups))
}

# What a word needs of the rows before: its state, or for words that look at a few rows back, those of each group.
with_earlier_chunks <- function(layout, node, key, block) {
  chunks <- block$chunks
  if (is.null(chunks$carried[[key]])) {
    goes_on <- identical(node$word$chunks, "on")
    chunks$carried[[key]] <- if (goes_on) new_running_state_cpp() else new.env(parent = emptyenv())
  }
  layout$carried <- chunks$carried[[key]]
  layout
}

# The last `count` rows in the chunks before of each group that this one has rows of, put before the values of this one;
# `calculate` gets these, and the groups of all of them. A word that goes on from its own results keeps those.
after_earlier_rows <- function(x, layout, count, calculate, of_results = FALSE) {
  carried <- layout$carried
  if (is.null(carried)) return(calculate(x, layout))
  of_row <- if (is.null(layout$of_row)) rep(0L, layout$rows) else layout$of_row
  layout$groups <- max(layout$groups, carried$of_row + 1L, of_row + 1L, 1L)
  is_here <- logical(layout$groups)
  is_here[of_row + 1L] <- TRUE
  taken <- is_here[carried$of_row + 1L]
  earlier <- sum(taken)
  x <- if (earlier) c(carried$x[taken], x) else x
  layout$of_row <- c(carried$of_row[taken], of_row)
  layout$rows <- length(layout$of_row)
  values <- calculate(x, layout)
  from_the_end <- number_in_group_cpp(layout$rows, rev(seq_len(layout$rows)) - 1L, layout$of_row, layout$groups)
  kept <- which(from_the_end <= count)
  others <- carried$x[!taken]
  mine <- if (of_results) values[kept] else x[kept]
  carried$x <- if (length(others)) c(others, mine) else mine
  carried$of_row <- c(carried$of_row[!taken], layout$of_row[kept])
  values[earlier + seq_len(length(values) - earlier)]
}

# What a recurrence begins with in each group, in this chunk: its last result there, or `begin` for those that are new.
starts_in_chunk <- function(chunks, node, begin, groups) {
  starts <- chunks$carried[[recurrence_key(node)]]
  count <- max(length(groups$sizes), 1L)
  lapply(seq_along(begin), function(k) {
    first <- if (is.null(begin[[k]]$of_groups)) rep(begin[[k]]$value, count) else begin[[k]]$of_groups
    seen <- starts[[k]]
    c(seen, first[seq_len(count) > length(seen)])
  })
}

keep_last_results <- function(chunks, node, values, starts, groups) {
  chunks$carried[[recurrence_key(node)]] <- Map(function(values, starts) {
    if (is.null(groups)) starts <- if (length(values)) values[length(values)] else starts
    else starts[groups$of_row + 1L] <- values
    starts
  }, values, starts)
}

recurrence_key <- function(node) paste("running", rlang::hash(canonical(node)))
