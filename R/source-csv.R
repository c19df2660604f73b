# CSV files of one shape, as one table: the rows of one file after those of another, in the order of
# their names.

# What open_table() can be given about a file.
table_options <- function(separator = ",", decimal = ".", missing = c("", "NA"), comment = NULL, encoding = "UTF-8",
                          header = TRUE, names = NULL,
                        types = NULL, short = "error", long = "error", file_column = NULL, sheet = NULL, table = NULL) {
  list(separator = separator, decimal = decimal, missing = missing, comment = comment, encoding = encoding,
       header = header, names = names,
       types = types, short = short, long = long, file_column = file_column, sheet = sheet, table = table)
}

csv_types <- c("logical", "integer", "number", "integer64", "date", "time", "category", "text")

check_table_options <- function(options, call) {
  check_sign(options$separator, "separator", "{.code \",\"}, {.code \";\"} or {.code \"\\t\"}", call)
  check_sign(options$decimal, "decimal", "{.code \".\"} or {.code \",\"}", call)
  if (!is.null(options$comment)) check_sign(options$comment, "comment", "{.code \"#\"}", call)
  if (identical(options$separator, options$decimal)) {
    stop_because(c("{.arg separator} and {.arg decimal} can't be the same.",
                   "found" = "Both are {.code {one_line(options$separator)}}.",
                   "try" = "Files with a decimal comma usually have {.code separator = \";\"}."), "bad_argument", call)
  }
  if (!is.character(options$missing) || anyNA(options$missing)) {
    stop_because("{.arg missing} must be texts that stand for missing values, not {what_is(options$missing)}.",
                 "bad_argument", call)
  }
  check_one_of(options$encoding, csv_encodings, "encoding", call)
  check_flag(options$header, "header", call)
  check_one_of(options$short, c("error", "missing"), "short", call)
  check_one_of(options$long, c("error", "drop"), "long", call)
  check_names_given(options$names, "names", call)
  check_types(options$types, call)
  if (!is.null(options$file_column)) check_names_given(options$file_column, "file_column", call, only_one = TRUE)
  if (!options$header && is.null(options$names)) {
    stop_because(c("A file without a header needs {.arg names}.",
                   "try" = "{.code names = c(\"hive\", \"day\", \"gross_kg\")}"), "bad_argument", call)
  }
}

check_sign <- function(x, arg, such_as, call) {
  fine <- is.character(x) && length(x) == 1 && !is.na(x) && nchar(x, "bytes") == 1 && !x %in% c("\"", "\n", "\r")
  if (fine) return(invisible())
  stop_because(c(paste0("{.arg {arg}} must be one character, such as ", such_as, "."),
                 "found" = "It is {.code {one_line(x)}}."), "bad_argument", call)
}

check_names_given <- function(x, arg, call, only_one = FALSE) {
  if (is.null(x)) return(invisible())
  fine <- is.character(x) && length(x) > 0 && !anyNA(x) && all(nzchar(x)) && !anyDuplicated(x) &&
    (!only_one || length(x) == 1)
  if (fine) return(invisible())
  stop_because(paste0("{.arg {arg}} must be ",
                      "{if (only_one) 'the name of a column' else 'names of columns, each once'}, not ",
                      "{.code {one_line(x)}}."), "bad_argument", call)
}

check_types <- function(types, call) {
  if (is.null(types)) return(invisible())
  if (!is.character(types) || is.null(names(types)) || !all(nzchar(names(types))) || anyDuplicated(names(types))) {
    stop_because(c("{.arg types} must name a type for columns.",
                   "try" = "{.code types = c(hive = \"text\", day = \"date\")}"), "bad_argument", call)
  }
  for (type in unname(types)) check_one_of(type, csv_types, "types", call)
}

#' @export
source_columns.csv_source <- function(source, call) {
  file <- source_files(source, call)[1, ]
  names <- with_readable_files(source$options, file, function(paths) {
    header <- csv_header_cpp(paths, csv_format(source$options))
    if (!is.null(header$problem)) stop_csv_problem(header$problem, file$name, call)
    header$names
  }, call, only_header = TRUE)
  check_types_known(source$options$types, names, call)
  c(file_column_name(source$options$file_column, names, call), names)
}

# What the core needs to know of the format.
csv_format <- function(options) {
  list(separator = options$separator, decimal = options$decimal,
       comment = if (is.null(options$comment)) "" else options$comment,
       missing = in_utf8(options$missing), header = options$header, names = in_utf8(options$names),
       allows_short = options$short != "error", allows_long = options$long != "error")
}

check_types_known <- function(types, names, call) {
  unknown <- setdiff(names(types), names)
  if (length(unknown)) stop_unknown_column(unknown[1], names, call, "types")
}

