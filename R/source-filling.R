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
  read <- function(shape, texts = character()) {
    one <- shape$source
    texts <- setdiff(intersect(texts, shape$columns), names(one$options$types))
    if (length(texts)) one$options$types <- c(one$options$types, stats::setNames(rep("text", length(texts)), texts))
    wanted <- intersect(columns, shape$columns)
    source_read(one, if (length(wanted)) wanted else shape$columns[1], call)
  }
  parts <- lapply(shapes, read)
  # A column has the type of all its values, in all files.
  texts <- Filter(function(name) are_texts_somewhere(parts, name), columns)
  if (inherits(source, "csv_source") && length(texts)) parts <- lapply(shapes, read, texts = texts)
  rows <- vapply(parts, nrow, 0L)
  lacking <- lapply(stats::setNames(nm = columns), function(name) {
    which(!vapply(parts, function(part) name %in% names(part), NA) & rows > 0)
  })
  tell_filled(lacking, rows, shapes)
  values <- lapply(stats::setNames(nm = columns), filled_column, parts = parts, rows = rows, shapes = shapes,
                   call = call)
  structure(values, row.names = .set_row_names(sum(rows)), class = "data.frame")
}

are_texts_somewhere <- function(parts, name) {
  there <- lapply(Filter(function(part) name %in% names(part), parts), `[[`, name)
  known <- Filter(function(part) !(is.logical(part) && all(is.na(part))), there)
  if (length(known) < 2) return(FALSE)
  !all(vapply(known[-1], are_of_one_sort, NA, model = known[[1]]))
}

# A line for columns that the same files lack.
tell_filled <- function(lacking, rows, shapes) {
  lacking <- lacking[lengths(lacking) > 0]
  for (at in unique(unname(lacking))) {
    names <- names(lacking)[vapply(lacking, identical, NA, at)]
    files <- unlist(lapply(shapes[at], `[[`, "files"))
    others <- if (length(files) > 1) paste(" and", counted(length(files) - 1, "other file"))
    note_that(paste0("{listed(names)} {if (length(names) == 1) 'is' else 'are'} absent in {.file {files[1]}}{others}: ",
                     "missing in {counted_rows(sum(rows[at]))}."), "filled")
  }
}

filled_column <- function(name, parts, rows, shapes, call) {
  values <- Map(function(part, rows) if (name %in% names(part)) part[[name]] else rep(NA, rows), parts, rows)
  put_files_below(unname(values), name, vapply(shapes, function(shape) shape$files[1], ""), function(k, row) {
    source_place(shapes[[k]]$source, row, call)
  }, call)
}

#' @export
source_place.filling_source <- function(source, row, call) {
  for (shape in shapes_of(source, call)) {
    rows <- nrow(source_read(shape$source, shape$columns[1], call))
    if (row <= rows) return(source_place(shape$source, row, call))
    row <- row - rows
  }
}
