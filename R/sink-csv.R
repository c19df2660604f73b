# A data frame as a CSV file: exact numbers, ISO dates, missing values as nothing.

write_csv_file <- function(data, path, call) {
  columns <- Map(function(column, name) csv_column(column, name, call), data, names(data))
  problem <- csv_write_cpp(unname(columns), in_utf8(names(data)), nrow(data), path.expand(path), ",")
  if (nzchar(problem)) stop_because(c("Can't write {.file {path}}.", "x" = "The system said: {problem}."), "cannot_write", call)
}

# A column as a plain vector that the core can write.
csv_column <- function(column, name, call) {
  if (is.factor(column)) return(in_utf8(as.character(column)))
  if (inherits(column, "Date")) return(format(column, "%Y-%m-%d"))
  if (inherits(column, "POSIXt")) return(iso_time(column))
  if (is.character(column)) return(in_utf8(column))
  if (is.object(column) && is.atomic(column) && !inherits(column, "difftime")) return(in_utf8(as.character(column)))
  if (is.numeric(column) || is.logical(column)) return(as.vector(unclass(column)))
  stop_because(c("A CSV file can't hold the column {.code {name}}: it is {what_is(column)}.",
                 "i" = "Remove it with {.code {name} <- NULL}, or turn it into text."), "cannot_write", call, column = name)
}

# The moment in UTC, to the microsecond if it has a fraction of a second.
iso_time <- function(time) {
  seconds <- unclass(as.POSIXct(time))
  format <- if (any(seconds != floor(seconds), na.rm = TRUE)) "%Y-%m-%dT%H:%M:%OS6Z" else "%Y-%m-%dT%H:%M:%SZ"
  format(as.POSIXct(time), format, tz = "UTC")
}
