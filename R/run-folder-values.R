# Folders as outputs with a file for each value of a column.

tables_of_values <- function(target, x, call) {
  data <- table_data(x, call)
  column <- data[[target$parts]]
  check_one_column(column, "The name of a file", target$parts, call)
  check_not_missing(column, target$parts, call)
  numbers <- numbered_values(column, call)
  count <- length(numbers$different)
  if (count > target$most) {
    stop_because(c("{.code {target$parts}} has {counted(count, 'value')}, and there would be a file for each.",
                   "found" = "At most {counted(target$most, 'file')} {cli::qty(target$most)}{?is/are} allowed.",
                   "try" = "If so many are wanted, write {.code parts_most = {format(count, scientific = FALSE)}}."),
                 "too_many_parts", call, column = target$parts, values = count)
  }
  names <- names_of_values(numbers$different, target$parts, call)
  at <- order(names, method = "radix")
  rows <- split(seq_along(numbers$of_row), factor(numbers$of_row, at - 1L))
  list(data = data, rows = stats::setNames(rows, paste0(names[at], rep(".csv", length(at)))), same = no_files)
}

check_not_missing <- function(column, name, call) {
  missing <- which(is.na(column) | (is.character(column) & column %in% ""))
  if (!length(missing)) return(invisible())
  stop_because(c(paste("{counted_rows(length(missing))} {cli::qty(length(missing))}{?has/have} nothing in",
                       "{.code {name}}, which is to name the file."),
                 "found" = "The first is row {missing[1]}.",
                 "try" = paste("Keep only the others, or give these a value:",
                               "{.code {name} <- first_known({name}, \"none\")}.")), "bad_part", call,
               column = name, rows = missing)
}

# Each value as the file has it, if a file can be named so.
names_of_values <- function(values, name, call) {
  texts <- in_utf8(texts_for_csv(values, name, call))
  bad <- which(grepl("^[.]|[/\\\\[:cntrl:]]", texts) | nchar(texts, "bytes") > 200)
  if (!length(bad)) return(texts)
  stop_because(c("No file can be named after {.val {texts[bad[1]]}}, a value of {.code {name}}.",
                 "found" = paste("A name can't begin with a dot, hold a slash, a backslash or a line end, or be longer",
                                 "than 200 bytes."),
                 "try" = paste("Make a column of names:",
                               "{.code {name} <- gsub(\"/\", \"-\", {name}, fixed = TRUE)}.")), "bad_part", call,
               column = name, values = texts[bad])
}
