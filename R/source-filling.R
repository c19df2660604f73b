# Files of which some lack columns that others have, where `absent = "missing"` asks for it: files with the same columns
# that follow each other are read together, and what they lack is missing in their rows.

with_absent_filled <- function(source) {
  class(source) <- c("filling_source", class(source))
  source
}

# These files of the source, as a source of one shape.
source_of_files <- function(source, files) {
  class(source) <- setdiff(class(source), "filling_source")
  source$pattern <- files$name
  source$cache <- new.env(parent = emptyenv())
  source
}

#' @export
source_key.filling_source <- function(source) paste("absent=missing", class(source)[2], NextMethod())

# Runs of files with the same columns: for each its `source`, its `files` and their `columns`.
shapes_of <- function(source, call) {
  files <- source_files(source, call)
  states <- paste(file_states_cpp(path.expand(files$path)), files$name)
  if (identical(source$cache$states, states)) return(source$cache$shapes)
  columns <- lapply(seq_len(nrow(files)), function(k) {
    one <- source_of_files(source, files[k, ])
    # Types are for columns of any of the files.
    one$options$types <- NULL
    source_columns(one, call)
  })
  differs <- !mapply(setequal, columns[-1], columns[-length(columns)])
  run <- cumsum(c(TRUE, as.logical(differs)))
  source$cache$shapes <- lapply(unname(split(seq_along(columns), run)), function(at) {
    of_run <- source_of_files(source, files[at, ])
    types <- of_run$options$types
    if (!is.null(types)) of_run$options$types <- types[names(types) %in% columns[[at[1]]]]
    list(source = of_run, files = files$name[at], columns = columns[[at[1]]])
  })
  source$cache$states <- states
  source$cache$shapes
}

#' @export
source_columns.filling_source <- function(source, call) {
  names <- unique(unlist(lapply(shapes_of(source, call), `[[`, "columns")))
  check_types_known(source$options$types, names, call)
  names
}

#' @export
source_read.filling_source <- function(source, columns, call) {
  shapes <- shapes_of(source, call)
  if (is.null(columns)) columns <- source_columns(source, call)
  parts <- lapply(shapes, read_shape, columns = columns, call = call)
  # A column has the type of all its values, in all files.
  texts <- Filter(function(name) are_texts_somewhere(parts, name), columns)
  if (inherits(source, "csv_source")) parts <- Map(with_texts, parts, shapes, list(texts), list(call))
  places <- function(at) files_in_words(unlist(lapply(shapes[at], `[[`, "files")))
  files <- vapply(shapes, function(shape) shape$files[1], "")
  place <- function(k, row) source_place(shapes[[k]]$source, row, call)
  values <- tables_below(parts, columns, places, function(parts, name) {
    put_files_below(parts, name, files, place, call)
  })
  structure(values, row.names = .set_row_names(sum(vapply(parts, nrow, 0L))), class = "data.frame")
}

# Of these columns those that the files of a shape have; one at least, as it has the number of rows.
read_shape <- function(shape, columns, call) {
  wanted <- intersect(columns, shape$columns)
  source_read(shape$source, if (length(wanted)) wanted else shape$columns[1], call)
}

# These columns read once more, as texts.
with_texts <- function(part, shape, texts, call) {
  asked <- shape$source$options$types
  texts <- setdiff(intersect(texts, shape$columns), names(asked))
  if (!length(texts)) return(part)
  shape$source$options$types <- c(asked, stats::setNames(rep("text", length(texts)), texts))
  part[texts] <- read_shape(shape, texts, call)[texts]
  part
}

files_in_words <- function(files) {
  others <- if (length(files) > 1) paste(" and", counted(length(files) - 1, "other file"))
  paste0(cli::format_inline("{.file {files[1]}}"), others)
}

are_texts_somewhere <- function(parts, name) {
  there <- lapply(Filter(function(part) name %in% names(part), parts), `[[`, name)
  known <- Filter(function(part) !(is.logical(part) && all(is.na(part))), there)
  if (length(known) < 2) return(FALSE)
  !all(vapply(known[-1], are_of_one_sort, NA, model = known[[1]]))
}

#' @export
source_place.filling_source <- function(source, row, call) {
  for (shape in shapes_of(source, call)) {
    rows <- nrow(source_read(shape$source, shape$columns[1], call))
    if (row <= rows) return(source_place(shape$source, row, call))
    row <- row - rows
  }
}
