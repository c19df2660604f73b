# The formats of outputs by the end of their names.

output_formats <- list(
  csv = list(package = NULL, what = "CSV files", write = function(data, file, guard, call) write_csv_file(data, file,
      call, guard)),
  xlsx = list(package = "zip", what = "Workbooks", write = function(data, file, guard, call) write_workbook(data,
      file, guard, call)),
  parquet = list(package = "nanoparquet", what = "Parquet files",
                 write = function(data, file, guard, call) write_parquet_file(data, file, call)),
  jsonl = list(package = NULL, what = "JSON lines", write = function(data, file, guard, call) write_json_lines(data,
      file, call))
)

# Texts that a spreadsheet would run, after an apostrophe.
safe_for_sheets <- function(data) {
  with_columns(data, lapply(as.list(data), function(column) {
    if (is.factor(column)) column <- as.character(column)
    if (!is.character(column)) return(column)
    safe_text(column)
  }))
}

safe_text <- function(text) {
  risky <- grepl("^[=+@\t\r\n-]", text)
  text[risky] <- paste0("'", text[risky])
  text
}

stop_not_held <- function(format, name, what, hint, call) {
  stop_because(c("{format} can't hold the column {.code {name}}: it {what}.", "try" = hint), "cannot_write", call,
               column = name)
}

check_one_column <- function(column, format, name, call) {
  if (length(dim(column)) <= 1) return(invisible())
  what <- if (is.data.frame(column)) "a data frame" else "a matrix"
  shown <- if (length(colnames(column))) paste0(", with the columns ", listed(colnames(column)))
  stop_not_held(format, name, paste0("is ", what, shown),
                "Make a column of each, as in {.code c(a, b) <- {name}}, or remove it with {.code {name} <- NULL}.",
                call)
}

# Columns that are one value for each row: what is left are kinds of atomic vectors.
check_plain_columns <- function(data, format, call, refused = character()) {
  for (name in names(data)) {
    column <- data[[name]]
    bad <- if (!is.atomic(column) || length(dim(column)) > 1 || is.complex(column) ||
               is.raw(column)) "other" else intersect(class(column), refused)[1]
    if (is.na(bad)) next
    stop_not_held(format, name, paste("is", what_is(column)),
                  "Remove it with {.code {name} <- NULL}, or turn it into text.", call)
  }
}

check_finite <- function(values, format, name, call) {
  about <- about_doubles_cpp(values)
  if (about[["nan"]] || about[["infinite"]]) {
    stop_not_held(format, name, "has values that are infinite or not a number", "Make them missing, or text.", call)
  }
}

# What a format can't keep of some values: so many of them are changed.
warn_changed <- function(format, count, name, how, call) {
  if (!count) return(invisible())
  warn_because(c("{counted(count, 'value')} of {.code {name}} {cli::qty(count)}{?is/are} rounded: {format} {how}."),
               "rounded", call, column = name)
}
