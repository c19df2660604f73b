# Groups of rows under `within`, found once for a run and shared by all that needs them.

# The groups by these columns, as they are now; of the block if no names are given; NULL if there are none.
run_groups <- function(run, within = NULL) {
  ids <- if (is.null(within)) run$within else unlist(run$columns[within])
  if (!length(ids)) return(NULL)
  key <- paste(ids, collapse = " ")
  if (is.null(run$groups[[key]])) {
    calculate(run, ids)
    groups <- group_rows_cpp(lapply(run$values[ids], group_values, run = run), run$rows,
                             getOption("rowanroot.threads", 0L))
    if (!is.null(run$lots)) groups <- groups_of_all_lots(groups, run$values[ids], key, run$lots)
    run$groups[[key]] <- c(groups, list(key = key))
  }
  run$groups[[key]]
}

# The same for what asks neither which group comes first nor whether each has rows: the group `of_row`, from 0,
# `count` of them at most, and a `key`.
run_numbered_groups <- function(run, within = NULL) {
  ids <- if (is.null(within)) run$within else unlist(run$columns[within])
  key <- paste(ids, collapse = " ")
  if (length(ids) == 1 && is.null(run$groups[[key]]) && is.null(run$lots)) {
    numbered <- paste("numbered", key)
    if (is.null(run$groups[[numbered]])) {
      calculate(run, ids)
      found <- group_by_value_cpp(group_values(run$values[[ids]], run), run$rows, getOption("rowanroot.threads", 0L))
      if (!is.null(found)) run$groups[[numbered]] <- c(found, list(key = key))
    }
    if (!is.null(run$groups[[numbered]])) return(run$groups[[numbered]])
  }
  groups <- run_groups(run, within)
  if (!is.null(groups)) list(of_row = groups$of_row, count = length(groups$sizes), key = groups$key)
}

# The rows of each group, in the block's order; without groups, of all rows.
group_members <- function(run, groups) {
  order <- run_order(run)
  rows <- if (is.null(order)) seq_len(run$rows) else order_rows(order) + 1L
  if (is.null(groups)) return(list(rows))
  key <- paste("members", order$key)
  if (is.null(groups[[key]])) {
    groups[[key]] <- unname(split(rows, factor(groups$of_row[rows], levels = seq_along(groups$sizes) - 1L)))
    run$groups[[groups$key]] <- groups
  }
  groups[[key]]
}
