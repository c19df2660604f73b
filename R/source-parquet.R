# Parquet files, by nanoparquet. What is not exact in R's types is refused; what Parquet has no type for is stored
# beside the values in the file, under our name.

#' @export
read_files.parquet_source <- function(source, files, columns, call) {
  tables <- read_parquet_files(files, call)
  check_one_shape(lapply(tables, function(table) names(table$columns)), files$name, call)
  rows <- vapply(tables, function(table) as.numeric(table$rows), 0)
  columns <- lapply(stats::setNames(nm = names(tables[[1]]$columns)), function(name) {
    parts <- lapply(tables, function(table) table$columns[[name]])
    is_long <- vapply(tables, function(table) name %in% table$long, NA)
    put_files_below(settle_long(parts, any(is_long)), name, files$name, function(file, row) paste("row", row), call)
  })
  data <- structure(columns, row.names = .set_row_names(sum(rows)), class = "data.frame")
  with_file_column(data, source, files$name, rows, call)
}

# Whole numbers of 64 bits that doubles hold exactly are doubles, unless they were written as what they are.
settle_long <- function(parts, is_long) {
  of_long <- vapply(parts, inherits, NA, "integer64")
  fits <- function(part) all(abs(suppressWarnings(bit64::as.double.integer64(part))) < 2^53, na.rm = TRUE)
  if (!any(of_long) || is_long || !all(vapply(parts[of_long], fits, NA))) return(parts)
  parts[of_long] <- lapply(parts[of_long], bit64::as.double.integer64)
  parts
}

read_parquet_files <- function(files, call) {
  given <- tempfile(c("asked", "values", "at"))
  on.exit(remove_files(given))
  saveRDS(list(paths = normalizePath(files$path), libraries = .libPaths()), given[1])
  said <- system2(file.path(R.home("bin"), "Rscript"), shQuote(c("--vanilla", parquet_reader(), given)),
                  stdout = TRUE, stderr = TRUE) |> suppressWarnings()
  if (!file.exists(given[2])) {
    at <- if (file.exists(given[3])) as.integer(readLines(given[3], warn = FALSE)) else 1L
    stop_because(c("Can't read {.file {files$name[at]}}: it is damaged.",
                   "found" = "The program that reads it stopped.",
                   "found" = if (length(said)) "Its message: {utils::tail(said, 1)}"),
                 "unreadable_file", call, file = files$name[at])
  }
  connection <- file(given[2], "rb")
  on.exit(close(connection), add = TRUE)
  tables <- unserialize(connection)
  # One that can't be read is the last.
  Map(function(table, name) parquet_table(table, name, call), tables, files$name[seq_along(tables)])
}

# The script that the other process runs.
parquet_reader <- function() system.file("parquet", "read.R", package = "rowanroot")

# What was read of one file, with what is kept beside it put back, and checked for what was lost.
parquet_table <- function(table, name, call) {
  if (!is.null(table$error)) {
    if (says_no_memory(simpleError(table$error))) stop_no_memory(table$error, NULL)
    # Without paths, and places in another's code.
    said <- trimws(gsub("(, invalid Parquet file| Parquet file)? ?(at )?'[^']*'|@ lib/[^ ]*", "",
                        one_text(table$error)))
    stop_because(c("Can't read {.file {name}}: it is damaged, or not a Parquet file.",
                   "found" = "The reader's message: {said}"), "unreadable_file", call, file = name)
  }
  if (!identical(as.numeric(table$rows), as.numeric(table$rows_told))) {
    stop_because(paste0("Can't read {.file {name}}: it is damaged. It should have {table$rows_told} rows, but ",
                        "has {table$rows}."), "unreadable_file", call, file = name)
  }
  kept <- if (length(table$kept)) tryCatch(jsonlite::fromJSON(table$kept[1], simplifyVector = FALSE),
                                           error = function(e) NULL)
  for (column in names(table$columns)) {
    at <- match(column, table$names)
    table$columns[[column]] <- parquet_column(table$columns[[column]], column, kept, table$logical[[at]],
                                              table$converted[at], name, call)
  }
  table$long <- unlist(kept$long)
  table
}

# A column as it was saved, or as its types in the file say; `kept` is what save_table() noted of columns.
parquet_column <- function(values, column, kept, logical, converted, file, call) {
  refuse <- function(what, hint = NULL) {
    stop_because(c("The column {.code {column}} of {.file {file}} {what}.", "try" = hint), "unreadable_file", call,
                 file = file, column = column)
  }
  if (inherits(values, "few_texts")) values <- parquet_texts(values, refuse)
  check_parquet_values(values, logical, refuse)
  if (inherits(values, "integer64")) return(as_long(values))
  if (inherits(values, "Date")) return(structure(as.numeric(values), class = "Date"))
  levels <- kept$levels[[column]]
  is_ordered <- column %in% unlist(kept$ordered)
  if (!is.null(levels) && (is.factor(values) || is.character(values))) {
    return(factor(as.character(values), levels = as.character(unlist(levels)), ordered = is_ordered))
  }
  if (is_ordered) values <- factor(values, ordered = TRUE)
  zone <- kept$zones[[column]]
  if (inherits(values, "POSIXct")) attr(values, "tzone") <- if (is.null(zone)) "UTC" else unlist(zone)
  if (inherits(values, "difftime") && !is.null(kept$units[[column]])) units(values) <- unlist(kept$units[[column]])
  values
}

# Few different texts come as these and their numbers.
parquet_texts <- function(values, refuse) {
  texts <- values$texts
  if (!all(validUTF8(texts[!is.na(texts)]))) refuse("has text that is not valid UTF-8")
  codes <- if (anyNA(texts)) replace(values$codes, values$codes == which(is.na(texts)), NA) else values$codes
  coded_texts_cpp(codes, texts)
}

# What R's types can't hold exactly is refused.
check_parquet_values <- function(values, logical, refuse) {
  if (is.list(values)) refuse("holds bytes, lists or records, not single values")
  of <- logical$type
  if (inherits(values, "integer64") && identical(of, "INT") && isFALSE(logical$is_signed)) {
    if (any(is.na(values) | values < 0)) refuse("has whole numbers without a sign that may be too large for R")
  }
  if (identical(of, "DECIMAL") && is.double(values) && !all(abs(values) * 10^logical$scale < 2^53, na.rm = TRUE)) {
    refuse("has decimal numbers of more than 15 digits, which would be rounded", "Write them as text, or as doubles.")
  }
  if (!is.character(values) && !is.factor(values)) return(invisible())
  wrong <- which(!validUTF8(if (is.factor(values)) levels(values) else values))
  if (!length(wrong)) return(invisible())
  if (is.factor(values)) refuse("has a category that is not valid UTF-8")
  refuse(paste0("has text that is not valid UTF-8, in row ", wrong[1]))
}
