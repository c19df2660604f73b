# An output that is made again has most of its text already: the columns that did not change are copied from it, or the
# rows of parts that did not.

# Smaller files are written as quickly as they are looked at.
least_copied <- function() getOption("rowanroot.copy_from", 4e6)

# What is needed to copy from the output as it is, or NULL if nothing can be: its `path`, its `record`, the names of its
# `fields`, the `places` of chunks of rows in it, and the `rows` of its parts, with more on these in `files`.
older_output <- function(path, now, found) {
  record <- with_details(found$record)
  if (is.null(record) || path_ending(path) != "csv" || !keeps_columns() || file.size(path) < least_copied()) {
    return(NULL)
  }
  # What warned is calculated again, and warns again.
  if (isTRUE(record$warned) || !identical(record$guarded, now$guarded)) return(NULL)
  places <- read_kept(places_key(record$written), "number")
  if (is.null(places)) return(NULL)
  files <- files_of_record(record)
  list(path = path, record = record, fields = unlist(record$columns), places = places, files = files,
       rows = if (nrow(files)) files$rows else record$rows)
}

# The same for these `columns`, with those that are the `same`, of which there must be some.
with_same_columns <- function(older, now, columns) {
  if (is.null(older) || !identical(older$record$rows_key, now$rows_key)) return(NULL)
  keys_of <- function(record) stats::setNames(unlist(record$keys), unlist(record$key_names))[columns]
  same <- columns[(keys_of(older$record) == keys_of(now)) %in% TRUE]
  if (length(same)) c(older, list(columns = columns, same = same))
}

places_key <- function(written) key_from("places", written)

keep_places <- function(places, written) {
  if (keeps_columns() && length(places) > 1 && utils::tail(places, 1) >= least_copied()) {
    keep_column(places_key(written), places, NULL)
  }
}
