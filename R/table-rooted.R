#' Open files as a rooted table
#'
#' A rooted table is a source and a list of steps. Nothing is read until its values are used. If a
#' file has changed the next time, they are calculated again, and a line says why.
#'
#' CSV files are read exactly: the type of a column is found from all its values in all files;
#' numbers are read exactly; codes with leading zeros, and whole numbers too long to be exact, stay
#' text. Dates such as `2026-03-31` become dates, and date-times such as `2026-03-31T12:00:00Z`
#' become times; without a zone they are taken as UTC. Line ends of all systems are recognised;
#' fields may be quoted, with line ends in them; gzip files are unpacked. Text becomes R's strings
#' only when it is used.
#'
#' Workbooks (`.xlsx`, `.xlsm`, `.xls`), Parquet (`.parquet`), SQLite (`.sqlite`, `.sqlite3`,
#' `.db`), JSON lines (`.jsonl`, `.jsonl.gz`, `.ndjson`) and text with tabs (`.tsv`) are recognised
#' by the extension; workbooks need the package zip or readxl, Parquet nanoparquet, and SQLite
#' RSQLite. [file_formats] shows what each format can hold, and what is an error. Date-times of a
#' workbook that are all at midnight are read as dates. With a DBI connection you can open a table
#' or a query of any database; it is read again each time its values are used. Rows of a database
#' table have no order: the same rows in another order are the same table. This also holds for
#' queries without `ORDER BY`.
#'
#' Only columns that are needed are read: if a later step leaves a column out, its values are not
#' read. Where there is a journal, columns that were read are cached in `.rowanroot`, and of many
#' files only those that changed are read again. A file that was just written to and ends in
#' the middle of a line, or as a Parquet file or a workbook without its end, may still be growing: it
#' is read once it has stopped changing.
#'
#' @param path The path of a file, a pattern such as `"visits/*.csv"` for several files with the
#'   same columns, or several of these; or a data frame, or a DBI connection.
#' @param separator The character between two fields; for files whose names end in `.tsv`, a tab.
#' @param decimal The decimal mark.
#' @param missing Text that means a missing value. In quotes it is ordinary text. In a workbook such
#'   text means a missing value among numbers and dates; among other text only if `missing` is
#'   given.
#' @param comment The character that starts comment lines, such as `"#"`.
#' @param encoding `"UTF-8"`, `"latin1"`, `"windows-1252"` or `"UTF-16"`. UTF-16 files that begin
#'   with a byte order mark are recognised.
#' @param header Whether the first row contains the names of the columns.
#' @param names Names of the columns instead of those in the header.
#' @param types Types for some columns, as in `c(hive = "text", day = "date")`: `"text"`,
#'   `"category"`, `"integer"`, `"number"`, `"integer64"`, `"logical"`, `"date"` or `"time"`. A
#'   value that is not of its type is an error that names file and line. For databases only `"text"`
#'   can be asked for.
#' @param short,long What to do with rows that have too few fields (`"error"`, or `"missing"`: the
#'   rest is missing) or too many (`"error"`, or `"drop"`: the rest is dropped).
#' @param absent What to do if one of several files lacks a column that others have: it is an error
#'   (`"error"`), or the column is missing in its rows (`"missing"`), and a line says which.
#' @param sheet The name or number of a workbook's sheet; by default the first that is not hidden.
#' @param table The name of a table in a database, or `DBI::Id(schema = , table = )`; not needed if
#'   there is only one.
#' @param query A query in SQL, for a DBI connection.
#' @param changes_with For a DBI connection, a query whose one value changes whenever the table does, such as
#'   `"SELECT max(changed_at) FROM visits"`. Without it, PostgreSQL calculates a number of all rows to see whether an
#'   output is up to date; from other databases they are fetched.
#' @param file_column The name of a column to add, with the name of each row's file without its
#'   extension.
#' @return A rooted table. Print it to look at it, use `as.data.frame()` for its values, and give it
#'   to [set_columns()], [keep_rows()], [save_table()] and the other verbs. `$`, `[[`, `names()`,
#'   `dim()`, `lapply()`, `split()`, `cbind()`, `with()` and R's other functions for data frames
#'   work on its values. Changing it in place, as in `x$new <- 1`, is an error of class
#'   `rowanroot_not_in_place`.
#' @section Errors: `rowanroot_no_such_file`; `rowanroot_csv`, with file and line, for a line with
#'   too many or too few fields, a quote that is never closed, a value that is not of the type asked
#'   for, and the like; `rowanroot_different_columns` if files have different columns;
#'   `rowanroot_type_mismatch` if a column has different types in two files, or in the cells of a
#'   sheet; `rowanroot_changing_file` if a file changes while it is read;
#'   `rowanroot_unreadable_file`, `rowanroot_unknown_format`, `rowanroot_missing_package`;
#'   `rowanroot_no_such_sheet`, `rowanroot_no_such_table`, `rowanroot_database` with the database's
#'   own message, `rowanroot_unreadable_value` for a value of a database that R can't hold,
#'   `rowanroot_repeated_name` if two columns of a query have the same name.
#' @examples
#' folder <- tempfile()
#' dir.create(folder)
#' writeLines(
#'   c("hive,gross_kg,tare_kg", "NB-01,31,6", "NB-02,28.5,6.2"),
#'   file.path(folder, "june.csv")
#' )
#' visits <- open_table(file.path(folder, "*.csv"), file_column = "month")
#' yield <- visits |> set_columns({ net_kg <- gross_kg - tare_kg })
#' yield
#' as.data.frame(yield)
#'
#' # As other programs write: semicolons, decimal commas, a comment
#' writeLines(
#'   c("# weighed by Ada", "hive;gross_kg", "NB-01;31,4", "NB-02;-"), file.path(folder, "july.txt")
#' )
#' open_table(
#'   file.path(folder, "july.txt"), separator = ";", decimal = ",", comment = "#", missing = "-"
#' )
#' unlink(folder, recursive = TRUE)
#' @export
open_table <- function(path, separator = ",", decimal = ".", missing = c("", "NA"), comment = NULL,
                       encoding = "UTF-8", header = TRUE, names = NULL,
                       types = NULL, short = "error", long = "error", absent = "error", file_column = NULL,
                       sheet = NULL, table = NULL, query = NULL, changes_with = NULL) {
  call <- quote(open_table())
  if (is_rooted_table(path)) return(path)
  if (is.data.frame(path)) {
    check_table(path, call)
    return(new_rooted_table(new_frame_source(path, one_line(substitute(path), 30L)), base::names(path)))
  }
  if (inherits(path, "DBIConnection")) {
    source <- new_database_source(path, table, query, types, changes_with, call)
    return(new_rooted_table(source, source_columns(source, call)))
  }
  check_path(path, "path", call)
  for (given in c("query", "changes_with")) {
    if (!is.null(get(given))) stop_because("{.arg {given}} is for a DBI connection.", "bad_argument", call)
  }
  if (missing(separator)) separator <- usual_separator(path)
  options <- table_options(separator, decimal, missing, comment, encoding, header, names, types, short, long,
                           file_column, sheet, table)
  source <- new_table_source(path, options, call)
  if (check_one_of(absent, c("error", "missing"), "absent", call) == "missing") source <- with_absent_filled(source)
  new_rooted_table(source, source_columns(source, call))
}

