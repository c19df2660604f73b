# Sources that are files: one, or several of one shape as one table, the rows of one file after those of another, in
# the order of their names. The kinds of files have classes of their own.

new_file_source <- function(kind, pattern, options) {
  new_source(c(paste0(kind, "_source"), "file_source"), pattern = pattern, options = options, folder = getwd())
}

# The values of these files (with `name` and `path`) as one data frame.
read_files <- function(source, files, columns, call) UseMethod("read_files")

#' @export
source_title.file_source <- function(source) paste(source$pattern, collapse = ", ")

#' @export
source_key.file_source <- function(source) {
  options <- source$options
  usual <- table_options()
  differs <- names(options)[!mapply(identical, options, usual[names(options)])]
  paste(c(class(source)[1], vapply(differs, function(name) paste0(name, "=", canonical_value(options[[name]])), "")),
        collapse = " ")
}

#' @export
source_parts.file_source <- function(source, call) {
  files <- source_files(source, call)
  tell_watched(source)
  check_were_made(files, call)
  for (k in which(are_just_written(files$path))) wait_until_written(files$path[k], files$name[k], call)
  hashes <- file_hashes(files$path)
  # Where a column has the names, they are part of what the values are made from.
  if (!is.null(source$options$file_column)) {
    hashes <- vapply(paste(hashes, files$name), rlang::hash, "", USE.NAMES = FALSE)
  }
  data.frame(name = files$name, hash = hashes)
}

# A file that this run was to make, and could not, is an old one.
check_were_made <- function(files, call) {
  if (!length(failed_outputs())) return(invisible())
  paths <- vapply(files$path, plain_path, "")
  failed <- files$name[paths %in% failed_outputs() | paste0(dirname(paths), "/") %in% failed_outputs()]
  if (length(failed)) {
    stop_because(c("{.file {failed[1]}} could not be made in this run, and is out of date.",
                   "try" = "The reason is above."), "stale_input", call, file = failed[1])
  }
}

#' @export
source_read.file_source <- function(source, columns, call) {
  read_files(source, source_files(source, call), if (!is.null(columns)) columns_in_files(source, columns, call), call)
}

# One at least: the number of rows is that of any column.
columns_in_files <- function(source, columns, call) {
  in_files <- setdiff(columns, source$options$file_column)
  if (length(in_files)) in_files else utils::head(setdiff(source_columns(source, call), columns), 1)
}

# Files that have the same state as when they were hashed are not hashed again.
#' @export
check_still_same.file_source <- function(source, parts, call) {
  now <- source_parts(source, call)
  same <- now$hash %in% parts$hash & now$name %in% parts$name
  if (!identical(parts, now)) stop_changing_file(c(now$name[!same], parts$name)[1], call)
}

stop_changing_file <- function(file, call) {
  stop_because(c("{.file {file}} changed while it was read.", "try" = "Run again when it is complete."),
               "changing_file", call, file = file)
}

# Names as the user wrote them, paths as the system finds them.
source_files <- function(source, call) {
  from_folder <- function(path) ifelse(is_absolute(path), path, file.path(source$folder, path))
  matches <- lapply(source$pattern, function(pattern) {
    path <- from_folder(pattern)
    if (file.exists(path)) return(pattern)
    if (is_absolute(pattern)) Sys.glob(as_glob(pattern)) else in_folder(source$folder, Sys.glob(as_glob(pattern)))
  })
  missing <- source$pattern[lengths(matches) == 0]
  if (length(missing)) stop_no_file(missing[1], source$folder, call)
  names <- unique(unlist(matches))
  check_names_of_files(names, call)
  names <- names[order(named_in_utf8(names), method = "radix")]
  paths <- from_folder(names)
  # Of many files with the same ending one is enough.
  for (name in names[!duplicated(paste(path_ending(names), content_ending(names)))]) {
    check_kind_of_file(name, sub("_source$", "", setdiff(class(source), "filling_source")[1]), call)
  }
  folders <- names[dir.exists(paths)]
  if (length(folders)) {
    stop_because(c("{.file {folders[1]}} is a folder, not a file.",
                   "try" = paste("To open all CSV files in it, write",
                                 "{.code open_table(\"{sub('/+$', '', folders[1])}/*.csv\")}.")), "no_such_file", call)
  }
  data.frame(name = named_in_utf8(names), path = paths)
}

