# Parquet files, by nanoparquet. It changes in silence what its types can't hold: such values are looked for before,
# and refused or counted.

write_parquet_file <- function(data, file, call) {
  check_plain_columns(data, "A Parquet file", call)
  columns <- Map(function(column, name) parquet_values(column, name, call), as.list(data), names(data))
  of <- function(is_so) names(columns)[vapply(columns, is_so, NA)]
  kept <- list(ordered = of(is.ordered), levels = lapply(Filter(is.factor, columns), levels),
               long = of(function(column) inherits(column, "integer64")),
               zones = lapply(Filter(function(column) inherits(column, "POSIXct") && !is.null(attr(column, "tzone")),
                                     columns), attr, "tzone"),
               units = lapply(Filter(function(column) inherits(column, "difftime"), columns), units))
  # A dictionary has one zero only.
  has_two_zeros <- of(function(column) is.double(column) && !is.object(column) &&
                      any(column == 0 & 1 / column < 0, na.rm = TRUE))
  encoding <- if (length(has_two_zeros)) stats::setNames(rep("PLAIN", length(has_two_zeros)), has_two_zeros)
  frame <- structure(columns, names = in_utf8(names(data)), row.names = .set_row_names(nrow(data)),
                     class = "data.frame")
  tryCatch(
    nanoparquet::write_parquet(frame, file, compression = "snappy", encoding = encoding,
                               metadata = c(rowanroot = as.character(jsonlite::toJSON(kept)))),
    error = function(e) stop_because(c("Can't write {.file {file}}.",
                                       "found" = "The writer's message: {one_text(conditionMessage(e))}"),
                                         "cannot_write",
                                     call, parent = e)
  )
}

parquet_values <- function(column, name, call) {
  if (is.factor(column)) {
    levels(column) <- writable_texts(levels(column), name, call)
    return(column)
  }
  if (is.character(column)) return(as.vector(writable_texts(as.vector(column), name, call)))
  if (inherits(column, "Date")) return(parquet_days(column, name, call))
  if (inherits(column, "POSIXt")) return(parquet_moments(as_point_in_time(column), name, call))
  if (inherits(column, "difftime")) return(parquet_durations(column, name, call))
  if (inherits(column, "integer64")) return(column)
  if (is.object(column)) return(writable_texts(as.character(column), name, call))
  as.vector(column)
}

parquet_days <- function(column, name, call) {
  days <- as.numeric(column)
  if (any(is.infinite(days)) || any(abs(days) >= 2^31, na.rm = TRUE)) {
    stop_not_held("A Parquet file", name, "has dates that are infinite or too far away",
                  "Make them missing, or text.", call)
  }
  warn_of_parts_of_days(column, "a Parquet file", name, call)
  column
}

# Whole microseconds are kept. They are cut, not rounded, when they are written: so each is put between two of them.
parquet_moments <- function(column, name, call) {
  seconds <- as.numeric(column)
  if (any(is.infinite(seconds)) || any(abs(seconds) >= 9e12, na.rm = TRUE)) {
    stop_not_held("A Parquet file", name, "has times that are infinite or too far away",
                  "Make them missing, or text.", call)
  }
  micros <- round(seconds * 1e6)
  warn_changed("a Parquet file", sum(micros / 1e6 != seconds, na.rm = TRUE), name, "keeps microseconds", call)
  between <- (micros + 0.25 * sign(micros)) / 1e6
  is_cut_right <- trunc(between * 1e6) == micros
  structure(ifelse(is_cut_right %in% TRUE, between, seconds), class = c("POSIXct", "POSIXt"),
            tzone = attr(column, "tzone"))
}

parquet_durations <- function(column, name, call) {
  seconds <- as.numeric(column, units = "secs")
  if (any(is.infinite(seconds)) || any(abs(seconds) >= 9e9, na.rm = TRUE)) {
    stop_not_held("A Parquet file", name, "has durations of more than 285 years",
                  "Make them numbers, in a unit of your choice.", call)
  }
  back <- structure(trunc(seconds * 1e9) / 1e9, units = "secs", class = "difftime")
  units(back) <- units(column)
  warn_changed("a Parquet file", sum(as.numeric(back) != as.numeric(column), na.rm = TRUE), name,
               "keeps nanoseconds", call)
  column
}
