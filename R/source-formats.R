#' What each file format can hold
#'
#' A table that is saved and opened again is the same, with the exceptions shown here. Values that a
#' format can't hold are refused with an error before anything is written; values that it changes
#' are counted in a warning.
#'
#' \tabular{lllllll}{
#'   \strong{column} \tab \strong{CSV} \tab \strong{JSON lines} \tab \strong{Parquet} \tab \strong{workbook
#'     (\code{.xlsx})} \tab \strong{SQLite} \tab \strong{PostgreSQL} \cr
#'   numbers \tab kept, bit for bit \tab kept, bit for bit \tab kept, bit for bit \tab kept, bit for bit \tab
#'     kept, bit for bit \tab kept, bit for bit \cr
#'   -0 \tab kept \tab kept \tab kept \tab kept \tab 0, counted \tab kept \cr
#'   \code{Inf}, \code{NaN} \tab kept \tab refused \tab kept \tab refused \tab \code{Inf} kept, \code{NaN} refused
#'     \tab \code{Inf} kept, \code{NaN} refused \cr
#'   whole numbers \tab kept \tab kept \tab kept \tab come back as numbers \tab kept \tab kept \cr
#'   numbers that are all whole \tab come back as whole numbers \tab come back as whole numbers \tab kept \tab
#'     kept \tab kept \tab kept \cr
#'   64-bit whole numbers \tab kept; read with \code{types}, else as text where they are not exact as numbers \tab
#'     kept; smaller ones come back as numbers \tab kept \tab up to 15 digits, else refused \tab kept \tab kept
#'     \cr
#'   logical \tab kept \tab kept \tab kept \tab kept \tab kept \tab kept \cr
#'   text \tab kept; text that looks like numbers or dates needs \code{types} \tab kept; text that is all dates
#'     comes back as dates \tab kept \tab kept, up to 32,767 characters \tab kept \tab kept \cr
#'   missing values, rows of them at the end \tab kept \tab kept \tab kept \tab kept \tab kept \tab kept \cr
#'   dates \tab kept, years 0 to 9999 \tab kept, years 0 to 9999 \tab kept, 5 million years \tab kept, years 1900
#'     to 9999 \tab kept \tab kept, years 1 to 9999 \cr
#'   parts of days in dates \tab whole days, counted \tab whole days, counted \tab whole days, counted \tab whole
#'     days, counted \tab whole days, counted \tab whole days, counted \cr
#'   date-times \tab the instant, kept \tab the instant, kept \tab microseconds kept, finer ones counted \tab
#'     thousandths of a second kept, finer ones counted \tab the instant, kept \tab microseconds kept, finer ones
#'     counted \cr
#'   their zone \tab Universal Time \tab Universal Time \tab kept \tab Universal Time; a message names the zone
#'     \tab Universal Time \tab Universal Time \cr
#'   durations \tab refused \tab refused \tab nanoseconds kept, with their unit \tab refused \tab refused \tab
#'     refused \cr
#'   categories \tab come back as text \tab come back as text \tab kept, with levels and order \tab come back as
#'     text \tab come back as text \tab come back as text \cr
#'   columns of other classes \tab as text \tab as text \tab as text \tab as text \tab as text \tab as text \cr
#'   lists, bytes, complex numbers, matrices \tab refused \tab refused \tab refused \tab refused \tab refused \tab
#'     refused \cr
#'   text that is not UTF-8 \tab refused \tab refused \tab refused \tab refused \tab refused \tab refused \cr
#'   a table without rows \tab kept \tab empty file, with a warning \tab kept \tab kept \tab kept \tab kept \cr
#'   order of rows \tab kept \tab kept \tab kept \tab kept \tab kept \tab none \cr
#' }
#'
#' Files written by other programs are read by the same rules: values that R's types can't hold
#' exactly are an error that names the file, the column and the first row, line or cell.
#'
#' - **JSON lines**: numbers and text in one column are an error that names the line; `types = c(id
#' = "text")` reads everything as text, as it is written. Whole numbers of more than 64 bits, and
#' text with the character U+0000, are errors. A name that is not in a line gives a missing value. -
#' **Workbooks**: a column has one type. Dates or logical values among others are an error that
#' names the cell; numbers and text together are read as text, with a warning that names the first
#' of each. Errors such as `#N/A`, and formulas without a stored value, are missing; a warning
#' counts them and names the first. Cells shown as times of day or as durations are read as
#' durations in hours. The first sheet that is not hidden is read. In old workbooks (`.xls`) errors
#' and formulas without a value look like empty cells. - **Parquet**: decimal numbers of more than
#' 15 digits, unsigned 64-bit whole numbers that are too large, lists and records are errors. Each
#' file is read in a separate process, so that a damaged file is an error and can't crash R. -
#' **Databases**: `numeric` of PostgreSQL with more than 15 digits is an error, unless `types` asks
#' for text; infinite dates are errors. Columns of SQLite that hold values of several types are an
#' error that names the first row. - **Sets of files**: a column that is of different types in two
#' files is an error that names the files and the first value. Categories get the levels of all
#' files, in the order in which they appear; for ordered categories the order must agree with that
#' of each file, or it is an error.
#'
#' @name file_formats
#' @seealso [open_table()], [save_table()]
#' @keywords file
NULL

