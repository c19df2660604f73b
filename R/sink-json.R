# JSON: lines of objects as outputs, and what the command prints for other programs. Numbers are exact.

write_json_lines <- function(data, file, call) {
  check_plain_columns(data, "JSON", call, "difftime")
  columns <- Map(function(column, name) json_values(column, name, call), as.list(data), names(data))
  if (!nrow(data) && length(data)) {
    warn_because(c(paste0("JSON lines name their columns in each row: a table without rows gives an empty file, ",
                          "without columns."),
                   "try" = "CSV and Parquet files keep the columns."), "columns_lost", call)
  }
  problem <- json_write_cpp(unname(columns), in_utf8(names(data)), nrow(data), path.expand(file))
  if (nzchar(problem)) stop_cannot_write(file, problem, call)
}

json_values <- function(column, name, call) {
  if (inherits(column, "integer64")) return(column)
  if (inherits(column, "Date")) return(writable_dates(column, "JSON", name, call))
  if (inherits(column, "POSIXt")) {
    return(shown_once(column, function(values) iso_text(values, "JSON", name, call)))
  }
  if (is.double(column)) check_finite(unclass(column), "JSON", name, call)
  if (is.factor(column) || is.character(column) || is.object(column)) {
    return(writable_texts(as.character(column), name, call))
  }
  as.vector(column)
}

# A value as JSON text: lists, vectors of one value as that value, data frames as rows. All numbers read back as the
# same.
json_text <- function(x) {
  structure(jsonlite::toJSON(ready_for_json(x), na = "null", null = "null", auto_unbox = TRUE, json_verbatim = TRUE,
                             pretty = TRUE), class = "character")
}

# The numbers of a value as text that stands for itself, and dates as text.
ready_for_json <- function(x) {
  if (is.data.frame(x)) {
    return(lapply(seq_len(nrow(x)), function(row) lapply(as.list(x), function(column) ready_for_json(column[[row]]))))
  }
  if (is.list(x)) return(lapply(x, ready_for_json))
  if (inherits(x, "Date") || inherits(x, "POSIXt")) {
    return(iso_texts_cpp(as.numeric(as_point_in_time(x)), inherits(x, "Date")))
  }
  if (!is.double(x) || is.object(x) && !inherits(x, "integer64")) return(if (is.object(x)) as.character(x) else x)
  texts <- shortest_texts_cpp(x)
  texts[is.infinite(unclass(x)) & !inherits(x, "integer64")] <- NA
  texts[is.na(texts)] <- "null"
  if (length(texts) == 1) structure(texts, class = "json") else structure(paste0("[", paste(texts, collapse = ", "),
      "]"), class = "json")
}

as_point_in_time <- function(x) if (inherits(x, "POSIXlt")) as.POSIXct(x) else x
