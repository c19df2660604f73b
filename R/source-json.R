# JSON lines: a file with an object of single values on each line. Types are JSON's own; texts that are all ISO 8601
# dates or times are such, as in CSV. Types are those of all files together.

# The bits are those of the core's JsonKind.
json_kinds <- c(logical = 1L, integer = 2L, long = 4L, longer = 8L, real = 16L, too_large = 32L, text = 64L,
                date = 128L, moment = 256L, clock = 512L)

# What values of a column of each type may be.
json_fits <- list(logical = "logical", integer = "integer", number = c("integer", "long", "real"),
                  integer64 = c("integer", "long", "longer"), date = "date",
                  time = c("moment", "clock"), category = c("text", "date", "moment", "clock"),
                    text = c("text", "date", "moment", "clock"))

#' @export
read_files.jsonl_source <- function(source, files, columns, call) {
  check_types(source$options$types, call)
  opened <- with_readable_files(source$options, files,
                                function(paths) Map(function(path, name) open_json(path, name, call), paths,
                                                    files$name), call)
  opened <- unname(opened)
  rows <- vapply(opened, `[[`, 0, "rows")
  # A file without a line has no rows, whatever the columns.
  filled <- opened[rows > 0]
  if (!length(filled)) stop_json(list(problem = "no_lines", line = 0), files$name[1], call)
  check_one_shape(lapply(filled, `[[`, "names"), files$name[rows > 0], call)
  check_types_known(source$options$types, filled[[1]]$names, call)
  values <- lapply(stats::setNames(nm = filled[[1]]$names),
                   function(name) json_column(filled, name, source$options$types[name], files$name[rows > 0], call))
  data <- structure(values, row.names = .set_row_names(sum(rows)), class = "data.frame")
  with_file_column(data, source, files$name, rows, call)
}

open_json <- function(path, name, call) {
  opened <- json_open_cpp(path.expand(path))
  if (!is.null(opened$problem)) stop_json(opened, name, call)
  opened
}

json_column <- function(opened, name, asked, files, call) {
  at <- vapply(opened, function(file) match(name, file$names), 0L)
  kinds <- mapply(function(file, k) file$kinds[k], opened, at)
  has <- function(kind) bitwAnd(kinds, json_kinds[[kind]]) > 0
  found <- names(json_kinds)[vapply(names(json_kinds), function(kind) any(has(kind)), NA)]
  first_of <- function(kind) {
    file <- which(has(kind))[1]
    c(json_first_cpp(opened[[file]]$lines, at[file], json_kinds[[kind]]), file = files[file])
  }
  type <- if (is.null(asked) || is.na(asked)) json_type(found) else asked
  # Anything can be had as text, as it is written.
  fits <- if (identical(unname(asked), "text")) found else json_fits[[type]]
  misfits <- setdiff(found, fits)
  if (length(misfits)) {
    fitting <- if (is.null(asked) || is.na(asked)) utils::head(intersect(found, fits), 1)
    stop_json_misfit(name, type, first_of(misfits[1]), if (length(fitting)) first_of(fitting), misfits[1], call)
  }
  read_as <- if (type == "category") "text" else type
  parts <- Map(function(file, k) json_column_cpp(file$lines, k, read_as), opened, at)
  as_csv_type(if (length(parts) == 1) parts[[1]] else joined_as_plain(parts), type)
}

# The type of a column with values of these kinds: that of the first sort of them, if there are several.
json_type <- function(found) {
  if (!length(found) || found[1] == "logical") return("logical")
  if (found[1] %in% c("integer", "long", "longer", "real", "too_large")) {
    if ("longer" %in% found && !"real" %in% found) return("integer64")
    return(if (identical(found, "integer")) "integer" else "number")
  }
  if (identical(found, "date")) "date" else if (identical(found, "moment") ||
                                                identical(found, "clock")) "time" else "text"
}

stop_json_misfit <- function(name, type, misfit, other, kind, call) {
  words <- c(logical = "TRUE or FALSE", integer = "whole numbers", number = "numbers",
             integer64 = "whole numbers of 64 bits", date = "dates such as 2026-03-31",
             time = "date-times such as 2026-03-31T12:00:00Z", category = "text", text = "text")
  why <- switch(kind,
    too_large = "It has more digits than a number can keep.",
    longer = "A whole number of this size is not exact beside numbers with decimals."
  )
  stop_because(c("The values of {.code {name}} are not all {words[[type]]}.",
                 "found" = "{.val {misfit$value}} is not, on line {misfit$line} of {.file {misfit$file}}. {why}",
                 "found" = if (length(other) &&
                           is.null(why)) "{.val {other$value}} is, on line {other$line} of {.file {other$file}}.",
                 "try" = "Give them one type in the file, or read all as text: {.code types = c({name} = \"text\")}."),
               "unreadable_file", call, file = misfit$file, line = misfit$line, column = name, value = misfit$value)
}

json_problems <- list(
  no_object = "Line {line} of {.file {file}} is not a JSON object.",
  syntax = "Line {line} of {.file {file}} is not JSON.",
  more_than_object = "Line {line} of {.file {file}} has something after its object.",
  open_quote = "A text on line {line} of {.file {file}} is never closed.",
  empty_name = "Line {line} of {.file {file}} has a value without a name.",
  repeated_name = "Line {line} of {.file {file}} has {.code {value}} twice.",
  nested = "The value of {.code {value}} on line {line} of {.file {file}} has parts of its own.",
  nul = "A text on line {line} of {.file {file}} has the character U+0000, which R can't hold.",
  half_character = "A text on line {line} of {.file {file}} has half of a character.",
  control = paste0("A text on line {line} of {.file {file}} has a control character, which JSON writes as ",
                   "{.code \\u001f} or the like."),
  not_utf8 = "Line {line} of {.file {file}} is not valid UTF-8.",
  long_text = "A text on line {line} of {.file {file}} is longer than 2 GB.",
  no_lines = "{.file {file}} has no lines, so it has no columns.",
  unreadable = "Can't read {.file {file}}: {value}."
)

json_ways_out <- list(
  no_object = "Each line holds one object: {.code {{\"hive\": \"NB-01\", \"gross_kg\": 31}}}.",
  syntax = "Each line holds one object: {.code {{\"hive\": \"NB-01\", \"gross_kg\": 31}}}.",
  nested = "Each line must hold one value for each name.",
  empty_name = "Name each value: {.code {{\"hive\": \"NB-01\"}}}.",
  repeated_name = "Each name stands once in a line."
)

stop_json <- function(problem, file, call) {
  kind <- problem$problem
  class <- if (kind == "nested") "nested_values" else "unreadable_file"
  line <- problem$line
  value <- problem$value
  stop_because(c(json_problems[[kind]], "try" = json_ways_out[[kind]]), class, call, file = file, line = line,
               problem = kind, column = if (kind == "nested") value)
}

#' @export
source_place.jsonl_source <- function(source, row, call) {
  files <- source_files(source, call)
  with_readable_files(source$options, files, function(paths) {
    for (k in seq_along(paths)) {
      opened <- open_json(paths[k], files$name[k], call)
      if (row <= opened$rows) return(paste0(files$name[k], ", line ", json_line_cpp(opened$lines, row)))
      row <- row - opened$rows
    }
  }, call)
}
