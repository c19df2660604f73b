# The formats of outputs by the end of their names.

output_formats <- list(
  csv = list(package = NULL, what = "CSV files", write = function(data, file, guard, call) write_csv_file(data, file, call, guard)),
  xlsx = list(package = "writexl", what = "Workbooks", write = function(data, file, guard, call) write_workbook(data, file, guard, call)),
  parquet = list(package = "nanoparquet", what = "Parquet files", write = function(data, file, guard, call) write_parquet_file(data, file, call)),
  jsonl = list(package = NULL, what = "JSON lines", write = function(data, file, guard, call) write_json_lines(data, file, call))
)

# Texts that a spreadsheet would run, after an apostrophe.
safe_for_sheets <- function(data) {
  with_columns(data, lapply(as.list(data), function(column) {
    if (is.factor(column)) column <- as.character(column)
    if (!is.character(column)) return(column)
    risky <- grepl("^[=+@\t\r-]", column)
    if (any(risky)) column[risky] <- paste0("'", column[risky])
    column
  }))
}

stop_not_held <- function(format, name, what, hint, call) {
  stop_because(c("{format} can't hold the column {.code {name}}: it {what}.", "i" = hint), "cannot_write", call, column = name)
}

check_one_column <- function(column, format, name, call) {
  if (length(dim(column)) <= 1) return(invisible())
  what <- if (is.data.frame(column)) "a data frame" else "a matrix"
  shown <- if (length(colnames(column))) paste0(", with the columns ", listed(colnames(column)))
  stop_not_held(format, name, paste0("is ", what, shown), "Make a column of each, as in {.code c(a, b) <- {name}}, or remove it with {.code {name} <- NULL}.", call)
}

# Columns that are one value a row: what is left are kinds of atomic vectors.
check_plain_columns <- function(data, format, call, refused = character()) {
  for (name in names(data)) {
    column <- data[[name]]
    bad <- if (!is.atomic(column) || length(dim(column)) > 1 || is.complex(column) || is.raw(column)) "other" else intersect(class(column), refused)[1]
    if (is.na(bad)) next
    stop_not_held(format, name, paste("is", what_is(column)), "Remove it with {.code {name} <- NULL}, or turn it into text.", call)
  }
}

check_finite <- function(values, format, name, call) {
  if (any(is.nan(values) | is.infinite(values))) stop_not_held(format, name, "has values that are infinite or not a number", "Make them missing, or text.", call)
}

largest_sheet <- c(rows = 1048575, columns = 16384, characters = 32767)

write_workbook <- function(data, file, guard, call) {
  check_plain_columns(data, "A workbook", call, c("integer64", "difftime"))
  if (nrow(data) > largest_sheet[["rows"]] || length(data) > largest_sheet[["columns"]]) {
    stop_because(c("A sheet holds at most {format(largest_sheet[['rows']], big.mark = ',')} rows and {format(largest_sheet[['columns']], big.mark = ',')} columns.",
                   "x" = "The table has {counted_rows(nrow(data))} and {counted(length(data), 'column')}.", "i" = "Save it as {.code .csv} or {.code .parquet}."), "cannot_write", call)
  }
  if (guard) data <- safe_for_sheets(data)
  for (name in names(data)) check_sheet_column(data[[name]], name, call)
  data <- as.data.frame(lapply(as.list(data), function(column) if (is.factor(column)) as.character(column) else column), optional = TRUE, stringsAsFactors = FALSE)
  writexl::write_xlsx(data, file, format_headers = FALSE)
}

check_sheet_column <- function(column, name, call) {
  if (is.character(column) || is.factor(column)) {
    size <- nchar(if (is.factor(column)) levels(column) else column, "chars", allowNA = TRUE)
    if (any(size > largest_sheet[["characters"]], na.rm = TRUE)) stop_not_held("A workbook", name, "has a text of more than 32,767 characters", "Save the table as {.code .csv}.", call)
  }
  if (!is.double(column)) return(invisible())
  values <- unclass(column)
  check_finite(values, "A workbook", name, call)
  known <- values[!is.na(values)]
  changed <- sum(as.numeric(sprintf("%.15g", known)) != known)
  if (changed && !is.object(column)) {
    warn_because(c("A workbook keeps 15 digits: {counted(changed, 'value')} of {.code {name}} {cli::qty(changed)}{?is/are} rounded.", "i" = "CSV and Parquet files are exact."),
                 "rounded", call, column = name)
  }
}
