# Columns that were read or calculated are kept in `.rowanroot/kept`, each in a file under its key, so that the next
# run has them without reading or calculating. The files may be thrown away at any time; a damaged one is as good as
# none, and what can't be kept is not.

kept_folder <- function() file.path(journal_folder(), "kept")

kept_path <- function(key) file.path(kept_folder(), paste0(key, ".column"))

# Only where there is a journal: looking at a table leaves nothing behind.
keeps_columns <- function() dir.exists(journal_folder()) && getOption("rowanroot.keep", TRUE)

# Whether these rows of the column, the first being 0, were kept.
keep_column <- function(key, column, note) keep_parts(key, column, list(note), 0, length(column), 0L)

# So many rows of a column, from the first on, for each key.
keep_parts <- function(keys, column, notes, first, rows, kinds) {
  if (is.factor(column)) column <- as.vector(unclass(column))
  if (is.character(column) && !are_deferred_cpp(column) && is.null(coded_parts_cpp(column))) {
    column <- enc2utf8(column)
  }
  dir.create(kept_folder(), showWarnings = FALSE, recursive = TRUE)
  notes <- lapply(notes, serialize, NULL)
  state$kept_more <- TRUE
  !nzchar(kept_write_cpp(path.expand(kept_path(keys)), column, first, rows, kinds, notes,
                         getOption("rowanroot.threads", 0L)))
}

# A data frame with a row for each key: `type`, missing where nothing is kept; `kinds`, `rows` and `note`.
kept_columns <- function(keys) {
  heads <- kept_heads_cpp(path.expand(kept_path(keys)))
  heads$note <- lapply(heads$note, function(note) if (!is.null(note)) unserialize(note))
  structure(heads, row.names = seq_along(keys), class = "data.frame")
}

# One column from the rows of all files, or NULL.
read_kept <- function(keys, type) {
  column <- kept_read_cpp(path.expand(kept_path(keys)), type, getOption("rowanroot.threads", 0L))
  if (!is.null(column)) state$kept_used <- c(state$kept_used, keys)
  column
}

# The same of some rows, from 1, in any order.
kept_in_rows <- function(keys, type, rows) {
  rising <- if (is.unsorted(rows)) order(rows)
  places <- (if (is.null(rising)) rows else rows[rising]) - 1L
  column <- kept_rows_cpp(path.expand(kept_path(keys)), type, places, getOption("rowanroot.threads", 0L))
  if (is.null(column)) return(NULL)
  state$kept_used <- c(state$kept_used, keys)
  if (!is.null(rising)) column[rising] <- column
  column
}

# What all kept files may take: those that were not used for the longest time go first.
most_kept <- function() getOption("rowanroot.kept_bytes", 10e9)

# At the end of a run.
put_store_in_order <- function() {
  know_written()
  if (dir.exists(journal_folder())) keep_hashes()
  limit_kept()
}

# Where nothing was kept and nothing kept was used, it is in order.
limit_kept <- function() {
  if (!isTRUE(state$kept_more) && !length(state$kept_used) || !dir.exists(kept_folder())) return(invisible())
  used <- kept_path(unique(state$kept_used))
  state$kept_used <- state$kept_more <- NULL
  used <- used[file.exists(used)]
  if (length(used)) Sys.setFileTime(used, Sys.time())
  files <- list.files(kept_folder(), full.names = TRUE)
  about <- file.info(files, extra_cols = FALSE)
  newest_first <- order(about$mtime, decreasing = TRUE)
  remove_files(files[newest_first][cumsum(about$size[newest_first]) > most_kept()])
}

# NULL unless all are whole.
kept_values <- function(keys, rows) {
  heads <- kept_columns(keys)
  if (anyNA(heads$type) || any(heads$rows != rows)) return(NULL)
  values <- Map(function(key, type, note) {
    column <- read_kept(key, if (type == "coded_text") "text" else type)
    if (!is.null(column) && length(note)) attributes(column) <- note
    column
  }, keys, heads$type, heads$note)
  if (!any(vapply(values, is.null, NA))) values
}

is_keepable <- function(column) {
  if (is.character(column)) return(is.null(attributes(column)) && !any(Encoding(different_or_all(column)) == "bytes"))
  typeof(column) %in% c("logical", "integer", "double") && is.null(dim(column))
}

different_or_all <- function(texts) {
  coded <- coded_parts_cpp(texts)
  if (!is.null(coded)) coded$texts else if (are_deferred_cpp(texts)) character() else texts
}

# For steps: the columns of these keys, and a way to keep others. NULL where there is no journal.
column_cache <- function() {
  if (!keeps_columns()) return(NULL)
  list(
    read = function(keys, rows) if (all(file.exists(kept_path(keys)))) kept_values(keys, rows),
    keep = function(keys, columns) {
      if (all(vapply(columns, is_keepable, NA))) Map(keep_column, keys, columns, lapply(columns, attributes))
    }
  )
}
