# Columns of a block that were dear to calculate are kept: the next run calculates only those whose formula, or what it uses, has changed.

# Seconds from which on a column is worth keeping.
dear_from <- function() getOption("rowanroot.keep_seconds", 0.25)

run_statements <- function(run, step) {
  keys <- if (!is.null(step$input_keys) && keeps_columns()) statement_keys(step, step$input_keys)
  if (is.null(keys)) {
    for (statement in step$statements) run_statement(run, statement)
    return(invisible())
  }
  plan <- plan_statements(run, step, keys)
  for (k in which(plan$is_used)) {
    if (is.null(plan$kept[[k]])) run_and_keep(run, step$statements[[k]], keys[[k]])
    else run$columns[names(plan$kept[[k]])] <- lapply(plan$kept[[k]], function(column) new_slot(run, column)$id)
  }
}

# For each statement whether it is used, and the kept values of its targets. What was only on the way to kept columns is not used.
plan_statements <- function(run, step, keys) {
  count <- length(step$statements)
  kept <- vector("list", count)
  is_used <- rep(TRUE, count)
  has_any <- vapply(keys, function(made) length(made) > 0 && all(file.exists(kept_path(made))), NA)
  if (!any(has_any)) return(list(is_used = is_used, kept = kept))
  wanted <- step$columns
  for (k in rev(seq_len(count))) {
    statement <- step$statements[[k]]
    is_used[k] <- statement$removes || any(statement$targets %in% wanted)
    if (is_used[k] && has_any[k]) kept[k] <- list(kept_values(keys[[k]], run$rows))
    if (!is_used[k]) next
    wanted <- setdiff(wanted, statement$targets)
    if (!statement$removes && is.null(kept[[k]])) wanted <- union(wanted, c(node_columns(statement$node), step$within, step$along$names))
  }
  list(is_used = is_used, kept = kept)
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
