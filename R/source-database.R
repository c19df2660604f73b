# A table or a query of a database, over DBI. What it is made from is what is read: a database has no sign of change that can be trusted.

new_database_source <- function(connection, table, query, call) {
  check_package("DBI", "Databases", call)
  if (!DBI::dbIsValid(connection)) stop_because("The connection is closed.", "database", call)
  if (is.null(table) == is.null(query)) {
    if (!is.null(table)) stop_because("Give {.arg table} or {.arg query}, not both.", "bad_argument", call)
    if (!length(DBI::dbListTables(connection))) stop_because("The database has no tables.", "no_such_table", call)
  }
  if (!is.null(query)) check_names_given(query, "query", call, only_one = TRUE)
  else table <- database_table(connection, table, call)
  new_source("database_source", connection = connection, table = table, query = query)
}

# The table that is meant; a database with one table needs no name.
database_table <- function(connection, table, call) {
  if (inherits(table, "Id") || inherits(table, "SQL")) return(table)
  known <- DBI::dbListTables(connection)
  if (is.null(table) && length(known) == 1) return(known)
  if (is.null(table)) {
    stop_because(c("Which table of the database?", "i" = if (length(known)) "Say {.arg table}: it has {listed(known, in_quotes)}." else "It has none."), "no_such_table", call)
  }
  check_names_given(table, "table", call, only_one = TRUE)
  if (!DBI::dbExistsTable(connection, table)) {
    hint <- nearest_name(table, known)
    stop_because(c("The database has no table {.val {table}}.", "i" = if (length(hint)) "Did you mean {.val {hint}}?" else if (length(known)) "It has {listed(known, in_quotes)}."),
                 "no_such_table", call, table = table, nearest = hint)
  }
  table
}

read_database_table <- function(connection, table, call) query_database(connection, all_of_table(connection, table), call)

# Names are quoted by the driver: they never become SQL.
all_of_table <- function(connection, table) DBI::SQL(paste("SELECT * FROM", DBI::dbQuoteIdentifier(connection, table)))

# Fetched piece by piece, so that the user can stop it.
query_database <- function(connection, query, call) {
  pieces <- list()
  tryCatch(each_piece(connection, query, function(data) pieces[[length(pieces) + 1]] <<- data), error = function(e) {
    stop_because(c("The database can't answer.", "x" = "It said: {conditionMessage(e)}"), "database", call, parent = e)
  })
  frames_below(pieces, rep("the table", length(pieces)), call)
}

#' @export
source_read.database_source <- function(source, columns, call) {
  if (is.null(source$query)) read_database_table(source$connection, source$table, call) else query_database(source$connection, source$query, call)
}

#' @export
source_parts.database_source <- function(source, call) {
  source$memory$data <- source_read(source, NULL, call)
  hash <- rlang::hash(canonical_value(source$memory$data))
  source$memory$key <- hash
  data.frame(name = source_title(source), hash = hash)
}

#' @export
source_columns.database_source <- function(source, call) {
  if (is.null(source$memory$data)) source_parts(source, call)
  names(source$memory$data)
}

#' @export
source_title.database_source <- function(source) if (is.null(source$query)) paste("table", as.character(source$table)[1]) else one_line(as.name(source$query), 40L)
