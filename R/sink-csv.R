# A data frame as a CSV file: exact numbers, ISO dates, missing values as nothing.

# Gives where chunks of rows begin in the file; none has rows of two parts, which have so many `rows`.
write_csv_file <- function(data, path, call, guard = FALSE, rows = nrow(data)) {
  written <- write_csv(data, names(data), path, call, guard, rows)
  if (nzchar(written$problem)) stop_cannot_write(path, written$problem, call)
  written$places
}

# Values as a CSV file has them.
texts_for_csv <- function(values, name, call) {
  written <- csv_column(values, name, call)
  if (inherits(written, "Date")) return(iso_text(written, "A CSV file", name, call))
  if (is.double(written)) shortest_texts_cpp(written) else as.character(written)
}

# Columns that an older file of the same rows has are copied from there as text: `data` has the others. NULL if that
# file turns out to be another one.
write_csv_again <- function(data, older, path, call, guard) {
  fields <- match(older$columns, older$fields, 0L) * (older$columns %in% older$same)
  written <- write_csv(data, older$columns, path, call, guard, older$rows, older, seq_along(older$rows), fields)
  places_if_same(written, older)
}

# The same for rows: parts are copied from those of the older file that `from` says, and `data` has the rows of the
# others, where that is 0.
write_csv_parts <- function(data, older, rows, from, path, call, guard) {
  written <- write_csv(data, older$fields, path, call, guard, rows, older, from)
  places_if_same(written, older)
}

# Nobody may have changed the file while it was read.
places_if_same <- function(written, older) {
  if (!nzchar(written$problem) && identical(file_hashes(older$path), older$record$written)) written$places
}

# Rows behind those that are in the file.
append_to_csv <- function(data, path, call, guard) {
  written <- write_csv(data, names(data), path, call, guard, nrow(data), append = TRUE)
  if (nzchar(written$problem)) stop_cannot_write(path, written$problem, call)
}

write_csv <- function(data, names, path, call, guard, rows, older = NULL, from = NULL, fields = integer(length(names)),
                      append = FALSE) {
  if (guard) data <- safe_for_sheets(data)
  copied <- if (is.null(older)) list() else list(path = path.expand(older$path), places = older$places,
                                                 fields = length(older$fields), rows = as.numeric(older$rows),
                                                 from = as.integer(from))
  values <- unclass(data)[match(names, base::names(data))]
  columns <- Map(function(column, name, field) if (!field) csv_column(column, name, call), values, names, fields)
  csv_write_cpp(unname(columns), in_utf8(if (guard) safe_text(names) else names), as.numeric(rows), path.expand(path),
                ",", as.integer(fields), copied, append, getOption("rowanroot.threads", 0L))
}

# A column as a plain vector that the core can write.
csv_column <- function(column, name, call) {
  if (is.factor(column)) return(writable_texts(coded_texts_cpp(as.vector(unclass(column)), levels(column)), name, call))
  check_one_column(column, "A CSV file", name, call)
  if (inherits(column, "Date")) return(writable_dates(column, "a CSV file", name, call))
  if (inherits(column, "POSIXt")) {
    return(shown_once(column, function(values) iso_text(values, "A CSV file", name, call)))
  }
  if (is.character(column)) return(writable_texts(as.vector(column), name, call))
  if (is.object(column) && is.atomic(column) && !inherits(column, "difftime")) {
    return(writable_texts(as.character(column), name, call))
  }
  if (is.numeric(column) || is.logical(column)) return(as.vector(unclass(column)))
  stop_because(c("A CSV file can't hold the column {.code {name}}: it is {what_is(column)}.",
                 "try" = if (inherits(column,
                                    "difftime")) paste0("Make it a number of days, hours or minutes: ",
                                                        "{.code time_between(from, to, \"days\")}.")
                       else "Remove it with {.code {name} <- NULL}, or turn it into text."), "cannot_write", call,
                         column = name)
}

# As doubles, of the years 0 to 9999.
writable_dates <- function(column, format, name, call) {
  about <- warn_of_parts_of_days(column, format, name, call)
  if (about[["least"]] < -719528 || about[["greatest"]] >= 2932897) {
    stop_not_held_date(upper_first(format), name, call)
  }
  if (is.double(column)) column else structure(as.numeric(column), class = "Date")
}

stop_not_held_date <- function(format, name, call) {
  stop_not_held(format, name, "has dates or times outside of the years 0 to 9999", "Make them missing, or text.", call)
}

# Of few different texts these are looked at, and strings that are yet to be made need not be.
writable_texts <- function(column, name, call) {
  if (are_deferred_cpp(column)) return(column)
  coded <- coded_parts_cpp(column)
  texts <- if (is.null(coded)) list(values = column) else list(values = coded$texts, of_row = coded$of_row)
  refuse <- function(rows, call) {
    stop_because(c("Can't write the column {.code {name}}: its text in row {rows[1]} is not UTF-8.",
                   "try" = paste0("If it is Latin-1, translate it first: ",
                                "{.code {name} <- iconv({name}, \"latin1\", \"UTF-8\")}.")),
                 "bad_text", call, column = name, rows = rows)
  }
  at_rows(texts_in_utf8(texts, call, refuse)$values, texts)
}

# Dates are whole days in all formats. Gives what there is to know of them.
warn_of_parts_of_days <- function(column, format, name, call) {
  about <- about_days_cpp(column)
  warn_changed(format, about[["parts"]], name, "keeps whole days", call)
  invisible(about)
}

# Each different value as text.
shown_once <- function(column, show) {
  column <- as_point_in_time(column)
  different <- unique(column)
  coded_texts_cpp(match(unclass(column), unclass(different)), show(different))
}

# Dates, and moments of Universal Time, as the shortest text that reads back as the same.
iso_text <- function(values, format, name, call) {
  text <- iso_texts_cpp(as.numeric(values), inherits(values, "Date"))
  if (any(text == "", na.rm = TRUE)) stop_not_held_date(format, name, call)
  text
}