file_column_name <- function(name, names, call) {
  if (!is.null(name) && name %in% names) {
    stop_because(c("{.arg file_column} must be a new name.",
                   "found" = "The files already have a column {.code {name}}."),
                 "bad_argument", call)
  }
  name
}

# The columns of all files, as a list of `values`, each with its type in `types`; and for each file its `rows`, all
# its `names`, and a row of `kinds`, what the values of each column could be.
read_csv_parts <- function(source, files, columns, call) {
  with_readable_files(source$options, files, function(paths) read_csv_files(paths, files$name, source$options,
      columns, call), call)
}

read_csv_files <- function(paths, names, options, columns, call) {
  opened <- open_csv_files(paths, names, options, call)
  c(read_columns(opened, columns, options$types, names, call, getOption("rowanroot.threads", 0L)),
    opened[c("rows", "names")])
}

# Several threads read pieces of about so many bytes: with what stands behind them these fill two large pages.
usual_piece_bytes <- 2^22 - 2^17

open_csv_files <- function(paths, names, options, call, piece_bytes = usual_piece_bytes) {
  opened <- csv_open_cpp(path.expand(paths), csv_format(options), piece_bytes, getOption("rowanroot.threads", 0L))
  if (!is.null(opened$problem)) stop_csv_problem(opened$problem, names[opened$problem$file], call)
  check_one_shape(opened$names, names, call)
  opened
}

# A column has the type that was asked for, or else that all of its values, in all files, can be read as: those that
# turn out not to be of the type that some rows have made likely are read again, unless a few numbers among whole ones
# are all that is different.
read_columns <- function(opened, names, types, files, call, threads) {
  columns <- guessed_columns(opened, names, types)
  open <- seq_along(columns)
  while (length(open)) {
    found <- csv_read_cpp(opened$files, lapply(columns[open], `[[`, "wanted"), list(), threads)
    if (!is.null(found$problem)) stop_csv_problem(found$problem, files[found$problem$file], call)
    for (n in seq_along(open)) {
      of_column <- lapply(found[c("misfits", "kinds", "values", "numbers", "file_kinds")], `[[`, n)
      columns[[open[n]]] <- column_as_found(columns[[open[n]]], of_column, files, call)
    }
    open <- which(!vapply(columns, `[[`, NA, "is_read"))
  }
  of_each <- function(part, model) vapply(columns, `[[`, model, part)
  list(values = stats::setNames(lapply(columns, `[[`, "values"), names),
       types = stats::setNames(of_each("type", ""), names),
       kinds = matrix(as.integer(unlist(lapply(columns, `[[`, "kinds"))), length(files), length(names),
                      dimnames = list(NULL, names)))
}

# Each column with its `type`, which may have been `asked` for, whether it has `few` different texts, and what is
# `wanted` of the core.
guessed_columns <- function(opened, names, types) {
  wanted <- columns_to_read(opened, names, types)
  guess <- csv_guess_cpp(opened$files, wanted)
  asked <- as.character(types)[match(names, base::names(types))]
  lapply(seq_along(names), function(k) {
    column <- list(name = names[k], is_asked = !is.na(asked[k]), few = guess$few[k], is_read = FALSE,
                   wanted = wanted[[k]])
    with_csv_type(column, if (column$is_asked) asked[k] else csv_type(guess$kinds[k]))
  })
}

with_csv_type <- function(column, type) {
  column$type <- type
  column$wanted$type <- type_to_read(type, column$few)
  column
}

# The column with its values, or with the type that it is to be read as next.
column_as_found <- function(column, found, files, call) {
  if (!is.null(found$misfits) && column$is_asked) stop_csv_misfit(found$misfits, column$name, column$type, files, call)
  is_fixed <- column$type %in% c("text", "category") || column$is_asked
  now <- if (is_fixed) column$type else csv_type(found$kinds)
  values <- if (now == column$type) found$values else if (now == "number") found$numbers
  if (!is.null(values)) {
    column[c("type", "values", "kinds")] <- list(now, as_csv_type(values, now), found$file_kinds)
    column$is_read <- TRUE
    return(column)
  }
  if (now == column$type) column$few <- FALSE
  with_csv_type(column, now)
}

# What the core needs to know of columns: where each is in each file, and its type, a number as long as nothing is
# known.
columns_to_read <- function(opened, names, types) {
  places <- matrix(vapply(opened$names, function(own) match(names, own), integer(length(names))), nrow = length(names))
  asked <- as.character(types)[match(names, base::names(types))] %in% c("text", "category")
  lapply(seq_along(names), function(k) list(type = if (asked[k]) "text" else "number", in_file = places[k, ]))
}

