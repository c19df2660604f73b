#' @export
in_memory.step_join <- function(step, data, call) {
  other <- other_values(step$others[[1]])
  keys <- unname(as.list(data)[step$keys$own])
  of_other <- unname(as.list(other)[step$keys$other])
  for (k in seq_along(keys)) check_key_types(keys[[k]], of_other[[k]], step$keys$other[k], call)
  found <- matching_rows(keys, of_other)
  if (step$several == "error") check_matches_once(found, keys, call)
  times <- found$count
  if (step$unmatched != "drop") times[times == 0L] <- 1L
  own <- rep.int(seq_along(times), times)
  theirs <- rep(NA_integer_, length(own))
  matched <- rep.int(found$count > 0L, times)
  theirs[matched] <- found$rows
  if (step$several == "all") tell_several(found$count, length(own))
  left <- if (step$unmatched == "keep both") setdiff(seq_len(nrow(other)), found$rows)
  joined_columns(step, data, other, own, theirs, left, call)
}

# For each key how many rows of the table have it, and these rows, one key's after the other's.
matching_rows <- function(keys, of_table) {
  numbers <- key_numbers(keys, of_table, NULL)
  sizes <- tabulate(numbers$table + 1L, max(0L, numbers$table, numbers$keys, na.rm = TRUE) + 1L)
  count <- sizes[numbers$keys + 1L]
  count[is.na(count)] <- 0L
  order <- order(numbers$table, na.last = NA, method = "radix")
  first <- cumsum(c(1L, sizes))[numbers$keys + 1L]
  list(count = count, rows = order[sequence(count[count > 0L], first[count > 0L])])
}

check_matches_once <- function(found, keys, call) {
  several <- which(found$count > 1L)
  if (!length(several)) return(invisible())
  row <- several[1]
  before <- sum(found$count[seq_len(row - 1)])
  matches <- found$rows[before + seq_len(found$count[row])]
  stop_because(c(paste0("{counted_rows(length(several))} {cli::qty(length(several))}{?matches/match} several rows of ",
                        "the other table."),
                 "found" = paste0("The first is row {row}, {key_text(keys, row)}, with rows ",
                                  "{listed_numbers(matches)} of the other."),
                 "try" = "For a row for each of them, use {.code several = \"all\"}.",
                 "try" = "To use one of them, {.code one_of_each()} in the other table, or more columns in {.arg by}."),
               "several_matches", call, rows = several)
}

listed_numbers <- function(x) {
  shown <- format(utils::head(x, 3), trim = TRUE, big.mark = ",")
  if (length(x) > 3) return(paste0(paste(shown, collapse = ", "), ", \u2026"))
  before <- if (length(shown) > 1) paste(utils::head(shown, -1), collapse = ", ")
  paste(c(before, utils::tail(shown, 1)), collapse = " and ")
}

tell_several <- function(count, rows) {
  several <- sum(count > 1L)
  if (!several) return(invisible())
  note_that(paste0("{counted_rows(rows)} came of {length(count)}: {counted_rows(several)} ",
                   "{if (several == 1) 'matches' else 'match'} several of the other table."), "several_matches")
}

# Rows `own` of the data beside rows `theirs` of the other, and below them what is `left` of the other.
joined_columns <- function(step, data, other, own, theirs, left, call) {
  moved <- if (identical(own, seq_len(nrow(data)))) data else rows_at(data, own - 1L)
  columns <- c(unclass(as.list(moved))[step$columns_before],
               lapply(as.list(other)[step$taken], column_in_rows, rows = theirs))
  names(columns) <- c(step$columns_before, step$taken)
  if (!length(left)) return(as_table_like(moved, columns, NULL))
  for (name in names(columns)) {
    of_key <- step$keys$other[match(name, step$keys$own)]
    below <- if (!is.na(of_key)) other[[of_key]] else if (name %in% step$taken) other[[name]]
    below <- if (is.null(below)) rep(NA, length(left)) else take_rows(below, left)
    columns[[name]] <- put_below(list(columns[[name]], below), name, call)
  }
  rows <- length(own) + length(left)
  names <- if (has_row_names(data)) make.unique(c(row.names(moved), as.character(left))) else .set_row_names(rows)
  as_table_like(data, columns, names)
}
