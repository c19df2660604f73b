# The journal records what each output was made from: `.rowanroot/journal.jsonl`, one JSON record a line,
# oldest first. A record is written before the output takes its place, and counts only if the file on disk
# is the one that it describes: so a run may be killed between the two.

journal_path <- function() file.path(journal_folder(), "journal.jsonl")

# How many records of each output stay: those before the last distinguish an old output from a foreign file.
records_kept <- 5L

read_journal <- function() journal_entries()$records

# The `records` that are whole, and the `lines` that they were read from. Each save looks at the journal: a line that
# was read before is not read again.
journal_entries <- function() {
  lines <- if (file.exists(journal_path())) readLines(journal_path(), encoding = "UTF-8", warn = FALSE)
  at <- match(lines, state$journal$lines)
  records <- state$journal$records[at]
  records[is.na(at)] <- lapply(lines[is.na(at)], read_json)
  is_whole <- vapply(records, function(record) {
    is.list(record) && is.character(record$output) && is.character(record$written)
  }, NA)
  state$journal <- list(lines = lines[is_whole], records = records[is_whole])
  state$journal
}

output_records <- function(output) Filter(function(record) identical(record$output, output), read_journal())

# The last record of a file with this content, or NULL.
record_of_content <- function(records, hash) {
  matching <- Filter(function(record) identical(record$written, hash), records)
  if (length(matching)) matching[[length(matching)]]
}

# What is long of a record, such as the keys of very many columns, stands in a file of its own: each save reads the
# journal. Without it an output is as fresh or stale as it is, but not all reasons can be given.
long_parts <- c("inputs", "lines", "key_names", "keys", "columns", "files")

longest_line <- 20000

details_path <- function(name) file.path(journal_folder(), "records", paste0(name, ".json"))

with_details <- function(record) {
  if (is.null(record$details)) return(record)
  more <- json_in_file(details_path(record$details))
  record[names(more)] <- more
  record
}

without_details <- function(record) {
  details <- as_json(record[long_parts])
  if (nchar(details, "bytes") <= longest_line) return(record)
  record$details <- rlang::hash(paste(record$output, record$key, record$written))
  dir.create(dirname(details_path("")), showWarnings = FALSE)
  replace_text(details_path(record$details), details)
  record[setdiff(names(record), long_parts)]
}

# NULL if it is damaged.
read_json <- function(json) tryCatch(jsonlite::fromJSON(json, simplifyVector = FALSE), error = function(e) NULL)

# The same of a file, which may not be there.
json_in_file <- function(path) if (file.exists(path)) read_json(path)

as_json <- function(x) jsonlite::toJSON(x, auto_unbox = TRUE, null = "null", digits = NA)

add_record <- function(record) {
  dir.create(journal_folder(), showWarnings = FALSE)
  before <- journal_entries()
  record <- without_details(record)
  records <- c(before$records, list(record))
  outputs <- vapply(records, `[[`, "", "output")
  later <- rev(stats::ave(rev(seq_along(outputs)), rev(outputs), FUN = seq_along))
  lines <- c(before$lines, as_json(record))[later <= records_kept]
  records <- records[later <= records_kept]
  remove_files(setdiff(list.files(dirname(details_path("")), full.names = TRUE),
                       details_path(unlist(lapply(records, `[[`, "details")))))
  replace_file(journal_path(), function(file) {
    connection <- file(file, "wb")
    on.exit(close(connection))
    writeLines(enc2utf8(lines), connection, useBytes = TRUE)
  })
}

# The parts of a record's output, with the file that each has in a folder, the hash of its content, its rows and, if it
# can be calculated by itself, a key.
no_files <- data.frame(name = character(), hash = character(), rows = numeric(), key = character())

files_of_record <- function(record) {
  files <- with_details(record)$files
  if (!length(files)) return(no_files)
  if (is.null(files$name)) files <- columns_of_files(files)
  count <- length(files$name)
  data.frame(name = as.character(unlist(files$name)), hash = rep_len(c(as.character(unlist(files$hash)), ""), count),
             rows = as.numeric(unlist(files$rows)), key = as.character(unlist(files$key)))
}

# In a record they are columns, which take a tenth of the time of a list for each file, as earlier records have them.
columns_of_files <- function(files) {
  field <- function(name, model) vapply(files, function(one) if (is.null(one[[name]])) model else one[[name]], model)
  list(name = field("name", ""), hash = field("hash", ""), rows = as.numeric(field("rows", 0)), key = field("key", ""))
}
