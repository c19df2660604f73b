# Files as outputs, by the formats of sink-formats.R.

#' @export
target_write.file_target <- function(target, x, now, found, force, call) {
  path <- target$path
  make_folder_of(path, call)
  older <- older_output(path, now, found)
  # Errors of the table come before a file is begun.
  noting <- noting_in_record(function(what) now[[what]] <<- TRUE, now$lines, call)
  content <- noting(content_by_parts(x, older, call))
  if (is.null(content)) {
    if (needs_chunks(x, path, call)) return(write_chunks(target, x, now, found, force, call))
    content <- noting(content_of_file(x, path, with_same_columns(older, now, rooted(x)$columns), call))
  }
  now$files <- content$files
  places <- NULL
  write <- function(file) {
    tell_progress(paste("writing", target$name))
    places <<- content$write(file, now$guarded)
    if (content$copies && is.null(places)) {
      places <<- write_format(path, table_data(x, call), file, content$rows, now$guarded, call)
    }
  }
  replace_output(target, write, function() sum(content$rows), x, now, found, force, call, places = function() places)
}

# A function that runs code, and notes by `note` whether that `warned`, and whether random numbers were `drawn`: what
# the record of an output says of how it was calculated.
noting_in_record <- function(note, lines, call) {
  function(code) {
    withCallingHandlers(noting_drawn(code, function() note("drawn"), lines, call), warning = function(w) note("warned"))
  }
}

write_format <- function(path, data, file, rows, guard, call) {
  if (path_ending(path) == "csv") return(write_csv_file(data, file, call, guard, rows))
  output_formats[[path_ending(path)]]$write(data, file, guard, call)
}

# What goes into a file: how many `rows` of each part, what to put down of these as `files`, whether it `copies` from an
# older file, and a function that writes it, which then gives NULL if that was changed meanwhile. Here parts are copied;
# NULL if none can be.
content_by_parts <- function(x, older, call) {
  if (is.null(older) || !nrow(older$files) || !identical(older$fields, rooted(x)$columns)) return(NULL)
  names <- source_parts(rooted(x)$source, call)$name
  at <- match(names, older$files$name)
  made <- some_parts(x, function(keys) (keys == older$files$key[at]) %in% TRUE, call)
  if (is.null(made)) return(NULL)
  rows <- older$files$rows[at]
  rows[!made$is_same] <- tabulate(made$of_row, sum(!made$is_same))
  from <- ifelse(made$is_same, at, 0L)
  data <- if (is.null(made$data)) empty_columns(older$fields) else made$data
  list(rows = rows, files = record_of_parts(names, rows, made$keys), copies = TRUE,
       write = function(file, guard) write_csv_parts(data, older, rows, from, file, call, guard))
}

empty_columns <- function(names) structure(stats::setNames(lapply(names, function(name) logical()), names),
                                           row.names = integer(), class = "data.frame")

# All that is to be written is in memory; columns that are the same as in an `older` file are copied from there.
content_of_file <- function(x, path, older, call) {
  data <- if (is.null(older)) table_data(x, call) else table_columns(x, setdiff(older$columns, older$same), call)
  content <- list(rows = if (is.null(older)) nrow(data) else older$rows, copies = !is.null(older))
  if (path_ending(path) == "csv" && has_large_parts(x, call)) {
    names <- source_parts(rooted(x)$source, call)$name
    if (is.null(older)) {
      of_parts <- tabulate(rows_in_parts(x, call), length(names))
      if (sum(of_parts) == nrow(data)) content$rows <- of_parts
    }
    if (length(content$rows) == length(names)) {
      content$files <- record_of_parts(names, content$rows, keys_of_parts(x, call)$keys)
    }
  }
  content$write <- function(file, guard) {
    if (!is.null(older)) write_csv_again(data, older, file, call, guard)
    else write_format(path, data, file, content$rows, guard, call)
  }
  content
}

# Several files, each of which is calculated by itself, and of which copying is worth while. Rows of files that are
# called the same, in other folders, are not told apart.
has_large_parts <- function(x, call) {
  source <- rooted(x)$source
  if (!keeps_columns() || !inherits(source, "csv_source") || source_bytes(source) < least_copied()) return(FALSE)
  names <- source_files(source, call)$name
  length(names) > 1 && !anyDuplicated(file_stem(names)) && is_by_parts(x)
}

record_of_parts <- function(names, rows, keys) {
  list(name = names, rows = rows, key = if (is.null(keys)) rep("", length(names)) else keys)
}

# The folder of an output, which must be one that can be written to.
make_folder_of <- function(path, call) {
  if (!dir.exists(dirname(path))) dir.create(dirname(path), recursive = TRUE, showWarnings = FALSE)
  if (file.access(dirname(path), 2) != 0) {
    stop_because("Can't write to the folder {.file {dirname(path)}}.", "cannot_write", call)
  }
}

write_chunks <- function(target, x, now, found, force, call) {
  parts <- source_parts(rooted(x)$source, call)
  rows <- 0
  replace_output(target, function(file) rows <<- write_in_chunks(x, parts, file, now$guarded, call), function() rows,
                 x, now, found, force, call)
}

# `rows` and `places` have, once the file is written, what is in it.
replace_output <- function(target, write, rows, x, now, found, force, call, places = function() NULL) {
  hash <- NULL
  replace_file(target$path, write, before = function(file) {
    written <- rlang::hash_file(file)
    record_output(target, now, written, rows(), rooted(x)$columns, found, force, call)
    keep_before(target$path)
    if (path_ending(target$path) == "csv") keep_places(places(), written)
    hash <<- written
  })
  remember_written(target$path, hash)
  rows()
}
