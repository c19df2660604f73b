# Tables of databases as outputs, written in one transaction: whoever looks sees the complete old table or the
# complete new one. What is beside the rows of a table, such as its indexes and grants, stays.

with_connection <- function(target, work, writes = FALSE) {
  tryCatch({
    if (is.null(target$connection)) with_sqlite_file(target$path, work, writes) else work(target$connection)
  }, error = function(e) {
    if (inherits(e, "rowanroot_error")) stop(e)
    stop_because(c("Can't read {.file {target$name}}.",
                   "found" = "Its message: {one_text(conditionMessage(e))}"), "database", quote(save_table()))
  })
}

# A table with values that can't be read is not one that was written here.
not_ours <- function(e) "can't be read"

# The hash of all values, in whatever order, and the number of rows: the server's own, or of what is fetched.
hash_of_table <- function(connection, table) {
  there <- content_number(connection, list(table = table), quote(save_table()))
  if (!is.null(there)) return(list(hash = as.vector(there), rows = attr(there, "rows")))
  hash_of_fetched(connection, table)
}

hash_of_fetched <- function(connection, table) {
  sum <- new_content_sum()
  each_piece(connection, all_of_table(connection, table), NULL, sum$add, quote(save_table()))
  list(hash = sum$hash(), rows = sum$rows())
}

# A table that has the same columns is refilled; another one is made, unless something would be lost. Names are
# quoted by the driver, and rows come as the driver sends many: PostgreSQL gets them by COPY.
write_table <- function(connection, table, data, sent, force, call) {
  make_room_for_table(connection, table, data, force, call)
  for (piece in seq_len(ceiling(nrow(sent) / rows_of_piece))) {
    rows <- seq((piece - 1) * rows_of_piece, min(piece * rows_of_piece, nrow(sent)) - 1)
    DBI::dbAppendTable(connection, table, rows_at(sent, rows))
    collect_if_beyond()
  }
}

# The same of rows that a statement gives there; `like` has its columns without rows.
write_table_there <- function(connection, table, like, statement, force, call) {
  make_room_for_table(connection, table, like, force, call)
  DBI::dbExecute(connection, DBI::SQL(paste0(
    "INSERT INTO ", DBI::dbQuoteIdentifier(connection, table), " (",
    paste(DBI::dbQuoteIdentifier(connection, names(like)), collapse = ", "), ")\n", statement)))
}

# A table with these columns and without rows.
make_room_for_table <- function(connection, table, data, force, call) {
  types <- column_types(connection, data)
  about <- if (DBI::dbExistsTable(connection, table)) table_about(connection, table)
  if (length(about$refers)) {
    stop_because(c("The table {.val {table_label(table)}} can't be rewritten.",
                   "found" = paste0("Rows of {listed(about$refers, in_quotes)} refer to its rows, and would be ",
                                "removed or changed with them."),
                   "try" = "Save under another name, or make the reference {.code ON DELETE RESTRICT}."),
                     "cannot_write", call)
  }
  if (!is.null(about) && identical(about$columns$name, names(data)) &&
      identical(tolower(about$columns$type), tolower(unname(types)))) {
    DBI::dbExecute(connection, DBI::SQL(paste("DELETE FROM", DBI::dbQuoteIdentifier(connection, table))))
  } else {
    if (!is.null(about)) check_nothing_lost(about, table, force, call)
    if (!is.null(about)) DBI::dbRemoveTable(connection, table)
    DBI::dbCreateTable(connection, table, types)
  }
}

# What belongs to a table would be lost with it.
check_nothing_lost <- function(about, table, force, call) {
  if (!length(about$kept) || force) return(invisible())
  stop_because(c("Creating the table {.val {table_label(table)}} again would lose what belongs to it.",
                 "found" = "{about$kept}",
                 "try" = paste0("To accept that, run with {.code --force}, or write ",
                                "{.code save_table(\u2026, force = TRUE)}.")),
               "cannot_write", call)
}

# Two runs that write the same table do so one after the other.
wait_for_others <- function(connection, table) UseMethod("wait_for_others")

#' @export
wait_for_others.default <- function(connection, table) invisible()

#' @export
wait_for_others.PqConnection <- function(connection, table) lock_table(connection, table, "pg_advisory_xact_lock")

lock_table <- function(connection, table, how) {
  DBI::dbGetQuery(connection, sprintf("SELECT %s(hashtextextended($1, 0))::text", how),
                  params = list(paste("rowanroot", table_label(table))))
}

# The same for several transactions, one after the other.
with_table_locked <- function(connection, table, code) UseMethod("with_table_locked")

#' @export
with_table_locked.default <- function(connection, table, code) code

#' @export
with_table_locked.PqConnection <- function(connection, table, code) {
  lock_table(connection, table, "pg_advisory_lock")
  on.exit(try(lock_table(connection, table, "pg_advisory_unlock"), silent = TRUE))
  code
}

# What a table is besides its rows: its `columns`, by name and type; what would be lost if it were created again, in
# words, as `kept`; and the tables whose rows are removed or changed with its rows, as `refers`.
table_about <- function(connection, table) UseMethod("table_about")

#' @export
table_about.default <- function(connection, table) {
  list(columns = data.frame(name = character(), type = character()), kept = NULL, refers = character())
}

# The types of columns that a new table has.
column_types <- function(connection, data) UseMethod("column_types")

#' @export
column_types.default <- function(connection, data) DBI::dbDataType(connection, data)

# The columns in a form in which the driver sends them as they are.
sendable_columns <- function(connection, data, call) UseMethod("sendable_columns")

#' @export
sendable_columns.default <- function(connection, data, call) data

# Plain columns, with ordinary texts in UTF-8.
database_columns <- function(data, call) {
  check_plain_columns(data, "A database", call, "difftime")
  if (!length(data)) stop_because("A database can't hold a table without columns.", "cannot_write", call)
  columns <- Map(function(column, name) {
    column <- as_point_in_time(column)
    if (is.factor(column) || is.object(column) && !inherits(column, c("Date", "POSIXct", "integer64"))) {
      column <- as.character(column)
    }
    if (is.character(column)) return(as.vector(writable_texts(as.vector(column), name, call)))
    if (is.double(column) && !inherits(column, "integer64") && about_doubles_cpp(column)[["nan"]]) {
      stop_not_held("A database", name, "has values that are not a number",
                    "Make them missing: {.code {name}[is.nan({name})] <- NA}.", call)
    }
    if (inherits(column, c("Date", "POSIXct")) && is.double(column) && about_doubles_cpp(column)[["infinite"]]) {
      stop_not_held("A database", name, "has dates or times that are infinite", "Make them missing, or text.", call)
    }
    if (inherits(column, "Date")) {
      about <- warn_of_parts_of_days(column, "a database", name, call)
      if (about[["parts"]] || !is.double(column)) column <- structure(floor(as.numeric(column)), class = "Date")
    }
    column
  }, as.list(data), names(data))
  structure(columns, names = names(data), row.names = .set_row_names(nrow(data)), class = "data.frame")
}

# SQLite has no dates of its own.
check_held <- function(data, connection, call) {
  if (!inherits(connection, "SQLiteConnection") || isTRUE(connection@extended_types)) return(invisible())
  days <- names(data)[vapply(data, inherits, NA, c("Date", "POSIXct"))]
  if (length(days)) {
    stop_not_held("This connection", days[1], "has dates, which would come back as numbers",
                  "Connect with {.code dbConnect(SQLite(), \u2026, extended_types = TRUE)}.", call)
  }
}