# Workbooks, Parquet, SQLite and JSON lines, by the packages that are made for them: each gives data frames, and
# files of one shape are put below each other.

# By the end of a file's name: its kind, and the packages that read it.
file_kinds <- list(
  xlsx = list(endings = c("xlsx", "xlsm"), packages = "zip", what = "workbooks",
              options = c("sheet", "names", "header", "missing", "types")),
  xls = list(endings = "xls", packages = "readxl", what = "workbooks of the old format",
             options = c("sheet", "names", "header", "missing", "types")),
  parquet = list(endings = "parquet", packages = "nanoparquet", what = "Parquet files", options = character()),
  sqlite = list(endings = c("sqlite", "sqlite3", "db"), packages = c("DBI", "RSQLite"), what = "SQLite databases",
                options = c("table", "types")),
  jsonl = list(endings = c("jsonl", "ndjson"), packages = character(), what = "files of JSON lines",
               options = "types", may_be_compressed = TRUE)
)

# Files that are no text in columns: read as CSV, they would give nonsense. What to do instead is said of some.
other_endings <- c("json", "xml", "html", "htm", "pdf", "doc", "docx", "ods", "xlsb", "rds", "rda", "rdata", "dta",
                   "sav", "sas7bdat", "feather", "arrow", "orc", "avro", "zip", "7z", "tar",
                   "bz2", "xz", "zst", "png", "jpg", "jpeg", "yaml", "yml", "r")

ways_out_of_endings <- list(
  json = "JSON is read if each line holds one object, and the name ends in {.file .jsonl}.",
    rds = "{.code open_table(readRDS(\"{path}\"))}",
  ods = "Save it as {.file .xlsx}.", xlsb = "Save it as {.file .xlsx}.", zip = "Unpack it first.",
    xz = "Unpack it first, or compress it as {.file .gz}.", bz2 = "Unpack it first, or compress it as {.file .gz}."
)

# The ending that says what is in a file, which may be compressed.
content_ending <- function(path) path_ending(ifelse(path_ending(path) == "gz", without_ending(path), path))

kind_of_path <- function(path) {
  ending <- content_ending(path)
  for (kind in names(file_kinds)) if (ending %in% file_kinds[[kind]]$endings) return(kind)
  "csv"
}

# That each file is of the kind that it is about to be read as.
check_kind_of_file <- function(path, kind, call) {
  if (kind == "csv" && content_ending(path) %in% other_endings) {
    stop_because(c("{.file {path}} is not a kind of file that can be read.",
                   "try" = ways_out_of_endings[[content_ending(path)]]), "unknown_format", call, file = path)
  }
  is_of <- kind_of_path(path)
  if (is_of != kind) {
    what <- function(kind) if (kind == "csv") "CSV files" else file_kinds[[kind]]$what
    stop_because(c("{.file {path}} belongs to {what(is_of)} by its name, but is opened together with {what(kind)}.",
                   "try" = paste0("Open it separately, or use a pattern with an extension, such as ",
                                "{.code \"visits/*.csv\"}.")),
                 "unknown_format", call, file = path)
  }
  if (kind != "csv" && path_ending(path) == "gz" && !isTRUE(file_kinds[[kind]]$may_be_compressed)) {
    stop_because(c("{.file {path}} is compressed.",
                   "try" = "Unpack it first: only CSV files and JSON lines are read compressed."), "unknown_format",
                 call, file = path)
  }
}