# `cache` holds what is known of the values; `earlier` leads to the caches of the tables that it was made from.
new_rooted_table <- function(source, columns, steps = list(), earlier = list()) {
  as_rooted_table(list(source = source, columns = columns, steps = steps, cache = new.env(parent = emptyenv()),
                       earlier = earlier))
}

# An environment whose names are the columns, each of which is calculated when it is looked at: so R's functions
# that take columns by name from their `data` find the values, and those that would look at a list's insides stop.
# The parts are an attribute.
as_rooted_table <- function(parts) {
  table <- new.env(parent = globalenv())
  for (name in unique(parts$columns)) makeActiveBinding(name, column_of(table, name), table)
  lockEnvironment(table)
  attr(table, "parts") <- parts
  structure(table, class = "rooted_table")
}

column_of <- function(table, name) {
  force(name)
  function(value) if (missing(value)) table[[name]] else stop_not_in_place(table, "$<-")
}

add_step <- function(x, step) {
  if (length(step_checks(step))) step$check <- new_check()
  table <- new_rooted_table(rooted(x)$source, step$columns, c(rooted(x)$steps, list(step)), earlier_caches(x))
  if (!is.null(step$check)) tell_check_added(table, step$check)
  table
}

# The table with its steps bound to the columns that its source has now.
current_table <- function(x, call) {
  columns <- source_columns(rooted(x)$source, call)
  steps <- rooted(x)$steps
  for (k in seq_along(steps)) {
    if (!identical(steps[[k]]$columns_before, columns) || looks_up_stale(steps[[k]], call)) {
      steps[[k]] <- bound_again(steps[[k]], columns, call)
    }
    columns <- steps[[k]]$columns
  }
  table <- rooted(x)
  table$steps <- steps
  table$columns <- columns
  as_rooted_table(table)
}

