# CSV files that are read chunk by chunk, none of which stays in memory. The types are those of all rows: they are
# guessed from some, and if a later chunk shows another type, reading starts again.

#' @export
each_chunk.csv_source <- function(source, columns, bytes, begin, work, call) {
  files <- source_files(source, call)
  columns <- columns_in_files(source, columns, call)
  with_readable_files(source$options, files, function(paths) {
    opened <- open_csv_files(paths, files$name, source$options, call, min(bytes / 8, usual_piece_bytes))
    reader <- new_chunk_reader(opened, columns, source$options$types, files$name, call)
    chunks <- csv_chunks_cpp(opened$files, bytes)
    if (!nrow(chunks)) chunks <- data.frame(first = 0, last = 0, file = 1, rows = 0)
    repeat {
      begin(nrow(chunks))
      if (read_chunks(reader, chunks, source, files, work)) break
    }
  }, call)
}

new_chunk_reader <- function(opened, columns, types, files, call) {
  wanted <- columns_to_read(opened, columns, types)
  guess <- csv_guess_cpp(opened$files, wanted)
  kinds <- matrix(guess$kinds, 1, dimnames = list(NULL, columns))
  list2env(list(opened = opened, columns = columns, asked = types, files = files, call = call, wanted = wanted,
                few = guess$few,
                kinds = kinds, types = common_types(columns, types, kinds)), parent = emptyenv())
}

# Whether all chunks had values of the types that the first was read with.
read_chunks <- function(reader, chunks, source, files, work) {
  types <- reader$types
  for (k in seq_len(nrow(chunks))) {
    values <- read_chunk(reader, as.list(chunks[k, ]))
    if (!identical(reader$types, types)) return(FALSE)
    content <- list(values = values, rows = chunks$rows[k])
    work(csv_frame(content, source, files[chunks$file[k], ], reader$columns))
  }
  TRUE
}

read_chunk <- function(reader, chunk) {
  is_text <- reader$types %in% c("text", "category")
  for (k in seq_along(reader$columns)) reader$wanted[[k]]$type <- type_to_read(reader$types[[k]], reader$few[k])
  found <- csv_read_cpp(reader$opened$files, reader$wanted, chunk, getOption("rowanroot.threads", 0L))
  if (!is.null(found$problem)) stop_csv_problem(found$problem, reader$files[found$problem$file], reader$call)
  for (k in which(!vapply(found$misfits, is.null, NA) & reader$columns %in% names(reader$asked))) {
    stop_csv_misfit(found$misfits[[k]], reader$columns[k], reader$types[[k]], reader$files, reader$call)
  }
  reader$kinds[1, ] <- bitwAnd(reader$kinds[1, ], found$kinds)
  reader$types <- common_types(reader$columns, reader$asked, reader$kinds)
  too_many <- is_text & vapply(found$values, is.null, NA)
  if (any(too_many)) {
    reader$few[too_many] <- FALSE
    return(read_chunk(reader, chunk))
  }
  stats::setNames(Map(as_csv_type, found$values, reader$types), reader$columns)
}