# The separator that files with this ending have.
usual_separator <- function(path) {
  if (is.character(path) && length(path) && all(content_ending(path) %in% c("tsv", "tab"))) "\t" else ","
}

check_package <- function(packages, what, call) {
  for (package in packages) {
    if (requireNamespace(package, quietly = TRUE)) next
    stop_because(c("{what} need the package {.pkg {package}}.",
                   "try" = "Install it: {.code install.packages(\"{package}\")}."), "missing_package", call,
                 package = package)
  }
}

# Options that are of other kinds of files would do nothing.
check_options_of_kind <- function(options, kind, call) {
  usual <- table_options()
  given <- names(options)[!mapply(identical, options, usual[names(options)])]
  of_csv <- setdiff(names(usual), c("sheet", "table"))
  known <- union(if (kind == "csv") of_csv else file_kinds[[kind]]$options, "file_column")
  other <- setdiff(given, known)
  if (!length(other)) return(invisible())
  what <- if (kind == "csv") "CSV files" else file_kinds[[kind]]$what
  stop_because(c("{.arg {other[1]}} is not for {what}.", "try" = "Their options are {.arg {known}}."),
               "bad_argument", call)
}

new_table_source <- function(path, options, call) {
  kind <- unique(vapply(path, kind_of_path, ""))
  if (length(kind) > 1) {
    stop_because(c("Files that are opened together must be of one kind.", "found" = "There are {.val {kind}}.",
                   "try" = "Open them separately, and put them below each other with {.code append_rows()}."),
                 "bad_argument", call)
  }
  check_options_of_kind(options, kind, call)
  if (kind != "csv") {
    check_package(file_kinds[[kind]]$packages, file_kinds[[kind]]$what, call)
    return(new_file_source(kind, path, options))
  }
  check_table_options(options, call)
  new_file_source("csv", path, options)
}

# What `read` gives of one file; a package's error is reported with the file's name.
read_one_file <- function(source, path, name, read, call) {
  tryCatch(read(source, path, name, call), error = function(e) {
    if (inherits(e, "rowanroot_error")) stop(e)
    stop_because(c("Can't read {.file {name}}.", "found" = "The reader's message: {one_text(conditionMessage(e))}"),
                 "unreadable_file", call, file = name)
  })
}

plain_frame <- function(data) {
  data <- as.data.frame(data, stringsAsFactors = FALSE)
  attributes(data) <- attributes(data)[c("names", "row.names", "class")]
  class(data) <- "data.frame"
  data
}

# With the column that has the file of each row, if one is asked for.
with_file_column <- function(data, source, files, rows, call) {
  if (is.null(source$options$file_column)) return(data)
  file_column_name(source$options$file_column, names(data), call)
  file <- rep(file_stem(files), rows)
  with_columns(data, c(stats::setNames(list(file), source$options$file_column), unclass(data)))
}

# Plain data frames with the same columns, one below the other; `place` describes in words where a row of one is.
frames_below <- function(tables, names, call, place = function(table, row) paste("row", row)) {
  if (length(tables) == 1) return(tables[[1]])
  columns <- lapply(stats::setNames(nm = base::names(tables[[1]])),
                    function(name) put_files_below(lapply(tables, `[[`, name), name, names, place, call))
  structure(columns, row.names = .set_row_names(sum(vapply(tables, nrow, 0L))), class = "data.frame")
}

# The columns of these formats are known only once they are read: the values are stored for their first use.
#' @export
source_columns.file_source <- function(source, call) names(source_data(source, source_parts(source, call), NULL, call))