type_to_read <- function(type, is_few) {
  if (!type %in% c("text", "category")) type else if (is_few) "coded_text" else "text"
}

# The bits are those of the core's Kinds.
csv_type <- function(kinds) {
  if (kinds == 127L) return("logical")
  if (kinds == 63L) return("text")
  bits <- c(logical = 1L, integer = 2L, number = 4L, date = 8L, time = 16L, time = 32L)
  possible <- names(bits)[bitwAnd(bits, kinds) > 0]
  if (length(possible)) possible[1] else "text"
}

as_csv_type <- function(values, type) {
  switch(type,
    date = structure(values, class = "Date"),
    time = structure(values, class = c("POSIXct", "POSIXt"), tzone = "UTC"),
    integer64 = as_long(values),
    category = factor(values, levels = sort(unique(values), method = "radix")),
    values
  )
}

# Whole numbers of 64 bits, by their bits. R's functions know what they are only if bit64 is there.
as_long <- function(values) {
  check_package("bit64", "Whole numbers of 64 bits", NULL)
  structure(values, class = "integer64")
}

stop_csv_misfit <- function(misfit, column, type, files, call) {
  wanted <- c(logical = "TRUE or FALSE", integer = "a whole number", number = "a number",
              integer64 = "a whole number", date = "a date such as 2026-03-31",
              time = "a date-time such as 2026-03-31T12:00:00Z")[[type]]
  stop_because(c("{counted(misfit$count, 'value')} of {.code {column}} {cli::qty(misfit$count)}{?is/are} not {wanted}.",
                 "found" = "The first is {.val {misfit$value}}, on line {misfit$line} of {.file {files[misfit$file]}}.",
                 "try" = "Read it as text, {.code types = c({column} = \"text\")}, and convert it in a formula."),
               "csv", call, file = files[misfit$file], line = misfit$line, column = column, value = misfit$value,
                 problem = "misfit")
}

csv_problems <- list(
  too_many_fields = "Line {line} of {.file {file}} has {found} fields, and the header has {expected}.",
  too_few_fields = "Line {line} of {.file {file}} has {found} field{?s}, and the header has {expected}.",
  open_quote = "A quote that opens on line {line} of {.file {file}} is never closed.",
  text_after_quote = "On line {line} of {.file {file}}, text follows a closing quote.",
  nul_byte = "Line {line} of {.file {file}} has a NUL byte: it is no text.",
  not_utf8 = "Line {line} of {.file {file}} is not valid UTF-8.",
  empty_name = "Column {found} of {.file {file}} has no name in the header.",
  repeated_name = "Two columns of {.file {file}} are named {.code {value}}.",
  no_header = "{.file {file}} is empty: it has no header.",
  other_names = "{.file {file}} has {counted(found, 'column')}; {.arg names} names {expected}.",
  long_field = paste0("A field on line {line} of {.file {file}}, or what belongs to it, is longer than 2 GB. Is a ",
                      "quote missing?"),
  unreadable = "Can't read {.file {file}}: {value}."
)

csv_ways_out <- list(
  repeated_name = "Give the columns other names: {.code names = c(\u2026)}.",
  empty_name = "Name the columns by {.code names = c(\u2026)}.",
  too_many_fields = "A field that holds the separator must stand in quotes: {.code \"a,b\"}.",
  too_few_fields = "A missing value still needs its separator. Is the line, or the file, cut off?",
  text_after_quote = "A quote inside a quoted field is doubled: {.code \"a \"\"quoted\"\" word\"}.",
  not_utf8 = "If it is in another encoding, say so: {.code encoding = \"latin1\"}."
)

stop_csv_problem <- function(problem, file, call) {
  if (problem$kind == "changed") stop_changing_file(file, call)
  line <- problem$line
  found <- problem$found
  expected <- problem$expected
  value <- problem$value
  one_column <- problem$kind == "too_many_fields" && expected == 1
  way_out <- if (!one_column) csv_ways_out[[problem$kind]]
             else paste("The header has one column. Does another character than {.code ,} separate the fields?",
                        "Say so: {.code separator = \";\"}.")
  stop_because(c(csv_problems[[problem$kind]], "try" = way_out), "csv", call,
               file = file, line = line, problem = problem$kind)
}

#' @export
source_place.csv_source <- function(source, row, call) {
  files <- source_files(source, call)
  with_readable_files(source$options, files, function(paths) {
    at <- csv_line_cpp(open_csv_files(paths, files$name, source$options, call)$files, row)
    paste0(files$name[at[["file"]]], ", line ", at[["line"]])
  }, call)
}
