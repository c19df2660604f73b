# A table of an SQLite file is named after the file: `out/yield.sqlite, table yield`; a folder ends in a slash.
output_file <- function(output) if (file.exists(output)) output else sub(", table .*$", "", output)

# The folder of the script that made an output: the nearest above it that has a journal; and the output's name
# there. Of an SQLite file that has one output, the file's name is enough.
project_of <- function(output, call) {
  folder <- journal_above(output_file(output), output, call)
  if (!path_ending(folder$output) %in% file_kinds$sqlite$endings) return(folder)
  file <- folder$output
  known <- in_folder(folder$path, unique(vapply(read_journal(), `[[`, "", "output")))
  known <- known[startsWith(known, paste0(file, ", table "))]
  asked <- paste0(file, substring(output, nchar(output_file(output)) + 1))
  name <- if (asked %in% known) asked else if (asked == file && length(known) == 1) known
  if (is.null(name)) {
    if (!length(known)) stop_unknown_output(output, call)
    stop_because(c("Which table of {.file {file}}?", "try" = "Name one of its outputs: {listed(known, in_quotes)}."),
                 "unknown_output", call, output = output)
  }
  list(path = folder$path, output = name, file = file, table = substring(name, nchar(file) + nchar(", table ") + 1))
}

journal_above <- function(file, output, call) {
  path <- paste0(normalizePath(file), if (dir.exists(file)) "/")
  folder <- dirname(path)
  while (!file.exists(file.path(folder, ".rowanroot", "journal.jsonl"))) {
    if (folder == dirname(folder)) stop_unknown_output(output, call)
    folder <- dirname(folder)
  }
  list(path = folder, output = substring(path, nchar(sub("/$", "", folder)) + 2))
}

stop_unknown_output <- function(output, call) {
  stop_because(c("How {.file {output}} was made is not recorded.",
                 "try" = paste0("{.code rowanroot run} records it for the outputs of a script, in ",
                              "{.file .rowanroot} beside the script.")),
               "unknown_output", call, output = output)
}

# Keeps the file that an output replaces: under a second name, which costs nothing, where the file system can do that.
keep_before <- function(path) {
  if (!file.exists(path)) return(invisible())
  kept <- before_path(path)
  dir.create(dirname(kept), showWarnings = FALSE, recursive = TRUE)
  remove_files(kept)
  keep_link(path, kept)
}

keep_link <- function(path, kept) invisible(suppressWarnings(file.link(path, kept)) || file.copy(path, kept))

# The table that an output of a database replaces, piece by piece, as `each(work)` gives them. Gives a function that
# puts it in its place, once the output is there.
keep_table_before <- function(name, each) {
  kept <- before_path(name)
  dir.create(dirname(kept), showWarnings = FALSE, recursive = TRUE)
  unfinished <- paste0(kept, ".unfinished")
  connection <- file(unfinished, "wb")
  is_whole <- FALSE
  on.exit({
    close(connection)
    if (!is_whole) remove_files(unfinished)
  })
  each(function(piece) serialize(piece, connection))
  is_whole <- TRUE
  function(is_there) if (is_there) file.rename(unfinished, kept) else remove_files(unfinished)
}

# The pieces of a table that was kept.
read_table_before <- function(kept) {
  connection <- file(kept, "rb")
  on.exit(close(connection))
  pieces <- list()
  repeat {
    piece <- tryCatch(unserialize(connection), error = function(e) NULL)
    if (is.null(piece)) return(pieces)
    pieces[[length(pieces) + 1]] <- piece
  }
}

# Outputs of the same name in several folders have a name each.
before_path <- function(path) file.path(journal_folder(), "before", file_name_for(path))
