# An output that is made again for the same rows has most of its text already: the columns that did not change are
# copied from it.

# Smaller files are written as quickly as they are looked at.
least_copied <- function() getOption("rowanroot.copy_from", 4e6)

# What is needed to copy from the output as it is, or NULL if it has nothing to copy: its `path`, the names of its
# `fields` and the `places` of chunks of rows in it; the `columns` of the new one and which of them are the `same`.
older_output <- function(path, now, found, columns) {
  record <- with_details(found$record)
  if (is.null(record) || path_ending(path) != "csv" || !keeps_columns() || file.size(path) < least_copied()) {
    return(NULL)
  }
  # What warned is calculated again, and warns again.
  if (isTRUE(record$warned) || !identical(record$rows_key, now$rows_key) || !identical(record$guarded, now$guarded)) {
    return(NULL)
  }
  keys_of <- function(record) stats::setNames(unlist(record$keys), unlist(record$key_names))[columns]
  same <- columns[(keys_of(record) == keys_of(now)) %in% TRUE]
  if (!length(same)) return(NULL)
  places <- read_kept(places_key(record$written), "number")
  if (!is.null(places)) {
    list(path = path, fields = unlist(record$columns), places = places, columns = columns, same = same)
  }
}

places_key <- function(written) key_from("places", written)

keep_places <- function(places, written) {
  if (keeps_columns() && length(places) > 1 && utils::tail(places, 1) >= least_copied()) {
    keep_column(places_key(written), places, NULL)
  }
}