# What was given to the step from outside stays.
bound_again <- function(step, columns, call) {
  given <- c("typed_call", "calibration", "check")
  again <- bind_step(step, columns, call)
  again[given] <- unclass(step)[given]
  again
}

# What the values of a table are made from: its parts and its steps, and one key of all that; `keys` has such a key for
# the values after each step.
table_origin <- function(x, call, parts = source_parts(rooted(x)$source, call)) {
  made_from <- c(engine_version, source_key(rooted(x)$source), parts$hash, vapply(rooted(x)$steps, key_of_step, ""))
  steps <- length(rooted(x)$steps)
  key_after <- function(k) rlang::hash(paste(utils::head(made_from, length(made_from) - steps + k), collapse = "\n"))
  list(parts = parts, looked_up = looked_up_parts(rooted(x)$steps), key = key_after(steps),
       keys = vapply(seq_len(steps), key_after, ""))
}

# The columns of the source that the steps need.
needed_columns <- function(x, call) {
  wanted <- rooted(x)$columns
  for (step in rev(rooted(x)$steps)) wanted <- step_needs(step, wanted)
  source_columns_of(x, wanted, call)
}

# In the order of the source; one at least, as it has the number of rows.
source_columns_of <- function(x, wanted, call) {
  all <- source_columns(rooted(x)$source, call)
  wanted <- all[all %in% wanted]
  if (length(wanted)) wanted else utils::head(all, 1)
}

# The keys of the columns, by all that each is made from.
table_keys <- function(x, parts, call) rooted(with_keys(x, parts, call))$keys

# The same table with the keys of its columns, and whose steps know those of what goes into them.
with_keys <- function(x, parts, call) {
  table <- rooted(x)
  keys <- source_keys(x, parts, needed_columns(x, call))
  cache <- column_cache()
  for (k in seq_along(table$steps)) {
    table$steps[[k]]$input_keys <- keys
    table$steps[[k]]$cache <- cache
    keys <- step_keys(table$steps[[k]], keys)
  }
  table$keys <- keys
  as_rooted_table(table)
}

source_keys <- function(x, parts, columns) {
  keys_in_rows(key_from(source_key(rooted(x)$source), parts$hash), stats::setNames(nm = columns))
}

# The values, calculated unless nothing has changed since the last look.
table_data <- function(x, call = NULL) {
  x <- current_table(x, call)
  there <- values_from_database(x, function(pushed) table_data(pushed, call), call)
  if (!is.null(there)) return(there)
  cache <- rooted(x)$cache
  origin <- table_origin(x, call)
  if (identical(cache$origin$key, origin$key)) return(cache$data)
  if (!is.null(cache$origin)) tell_what_changed(all_parts(cache$origin), all_parts(origin), length(typed_calls(x)))
  data <- calculated(x, origin, NULL, call)
  cache$data <- data
  cache$origin <- origin
  data
}

# Some of the columns, calculated by themselves. What checks look at is looked at all the same.
table_columns <- function(x, wanted, call) {
  x <- current_table(x, call)
  there <- values_from_database(x, function(pushed) table_columns(pushed, wanted, call), call)
  if (!is.null(there)) return(there)
  origin <- table_origin(x, call)
  if (identical(rooted(x)$cache$origin$key, origin$key)) return(rooted(x)$cache$data)
  calculated(x, origin, wanted, call)
}

# Where a few values make a column text, an error of types shows the first of them and where it stands.
with_place_of_text <- function(x, data, code) {
  withCallingHandlers(code, rowanroot_type_mismatch = function(e) tell_place_of_text(e, x, data),
                      rowanroot_formula_failed = function(e) tell_place_of_text(e, x, data))
}

