# Files as outputs, by the formats of sink-formats.R.

#' @export
target_write.file_target <- function(target, x, now, found, force, call) {
  path <- target$path
  make_folder_of(path, call)
  if (needs_chunks(x, path, call)) return(write_chunks(target, x, now, found, force, call))
  # Errors of the table come before a file is begun.
  older <- older_output(path, now, found, rooted(x)$columns)
  calculate <- function() if (is.null(older)) table_data(x, call) else table_columns(x,
      setdiff(older$columns, older$same), call)
  data <- withCallingHandlers(noting_drawn(calculate(), function() now$drawn <<- TRUE, now$lines, call),
                              warning = function(w) now$warned <<- TRUE)
  places <- NULL
  write <- function(file) {
    tell_progress(paste("writing", target$name))
    if (!is.null(older)) places <<- write_csv_again(data, older, file, call, now$guarded)
    if (is.null(places)) {
      places <<- output_formats[[path_ending(path)]]$write(if (is.null(older)) data else table_data(x, call), file,
                                                           now$guarded, call)
    }
  }
  replace_output(target, write, function() nrow(data), x, now, found, force, call, places = function() places)
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
