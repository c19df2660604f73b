# Tables of databases as outputs, written in one transaction: whoever looks sees the old table or the new one, whole.

# Either a connection of the user's, or the path of an SQLite file, which is opened when it is needed.
new_database_target <- function(connection, path, table, call) {
  check_package(if (is.null(path)) "DBI" else file_kinds$sqlite$packages, "Databases", call)
  if (is.null(table)) stop_because(c("Which table of the database?", "i" = "Write {.code save_table(x, {if (is.null(path)) 'connection' else quoted(path)}, table = \"yield\")}."), "bad_argument", call)
  if (!rlang::is_string(table) || !nzchar(table)) stop_because("{.arg table} must be the name of one table, not {.code {one_line(table)}}.", "bad_argument", call)
  if (is.null(path) && !DBI::dbIsValid(connection)) stop_because("The connection is closed.", "database", call)
  of <- if (is.null(path)) DBI::dbGetInfo(connection)$dbname else path
  new_target("database", paste0(c(of, paste("table", table)), collapse = ", "), connection = connection, path = path, table = table)
}

with_connection <- function(target, work, writes = FALSE) {
  tryCatch({
    if (!is.null(target$connection)) return(work(target$connection))
    connection <- DBI::dbConnect(RSQLite::SQLite(), target$path, flags = if (writes) RSQLite::SQLITE_RWC else RSQLite::SQLITE_RO, extended_types = TRUE, synchronous = NULL)
    on.exit(DBI::dbDisconnect(connection))
    work(connection)
  }, error = function(e) {
    if (inherits(e, "rowanroot_error")) stop(e)
    stop_because(c("Can't look into {.file {target$name}}.", "x" = "The database said: {conditionMessage(e)}"), "database", quote(save_table()), parent = e)
  })
}

#' @export
target_exists.database_target <- function(target) {
  if (!is.null(target$path) && !file.exists(target$path)) return(FALSE)
  with_connection(target, function(connection) DBI::dbExistsTable(connection, target$table))
}

#' @export
target_hash.database_target <- function(target) with_connection(target, function(connection) hash_of_table(connection, target$table)$hash)

# The hash of all values as the database gives them back, and the number of rows.
hash_of_table <- function(connection, table) {
  hashes <- character()
  rows <- 0
  each_piece(connection, all_of_table(connection, table), function(data) {
    hashes <<- c(hashes, rlang::hash(canonical_value(as.list(data))))
    rows <<- rows + nrow(data)
  })
  list(hash = rlang::hash(paste(hashes, collapse = "\n")), rows = rows)
}

# So many rows are fetched and written together.
rows_of_piece <- 1e5

each_piece <- function(connection, query, work) {
  result <- DBI::dbSendQuery(connection, query)
  on.exit(DBI::dbClearResult(result))
  repeat {
    work(plain_frame(DBI::dbFetch(result, n = rows_of_piece)))
    if (DBI::dbHasCompleted(result)) break
  }
}

#' @export
target_write.database_target <- function(target, x, now, found, force, call) {
  data <- database_columns(noting_drawn(table_data(x, call), function() now$drawn <<- TRUE, now$lines, call), call)
  before <- NULL
  is_new <- !is.null(target$path) && !file.exists(target$path)
  is_written <- FALSE
  on.exit(if (is_new && !is_written) unlink(target$path))
  with_connection(target, writes = TRUE, function(connection) {
    check_held(data, connection, call)
    write <- function() {
      if (!is.null(target$path) && DBI::dbExistsTable(connection, target$table)) before <<- query_database(connection, all_of_table(connection, target$table), call)
      write_table(connection, target$table, data)
      written <- hash_of_table(connection, target$table)
      if (written$rows != nrow(data)) stop("it kept ", written$rows, " of ", nrow(data), " rows", call. = FALSE)
      other <- setdiff(names(data), DBI::dbListFields(connection, target$table))
      if (length(other)) stop("it can't have a column named ", quoted(other[1]), call. = FALSE)
      record_output(target, now, written$hash, nrow(data), names(data), found, force, call)
    }
    tryCatch(DBI::dbWithTransaction(connection, write()), error = function(e) {
      if (inherits(e, "rowanroot_error")) stop(e)
      stop_because(c("Can't write the table {.val {target$table}}.", "x" = "The database said: {conditionMessage(e)}", "i" = "The table is as it was."), "database", call, parent = e)
    })
  })
  is_written <- TRUE
  if (!is.null(before)) keep_table_before(target$name, before)
  nrow(data)
}

# Names are quoted by the driver, and each row comes as the driver sends many: PostgreSQL gets them by COPY.
write_table <- function(connection, table, data) {
  if (DBI::dbExistsTable(connection, table)) DBI::dbRemoveTable(connection, table)
  rows <- nrow(data)
  DBI::dbWriteTable(connection, table, data[seq_len(min(rows, rows_of_piece)), , drop = FALSE], row.names = FALSE)
  first <- rows_of_piece
  while (first < rows) {
    DBI::dbAppendTable(connection, table, data[seq(first + 1, min(first + rows_of_piece, rows)), , drop = FALSE])
    first <- first + rows_of_piece
  }
}

# Plain columns, with ordinary texts in UTF-8.
database_columns <- function(data, call) {
  check_plain_columns(data, "A database", call, "difftime")
  columns <- Map(function(column, name) {
    if (is.factor(column)) column <- as.character(column)
    if (is.character(column)) return(as.vector(writable_texts(as.vector(column), name, call)))
    if (is.double(column) && any(is.nan(unclass(column)) & !inherits(column, "integer64"))) {
      stop_not_held("A database", name, "has values that are not a number", "Make them missing: {.code {name}[is.nan({name})] <- NA}.", call)
    }
    if (inherits(column, "POSIXlt")) as.POSIXct(column) else column
  }, as.list(data), names(data))
  structure(columns, names = names(data), row.names = .set_row_names(nrow(data)), class = "data.frame")
}

# SQLite has no dates of its own.
check_held <- function(data, connection, call) {
  if (!inherits(connection, "SQLiteConnection") || isTRUE(connection@extended_types)) return(invisible())
  days <- names(data)[vapply(data, inherits, NA, c("Date", "POSIXct"))]
  if (length(days)) stop_not_held("This connection", days[1], "has dates, which would come back as numbers", "Connect with {.code dbConnect(SQLite(), \u2026, extended_types = TRUE)}.", call)
}
