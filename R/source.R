# A source is where a rooted table begins: it is in one or several parts, and each kind of source has a
# class with methods for these. Paths are seen from the folder that was the working directory when the
# table was opened.

# A data frame with a row for each part: its `name`, and the `hash` of its content.
source_parts <- function(source, call) UseMethod("source_parts")

# The names of the columns.
source_columns <- function(source, call) UseMethod("source_columns")

# All rows of these columns, at least, as a data frame.
source_read <- function(source, columns, call) UseMethod("source_read")

# Reads the rows in chunks of about so many bytes: calls begin(chunks), with their number, and work(data) for each; and
# all that again if the types turn out to be others.
each_chunk <- function(source, columns, bytes, begin, work, call) UseMethod("each_chunk")

# The types that these columns have in all parts together, if they are known without reading most of these; else NULL.
types_in_parts <- function(source, columns, call) UseMethod("types_in_parts")

#' @export
types_in_parts.default <- function(source, columns, call) NULL

# Columns that are better read in some rows alone, if these are few: how they are without rows, as `like`, how many
# `rows` there are, and `read(columns, rows)`, which gives a list, or NULL. NULL where all rows are to be read.
source_by_rows <- function(source, columns, call) UseMethod("source_by_rows")

#' @export
source_by_rows.default <- function(source, columns, call) NULL

# Where a row comes from, in words.
source_place <- function(source, row, call) UseMethod("source_place")

#' @export
source_place.default <- function(source, row, call) paste0(source_title(source), ", row ", row)

# How the source is called in print.
source_title <- function(source) UseMethod("source_title")

# How it is read, as text that changes if that could change what is read.
source_key <- function(source) UseMethod("source_key")

#' @export
source_key.default <- function(source) class(source)[1]

# These columns of a source, or all that there are; read again only if a part has changed.
source_data <- function(source, parts, columns, call) {
  key <- paste(parts$hash, collapse = " ")
  if (!identical(source$cache$key, key)) source$cache$data <- NULL
  lacking <- if (!is.null(columns)) setdiff(columns, names(source$cache$data))
  if (is.null(source$cache$data) || length(lacking)) {
    tell_progress(paste("reading", source_title(source)))
    data <- within_memory(source_read(source, lacking, call))
    check_still_same(source, parts, call)
    # What was read is known to be what the hashes are of only now.
    source$cache$content <- source$cache$reading
    source$cache$reading <- NULL
    source$cache$data <- side_by_side(source$cache$data, data)
    source$cache$key <- key
  }
  data <- source$cache$data
  if (length(columns)) with_columns(data, unclass(data)[columns]) else data
}

side_by_side <- function(data, more) {
  if (is.null(data)) return(more)
  with_columns(data, c(unclass(data), unclass(more)[setdiff(names(more), names(data))])[union(names(data),
      names(more))])
}

# What was read is what the hashes are of. Of a frame or a database it is, as they are hashed when they are read.
check_still_same <- function(source, parts, call) UseMethod("check_still_same")

#' @export
check_still_same.default <- function(source, parts, call) invisible()

new_source <- function(class, ...) {
  structure(list(..., cache = new.env(parent = emptyenv())), class = c(class, "source"))
}

# A data frame that is in memory is a source in one part.
new_frame_source <- function(data, title) new_source("frame_source", data = data, title = title)

#' @export
source_parts.frame_source <- function(source, call) {
  data.frame(name = source$title, hash = rlang::hash(canonical_value(source$data)))
}

#' @export
source_columns.frame_source <- function(source, call) names(source$data)

#' @export
source_read.frame_source <- function(source, columns, call) source$data

#' @export
source_title.frame_source <- function(source) source$title
