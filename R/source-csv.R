# CSV files of one shape, as one table: the rows of one file after those of another, in the order of
# their names.

new_csv_source <- function(pattern, separator) {
  new_source("csv_source", pattern = pattern, separator = separator, folder = getwd())
}

#' @export
source_title.csv_source <- function(source) paste(source$pattern, collapse = ", ")

#' @export
source_key.csv_source <- function(source) paste("csv_source", source$separator)

# Names as the user wrote them, paths as the system finds them.
csv_files <- function(source, call) {
  from_folder <- function(path) ifelse(is_absolute(path), path, file.path(source$folder, path))
  matches <- lapply(source$pattern, function(pattern) {
    path <- from_folder(pattern)
    if (file.exists(path)) return(pattern)
    found <- Sys.glob(path)
    if (is_absolute(pattern)) found else substring(found, nchar(source$folder) + 2)
  })
  missing <- source$pattern[lengths(matches) == 0]
  if (length(missing)) stop_no_file(missing[1], source$folder, call)
  names <- sort(unique(unlist(matches)), method = "radix")
  paths <- from_folder(names)
  folders <- names[dir.exists(paths)]
  if (length(folders)) {
    stop_because(c("{.file {folders[1]}} is a folder, not a file.",
                   "i" = "To open all CSV files in it, write {.code open_table(\"{folders[1]}/*.csv\")}."), "no_such_file", call)
  }
  data.frame(name = names, path = paths)
}

is_absolute <- function(path) grepl("^(/|~|[A-Za-z]:[/\\\\])", path)

stop_no_file <- function(pattern, folder, call) {
  is_pattern <- grepl("[*?[]", pattern)
  beside <- list.files(file.path(folder, dirname(pattern)))
  hint <- if (!is_pattern) nearest_name(basename(pattern), beside)
  stop_because(c(
    if (is_pattern) "No file is named like {.file {pattern}}." else "There is no file {.file {pattern}}.",
    "x" = "It was looked for in {.file {folder}}.",
    "i" = if (length(hint)) "Did you mean {.file {in_folder_of(pattern, hint)}}?"
  ), "no_such_file", call, path = pattern)
}

#' @export
source_parts.csv_source <- function(source, call) {
  files <- csv_files(source, call)
  data.frame(name = files$name, hash = vapply(files$path, rlang::hash_file, "", USE.NAMES = FALSE))
}

#' @export
source_columns.csv_source <- function(source, call) {
  file <- csv_files(source, call)[1, ]
  header <- csv_header_cpp(path.expand(file$path), source$separator)
  if (!is.null(header$problem)) stop_csv_problem(header$problem, file$name, call)
  header$names
}

#' @export
source_read.csv_source <- function(source, call) {
  files <- csv_files(source, call)
  before <- file.info(files$path)[c("size", "mtime")]
  open <- Map(function(path, name) open_csv(path, name, source$separator, call), files$path, files$name)
  check_one_shape(open, files$name, call)
  data <- read_parts(open)
  changed <- rownames(before)[!mapply(identical, before$mtime, file.info(files$path)$mtime) | before$size != file.size(files$path)]
  if (length(changed)) {
    stop_because(c("{.file {changed[1]}} changed while it was read.", "i" = "Run again when it is complete."), "changing_file", call)
  }
  data
}

open_csv <- function(path, name, separator, call) {
  csv <- csv_open_cpp(path.expand(path), separator)
  if (!is.null(csv$problem)) stop_csv_problem(csv$problem, name, call)
  csv
}

check_one_shape <- function(open, files, call) {
  names <- open[[1]]$names
  for (k in seq_along(open)[-1]) {
    lacks <- setdiff(names, open[[k]]$names)
    more <- setdiff(open[[k]]$names, names)
    if (!length(lacks) && !length(more)) next
    stop_because(c("{.file {files[k]}} has other columns than {.file {files[1]}}.",
                   "x" = if (length(lacks)) "It has no {.code {some_of(lacks)}}.",
                   "x" = if (length(more)) "It has {.code {some_of(more)}} besides.",
                   "i" = "Files that are opened together must have the same columns; their order may differ."),
                 "different_columns", call, file = files[k])
  }
}

# A column has the type that all of its values, in all files, can be read as.
read_parts <- function(open) {
  names <- open[[1]]$names
  columns <- lapply(names, function(name) {
    at <- vapply(open, function(csv) match(name, csv$names), 0L)
    kinds <- Reduce(bitwAnd, Map(function(csv, column) csv$kinds[column], open, at))
    type <- csv_type(kinds)
    values <- Map(function(csv, column) csv_column_cpp(csv$file, column, type), open, at)
    column <- unlist(values, use.names = FALSE)
    if (type == "date") structure(column, class = "Date") else column
  })
  rows <- sum(vapply(open, `[[`, 0, "rows"))
  structure(stats::setNames(columns, names), row.names = .set_row_names(rows), class = "data.frame")
}

# The bits are those of the core's Kinds.
csv_type <- function(kinds) {
  if (kinds == 15L) return("logical")
  bits <- c(logical = 1L, integer = 2L, double = 4L, date = 8L)
  possible <- names(bits)[bitwAnd(bits, kinds) > 0]
  if (length(possible)) possible[1] else "text"
}

csv_problems <- list(
  too_many_fields = "Line {line} of {.file {file}} has {found} fields, and the header {expected}.",
  too_few_fields = "Line {line} of {.file {file}} has {found} field{?s}, and the header {expected}.",
  open_quote = "A quote that opens on line {line} of {.file {file}} is never closed.",
  text_after_quote = "On line {line} of {.file {file}}, text follows a closing quote.",
  nul_byte = "Line {line} of {.file {file}} has a NUL byte: it is no text.",
  not_utf8 = "Line {line} of {.file {file}} is not valid UTF-8.",
  empty_name = "Column {found} of {.file {file}} has no name in the header.",
  repeated_name = "Two columns of {.file {file}} are named {.code {value}}.",
  no_header = "{.file {file}} is empty: it has no header."
)

csv_ways_out <- list(
  too_many_fields = "A field that holds the separator must stand in quotes: {.code \"a,b\"}.",
  too_few_fields = "A missing value still needs its separator. Is the line, or the file, cut off?",
  text_after_quote = "A quote inside a quoted field is doubled: {.code \"a \"\"quoted\"\" word\"}.",
  not_utf8 = "Save the file as UTF-8."
)

stop_csv_problem <- function(problem, file, call) {
  line <- problem$line
  found <- problem$found
  expected <- problem$expected
  value <- problem$value
  stop_because(c(csv_problems[[problem$kind]], "i" = csv_ways_out[[problem$kind]]), "csv", call,
               file = file, line = line, problem = problem$kind)
}
