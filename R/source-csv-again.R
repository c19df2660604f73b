# Where some files changed since a table was read in this session, they alone are read, and put between the rows of
# the others.

# What read_csv_parts() gives; NULL if what was read before, which has the `hash` of each file besides, is of no use.
csv_from_memory <- function(source, before, files, hashes, columns, call) {
  if (!all(columns %in% names(before$values))) return(NULL)
  at <- match(hashes, before$hash)
  fresh <- which(is.na(at))
  if (length(fresh) == nrow(files)) return(NULL)
  now <- list(rows = before$rows[at], names = before$names[at], kinds = before$kinds[at, columns, drop = FALSE])
  read <- NULL
  if (length(fresh)) {
    read <- read_fresh_parts(source, files[fresh, ], columns, now$kinds[-fresh, , drop = FALSE], call)
    now$rows[fresh] <- read$rows
    now$names[fresh] <- read$names
    now$kinds[fresh, ] <- read$kinds[, columns]
  }
  check_one_shape(now$names, files$name, call)
  now$types <- common_types(columns, source$options$types, now$kinds)
  if (!identical(now$types, before$types[columns])) return(NULL)
  from <- ifelse(is.na(at), 2L, 1L)
  first <- c(0, cumsum(before$rows))[at]
  first[fresh] <- c(0, cumsum(read$rows))[seq_along(fresh)]
  now$values <- Map(function(name, type) {
    parts <- lapply(list(before$values[[name]], read$values[[name]])[seq_len(max(from))], bare_values)
    if (type == "number") parts <- lapply(parts, as.numeric)
    as_csv_type(join_stretches_cpp(parts, from, first, now$rows, getOption("rowanroot.threads", 0L)), type)
  }, columns, now$types)
  now
}

# Categories as texts again, since they may have other levels now.
bare_values <- function(values) {
  if (is.factor(values)) coded_texts_cpp(as.vector(unclass(values)), levels(values)) else values
}

# Columns that were read one after the other from the same files.
with_columns_of_before <- function(before, now) {
  if (!identical(before$hash, now$hash)) return(now)
  others <- setdiff(names(before$values), names(now$values))
  now$values <- c(before$values[others], now$values)
  now$types <- c(before$types[others], now$types)
  now$kinds <- cbind(before$kinds[, others, drop = FALSE], now$kinds)
  now
}
