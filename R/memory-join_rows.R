#' @export
in_memory.step_join <- function(step, data, call) {
  other <- other_values(step$others[[1]])
  keys <- unname(as.list(data)[step$keys$own])
  of_other <- unname(as.list(other)[step$keys$other])
  for (k in seq_along(keys)) check_key_types(keys[[k]], of_other[[k]], step$keys$other[k], call)
  numbers <- numbers_by_table(keys, of_other)
  found <- match_rows_cpp(numbers$keys, numbers$table, step$unmatched != "drop", step$unmatched == "keep both")
  if (step$several == "error" && found$several) stop_several_matches(found, keys, numbers, call)
  if (is.null(found$theirs)) stop_too_many_rows(found$pairs, call)
  if (step$several == "all") tell_several(found, nrow(data))
  joined_columns(step, data, other, found$own, found$theirs, found$left, call)
}

stop_several_matches <- function(found, keys, numbers, call) {
  stop_because(c(paste0("{counted_rows(found$several)} {cli::qty(found$several)}{?matches/match} several rows of ",
                        "the other table."),
                 "found" = paste0("The first is row {found$first}, {key_text(keys, found$first)}, with rows ",
                                  "{listed_numbers(found$partners)} of the other."),
                 "try" = "For a row for each of them, use {.code several = \"all\"}.",
                 "try" = "To use one of them, {.code one_of_each()} in the other table, or more columns in {.arg by}."),
               "several_matches", call, rows = which(tabulate(numbers$table)[numbers$keys] > 1L))
}

stop_too_many_rows <- function(rows, call) {
  stop_because(c("The joined table would have {counted_rows(rows)}, more than the 2,147,483,647 that a table can have.",
                 "try" = "More columns in {.arg by}, or fewer rows in one of the tables."), "too_many_rows", call)
}

listed_numbers <- function(x) {
  shown <- format(utils::head(x, 3), trim = TRUE, big.mark = ",")
  if (length(x) > 3) return(paste0(paste(shown, collapse = ", "), ", \u2026"))
  before <- if (length(shown) > 1) paste(utils::head(shown, -1), collapse = ", ")
  paste(c(before, utils::tail(shown, 1)), collapse = " and ")
}

tell_several <- function(found, before) {
  several <- found$several
  if (!several) return(invisible())
  note_that(paste0("{counted_rows(found$pairs)} came of {before}: {counted_rows(several)} ",
                   "{if (several == 1) 'matches' else 'match'} several of the other table."), "several_matches")
}

# Rows `own` of the data, from 0, or all of them, beside rows `theirs` of the other, from 1, and below them what is
# `left` of the other.
joined_columns <- function(step, data, other, own, theirs, left, call) {
  moved <- if (is.null(own)) data else rows_at(data, own)
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
  rows <- length(theirs) + length(left)
  names <- if (has_row_names(data)) make.unique(c(row.names(moved), as.character(left))) else .set_row_names(rows)
  as_table_like(data, columns, names)
}