tell_place_of_text <- function(e, x, data) {
  if (isTRUE(e$has_place)) return(invisible())
  for (name in named_in_message(names(data), conditionMessage(e))) {
    texts <- data[[name]]
    if (!is.character(texts)) next
    number <- suppressWarnings(as.numeric(texts))
    other <- which(is.na(number) & !is.na(texts))
    if (!length(other) || length(other) > length(texts) / 2) next
    value <- texts[other[1]]
    place <- source_place(rooted(x)$source, other[1], e$call)
    count <- length(other)
    e$has_place <- TRUE
    stop_with_line(e,
                   "found" = paste0("{.code {name}} is text because of {counted(count, 'value')}, first ",
                                    "{.val {value}}, in {place}."),
                   "try" = paste0("If {cli::qty(count)}{?it stands/they stand} for a missing value: ",
                                  "{.code open_table(\u2026, missing = c(\"\", \"NA\", {quoted(value)}))}."))
  }
}

# Those of the names that stand in a message as a whole.
named_in_message <- function(names, message) {
  words <- regmatches(message, gregexpr("[[:alnum:]._]+", message))[[1]]
  quoted <- vapply(names, function(name) grepl(paste0("`", name, "`"), message, fixed = TRUE), NA)
  names[names %in% words | quoted]
}

tell_what_changed <- function(before, now, steps) {
  what <- changed_parts(before, now)
  if (!length(what)) what <- "The script changed"
  others <- if (length(what) > 1) paste(" and", length(what) - 1, "more")
  again <- if (steps) paste(counted(steps, "step"), "calculated again") else "read again"
  note_that("{what[1]}{others}: {again}.", "recalculated")
}

#' @export
as.data.frame.rooted_table <- function(x, row.names = NULL, optional = FALSE, ...) table_data(x, quote(as.data.frame()))

#' @export
dim.rooted_table <- function(x) {
  there <- looked_at_in_database(x, function(relation, connection) c(count_in_database(relation, connection),
                                                                      length(relation$columns)))
  if (is.null(there)) dim(table_data(x)) else there
}

#' @export
dimnames.rooted_table <- function(x) dimnames(table_data(x))

#' @export
length.rooted_table <- function(x) length(rooted(x)$columns)

#' @export
names.rooted_table <- function(x) rooted(x)$columns

#' @export
`$.rooted_table` <- function(x, name) x[[name]]

#' @export
`[[.rooted_table` <- function(x, i, ...) {
  data <- table_data(x)
  if (is.character(i) && length(i) == 1 && !i %in% names(data)) stop_unknown_column(i, names(data), NULL)
  data[[i, ...]]
}

#' @export
`[.rooted_table` <- function(x, ...) table_data(x)[...]

#' @importFrom utils head
#' @export
head.rooted_table <- function(x, n = 6L, ...) {
  first <- if (is.numeric(n) && length(n) == 1 && !is.na(n) && n >= 0) {
    looked_at_in_database(x, function(relation, connection) first_in_database(relation, connection, n))
  }
  if (is.null(first)) utils::head(table_data(x), n, ...) else first
}

#' @export
summary.rooted_table <- function(object, ...) summary(table_data(object), ...)

open_frame <- function(x) new_rooted_table(new_frame_source(x, "a data frame"), names(x))

#' @export
origin_now.rooted_table <- function(x, call) {
  now <- current_table(x, call)
  c(table_origin(now, call), list(columns = rooted(now)$columns))
}


# A table whose steps lead back to itself is named once.
#' @export
canonical_value.rooted_table <- function(x) {
  cache <- rooted(x)$cache
  if (isTRUE(cache$is_named)) return("table()")
  on.exit(cache$is_named <- FALSE)
  cache$is_named <- TRUE
  paste0("table(", origin_now(x, NULL)$key, ")")
}

#' @export
opened_table.character <- function(x) if (length(x) == 1 && is.null(names(x)) && !is.na(x)) open_table(x) else x

# What has the wrong type is an error before the first step is run. What steps warn of they warn of when they are run.
check_types_of_steps <- function(steps, schema, call) {
  for (step in steps) {
    schema <- suppressWarnings(step_schema(step, schema, call))
    if (is.null(schema)) return(invisible())
  }
}
