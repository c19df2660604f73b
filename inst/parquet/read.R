# Reads Parquet files in a process of its own: a damaged file may end it, and not the session that asked. Arguments: a file that says what
# to read, one to write the values to, and one that says which file is being read.
arguments <- commandArgs(TRUE)
asked <- readRDS(arguments[1])
.libPaths(asked$libraries)
# Of few different texts each goes once, with the number of that of each row.
few_texts <- function(column) {
  if (!is.character(column) || is.object(column)) return(column)
  different <- unique(column)
  if (length(different) > length(column) / 2) return(column)
  structure(list(codes = match(column, different), texts = different), class = "few_texts")
}
read_one <- function(path) {
  about <- nanoparquet::read_parquet_metadata(path)
  of_file <- about$file_meta_data$key_value_metadata[[1]]
  data <- nanoparquet::read_parquet(path, options = nanoparquet::parquet_options(read_int64_type = "integer64"))
  schema <- about$schema[-1, ]
  list(columns = lapply(as.list(data), few_texts), rows = nrow(data), rows_told = about$file_meta_data$num_rows, kept = of_file$value[of_file$key == "rowanroot"],
       names = schema$name, logical = lapply(schema$logical_type, unclass), converted = schema$converted_type)
}
tables <- list()
for (k in seq_along(asked$paths)) {
  writeLines(as.character(k), arguments[3])
  tables[[k]] <- tryCatch(read_one(asked$paths[k]), error = function(e) list(error = conditionMessage(e)))
  if (!is.null(tables[[k]]$error)) break
}
connection <- file(paste0(arguments[2], ".part"), "wb")
serialize(tables, connection, xdr = FALSE)
close(connection)
invisible(file.rename(paste0(arguments[2], ".part"), arguments[2]))
