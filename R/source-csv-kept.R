# Columns of CSV files that were read before come from memory or from the store, so that only files that are new or
# changed are read.

# Smaller files are read as quickly as they are looked up.
least_kept <- function() getOption("rowanroot.keep_from", 1e6)

#' @export
read_files.csv_source <- function(source, files, columns, call) {
  hashes <- file_hashes(files$path)
  before <- source$cache$content
  content <- csv_from_memory(source, before, files, hashes, columns, call)
  if (is.null(content)) content <- read_or_keep_csv(source, files, hashes, columns, call)
  source$cache$reading <- with_columns_of_before(before, c(content, list(hash = hashes)))
  csv_frame(content, source, files, columns)
}

read_or_keep_csv <- function(source, files, hashes, columns, call) {
  if (!keeps_columns() || sum(file.size(files$path)) < least_kept()) {
    return(read_csv_parts(source, files, columns, call))
  }
  keys <- part_keys(source, hashes, columns)
  content <- csv_from_store(source, files, columns, keys, call)
  if (!is.null(content)) return(content)
  content <- read_csv_parts(source, files, columns, call)
  keep_csv(content, keys)
  content
}

# A key for each file, a row, and each column.
part_keys <- function(source, hashes, columns) {
  options <- source$options
  of_files <- paste(hashes, canonical_value(options[setdiff(names(options), c("types", "file_column"))]))
  asked <- as.character(options$types)[match(columns, names(options$types))]
  keys <- outer(of_files, paste(quoted(columns), asked),
                Vectorize(function(file, column) rlang::hash(paste("csv", engine_version, file, column))))
  matrix(keys, length(of_files), dimnames = list(NULL, columns))
}

# What read_csv_parts() gives; NULL if nothing is kept, or what is kept does not go with what was read.
csv_from_store <- function(source, files, columns, keys, call) {
  known <- known_of_all(source, files, columns, keys, nrow(files) - 1, call)
  if (is.null(known)) return(NULL)
  types <- common_types(columns, source$options$types, known$kinds)
  values <- Map(function(column, type) read_kept(keys[, column], stored_type(type)), columns, types)
  if (any(vapply(values, is.null, NA))) return(NULL)
  list(values = Map(as_csv_type, values, types), types = types, kinds = known$kinds, rows = known$rows,
       names = known$names)
}

# Where they are kept and were not read in this session.
#' @export
source_by_rows.csv_source <- function(source, columns, call) {
  is_plain <- !inherits(source, "filling_source") && !"category" %in% source$options$types
  if (!is_plain || !keeps_columns() || !is.null(source$cache$content)) return(NULL)
  if (any(columns %in% source$options$file_column)) return(NULL)
  files <- source_files(source, call)
  keys <- part_keys(source, file_hashes(files$path), columns)
  known <- known_of_all(source, files, columns, keys, nrow(files) - 1, call)
  if (is.null(known)) return(NULL)
  types <- common_types(columns, source$options$types, known$kinds)
  list(
    like = Map(function(type) as_csv_type(vector(mode_of_stored(stored_type(type))), type), types),
    rows = sum(known$rows),
    read = function(columns, rows) {
      types <- types[columns]
      values <- Map(function(column, type) kept_in_rows(keys[, column], stored_type(type), rows), columns, types)
      if (!any(vapply(values, is.null, NA))) Map(as_csv_type, values, types)
    }
  )
}

# What is kept of all parts, once those are read that were not, if these are at most so many; else NULL.
known_of_all <- function(source, files, columns, keys, most, call) {
  known <- known_parts(keys)
  fresh <- which(rowSums(is.na(known$type)) > 0)
  if (length(fresh) > most) return(NULL)
  if (length(fresh)) {
    content <- read_fresh_parts(source, files[fresh, ], columns, known$kinds[-fresh, , drop = FALSE], call)
    if (!keep_csv(content, keys[fresh, , drop = FALSE])) return(NULL)
    known <- with_rows_known(known, fresh, known_parts(keys[fresh, , drop = FALSE]))
    if (anyNA(known$type)) return(NULL)
  }
  check_one_shape(known$names, files$name, call)
  known
}

#' @export
types_in_parts.csv_source <- function(source, columns, call) {
  if (!keeps_columns() || inherits(source, "filling_source") || "category" %in% source$options$types) return(NULL)
  files <- source_files(source, call)
  columns <- columns_in_files(source, columns, call)
  hashes <- file_hashes(files$path)
  asked <- list(hashes, columns)
  if (identical(source$cache$types$asked, asked)) return(source$cache$types$found)
  known <- known_of_all(source, files, columns, part_keys(source, hashes, columns), nrow(files) / 2, call)
  if (is.null(known)) return(NULL)
  source$cache$types <- list(asked = asked, found = common_types(columns, source$options$types, known$kinds))
  source$cache$types$found
}

# What is kept of each part: types and kinds as matrices like that of the keys.
known_parts <- function(keys) {
  heads <- kept_columns(as.vector(keys))
  like_keys <- function(x) matrix(x, nrow(keys), dimnames = dimnames(keys))
  list(type = like_keys(heads$type), kinds = like_keys(heads$kinds), rows = heads$rows[seq_len(nrow(keys))],
       names = heads$note[seq_len(nrow(keys))])
}

# The same where these rows of it are known now.
with_rows_known <- function(known, at, parts) {
  known$type[at, ] <- parts$type
  known$kinds[at, ] <- parts$kinds
  known$rows[at] <- parts$rows
  known$names[at] <- parts$names
  known
}

# A column's type in all files together may be another one than in those that are read now.
read_fresh_parts <- function(source, files, columns, kinds_of_others, call) {
  content <- read_csv_parts(source, files, columns, call)
  types <- common_types(columns, source$options$types, rbind(kinds_of_others, content$kinds))
  differs <- types != content$types & !(types == "number" & content$types == "integer")
  if (!any(differs)) return(content)
  source$options$types <- c(source$options$types, types[differs])
  read_csv_parts(source, files, columns, call)
}

common_types <- function(columns, asked, kinds) {
  given <- as.character(asked)[match(columns, names(asked))]
  found <- vapply(columns, function(column) csv_type(Reduce(bitwAnd, kinds[, column])), "")
  stats::setNames(ifelse(is.na(given), found, given), columns)
}

mode_of_stored <- function(type) switch(type, text = "character", number = "numeric", type)

stored_type <- function(type) switch(type, logical = , integer = type, text = , category = "text", "number")

# Whether all columns of all parts are kept.
keep_csv <- function(content, keys) {
  if (8 * ncol(keys) * sum(content$rows) > most_kept()) return(FALSE)
  first <- cumsum(c(0, content$rows))
  for (column in colnames(keys)) {
    values <- bare_values(content$values[[column]])
    is_kept <- keep_parts(keys[, column], values, content$names, first[seq_len(nrow(keys))], content$rows,
                          content$kinds[, column])
    if (!is_kept) return(FALSE)
  }
  TRUE
}

csv_frame <- function(content, source, files, columns) {
  values <- content$values
  if (!is.null(source$options$file_column)) {
    file <- coded_texts_cpp(rep(seq_along(files$name), content$rows), file_stem(files$name))
    values <- c(stats::setNames(list(file), source$options$file_column), values)
  }
  structure(values, row.names = .set_row_names(sum(content$rows)), class = "data.frame")
}
