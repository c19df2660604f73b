# Groups of rows under `within`, found once for a block and shared by all that needs them.

# The groups by these columns, as they are now; of the block if no names are given; NULL if there are none.
block_groups <- function(block, within = NULL) {
  ids <- if (is.null(within)) block$within else unlist(block$columns[within])
  if (!length(ids)) return(NULL)
  key <- paste(ids, collapse = " ")
  if (is.null(block$groups[[key]])) {
    calculate(block, ids)
    groups <- group_rows_cpp(lapply(block$values[ids], group_values, call = block$call), block$rows,
                             getOption("rowanroot.threads", 0L))
    if (!is.null(block$chunks)) groups <- groups_of_all_chunks(groups, block$values[ids], key, block$chunks)
    block$groups[[key]] <- c(groups, list(key = key))
  }
  block$groups[[key]]
}

# The same for what asks neither which group comes first nor whether each has rows: the group `of_row`, from 0, a `key`,
# and in place of the `sizes` of groups a `count`, where some may have no rows.
block_numbered_groups <- function(block, within = NULL) {
  ids <- if (is.null(within)) block$within else unlist(block$columns[within])
  key <- paste(ids, collapse = " ")
  if (length(ids) == 1 && is.null(block$groups[[key]]) && is.null(block$chunks)) {
    numbered <- paste("numbered", key)
    if (is.null(block$groups[[numbered]])) {
      calculate(block, ids)
      found <- group_by_value_cpp(group_values(block$values[[ids]], block$call), block$rows,
                                  getOption("rowanroot.threads", 0L))
      if (!is.null(found)) block$groups[[numbered]] <- c(found, list(key = numbered))
    }
    if (!is.null(block$groups[[numbered]])) return(block$groups[[numbered]])
  }
  block_groups(block, within)
}

group_count <- function(groups) if (is.null(groups$count)) length(groups$sizes) else groups$count

# The rows of each group, in the block's order; without groups, of all rows.
group_members <- function(block, groups) {
  order <- block_order(block)
  rows <- if (is.null(order)) seq_len(block$rows) else order_rows(order) + 1L
  if (is.null(groups)) return(list(rows))
  key <- paste("members", order$key)
  if (is.null(groups[[key]])) {
    groups[[key]] <- unname(split(rows, factor(groups$of_row[rows], levels = seq_along(groups$sizes) - 1L)))
    block$groups[[groups$key]] <- groups
  }
  groups[[key]]
}
