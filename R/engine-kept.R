# Columns of a block that were dear to calculate are kept: the next run calculates only those whose formula, or what it uses, has changed.

# Seconds from which on a column is worth keeping.
dear_from <- function() getOption("rowanroot.keep_seconds", 0.25)

run_statements <- function(run, step) {
  keys <- if (!is.null(step$input_keys) && keeps_columns()) statement_keys(step, step$input_keys)
  kept <- lapply(keys, function(made) if (length(made) && all(file.exists(kept_path(made)))) kept_values(made, run$rows))
  is_kept <- !vapply(kept, is.null, NA)
  for (k in which(used_statements(step, if (is.null(keys)) rep(FALSE, length(step$statements)) else is_kept))) {
    if (is.null(keys)) run_statement(run, step$statements[[k]])
    else if (is_kept[k]) run$columns[names(kept[[k]])] <- lapply(kept[[k]], function(column) new_slot(run, column)$id)
    else run_and_keep(run, step$statements[[k]], keys[[k]])
  }
}

# NULL unless all are whole.
kept_values <- function(keys, rows) {
  heads <- kept_columns(keys)
  if (anyNA(heads$type) || any(heads$rows != rows)) return(NULL)
  values <- Map(function(key, type, note) {
    column <- read_kept(key, if (type == "coded_text") "text" else type)
    if (!is.null(column) && length(note)) attributes(column) <- note
    column
  }, keys, heads$type, heads$note)
  if (!any(vapply(values, is.null, NA))) values
}

# A column whose calculation had something to say is calculated again, and says it again.
run_and_keep <- function(run, statement, keys) {
  warned <- FALSE
  started <- proc.time()[["elapsed"]]
  withCallingHandlers(run_statement(run, statement), warning = function(w) warned <<- TRUE)
  if (warned || !length(keys) || proc.time()[["elapsed"]] - started < dear_from()) return(invisible())
  columns <- lapply(names(keys), function(name) run$values[[run$columns[[name]]]])
  if (all(vapply(columns, is_keepable, NA))) Map(keep_column, keys, columns, lapply(columns, attributes))
}

is_keepable <- function(column) {
  if (is.character(column)) return(is.null(attributes(column)) && !any(Encoding(different_or_all(column)) == "bytes"))
  typeof(column) %in% c("logical", "integer", "double") && is.null(dim(column))
}

different_or_all <- function(texts) {
  coded <- coded_parts_cpp(texts)
  if (!is.null(coded)) coded$texts else if (are_yet_to_be_made_cpp(texts)) character() else texts
}