# A name that is not valid text can't be stored.
check_names_of_files <- function(names, call) {
  bad <- which(!validUTF8(names) & Encoding(names) == "unknown")
  if (length(bad)) {
    stop_because(c(paste0("The name of a file is not valid UTF-8: ",
                          "{encodeString(iconv(names[bad[1]], 'latin1', 'UTF-8'))}, if it is Latin-1."),
                          "try" = "Rename it."), "no_such_file", call)
  }
}

# What the system calls a file is UTF-8 mostly, though R does not know it in every locale.
named_in_utf8 <- function(names) {
  are_unknown <- Encoding(names) == "unknown" & validUTF8(names)
  if (any(are_unknown)) Encoding(names)[are_unknown] <- "UTF-8"
  enc2utf8(names)
}

# Seen from a folder, whose own name may hold what patterns are made of.
in_folder <- function(folder, code) {
  old <- setwd(folder)
  on.exit(setwd(old))
  code
}

# A run that is repeated when a file changes must know which files to watch.
tell_watched <- function(source) {
  if (is.null(state$run)) return(invisible())
  patterns <- vapply(source$pattern, function(pattern) {
    as_glob(if (is_absolute(pattern)) path.expand(pattern) else file.path(source$folder, pattern))
  }, "", USE.NAMES = FALSE)
  # What is committed to an SQLite file may be in the one beside it for a while.
  if (inherits(source, "sqlite_source")) patterns <- c(patterns, paste0(patterns, "-wal"))
  state$run$watched <- unique(c(state$run$watched, patterns))
}

stop_no_file <- function(pattern, folder, call) {
  is_pattern <- grepl("[*?[]", pattern)
  beside <- list.files(file.path(folder, dirname(pattern)))
  hint <- if (!is_pattern) nearest_name(basename(pattern), beside)
  stop_because(c(
    if (is_pattern) "No file matches {.file {pattern}}." else "There is no file {.file {pattern}}.",
    "found" = "Looked for in {.file {folder}}.",
    "try" = if (length(hint)) "{.file {in_folder_of(pattern, hint)}}"
  ), "no_such_file", call, path = pattern)
}

check_one_shape <- function(columns, files, call) {
  for (k in seq_along(columns)[-1]) {
    lacks <- setdiff(columns[[1]], columns[[k]])
    more <- setdiff(columns[[k]], columns[[1]])
    if (!length(lacks) && !length(more)) next
    stop_because(c("{.file {files[k]}} has different columns from {.file {files[1]}}.",
                   "found" = if (length(lacks)) "It has no {listed(lacks)}.",
                   "found" = if (length(more)) "It also has {listed(more)}.",
                   "try" = "Files that are opened together must have the same columns; their order may differ.",
                   "try" = "For missing values where a column is absent, use {.code absent = \"missing\"}."),
                 "different_columns", call, file = files[k])
  }
}

# A file that was written to just now and does not end as a whole file does is probably not complete yet: it is waited
# for, until it ends so or has been left alone for a while.
wait_until_written <- function(path, name, call, patience = 30) {
  started <- as.numeric(Sys.time())
  while (are_just_written(path) && !ends_as_whole(path)) {
    if (as.numeric(Sys.time()) - started > patience) stop_changing_file(name, call)
    Sys.sleep(0.05)
  }
}

are_just_written <- function(paths) {
  seconds_old <- as.numeric(Sys.time()) - as.numeric(file.mtime(paths))
  (abs(seconds_old) < getOption("rowanroot.left_alone", 0.5)) %in% TRUE
}

# With a line, with the mark of Parquet, or with the record that ends a workbook, which is a ZIP file of 22 bytes or
# more.
ends_as_whole <- function(path) {
  size <- file.size(path)
  if (is.na(size) || size == 0) return(FALSE)
  file <- file(path, "rb")
  on.exit(close(file))
  seek(file, max(0, size - 22))
  last <- readBin(file, raw(), 22)
  if (!length(last)) return(FALSE)
  last[length(last)] %in% as.raw(c(10, 13)) || size > 4 && identical(utils::tail(last, 4), charToRaw("PAR1")) ||
    identical(last[1:4], as.raw(c(0x50, 0x4b, 5, 6)))
}

# What a file is, whatever its name: links to it have the same. Missing where there is none.
file_identities <- function(paths) file_identities_cpp(path.expand(paths))

source_bytes <- function(source) {
  if (inherits(source, "file_source")) sum(file.size(source_files(source, NULL)$path)) else 0
}
