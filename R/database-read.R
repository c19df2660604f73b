# Reading of databases, over DBI, as exactly as R's types allow. Drivers give some values as others, in silence:
# each kind of database has methods that ask for such columns in another form, or say which value can't be had.

# How the columns of a query are asked for, so that nothing of them is lost: a list with the `select` of each, and
# how it is made what it is in R, `finish`; by name, for those that need it. `asked` has types that the user gave.
exact_columns <- function(connection, query, about, asked, call) UseMethod("exact_columns")

#' @export
exact_columns.default <- function(connection, query, about, asked, call) list()

# Whether two connections are of the same database: a text that both have, or NULL.
database_identity <- function(connection) UseMethod("database_identity")

#' @export
database_identity.default <- function(connection) NULL

# The tables that a query reads, each as text that `table_identity()` gives too; NULL if that is not known.
tables_read <- function(connection, query) UseMethod("tables_read")

#' @export
tables_read.default <- function(connection, query) NULL

# What a table is called where it is, however its name was written; NULL if there is none.
table_identity <- function(connection, table) UseMethod("table_identity")

#' @export
table_identity.default <- function(connection, table) if (DBI::dbExistsTable(connection, table)) table_label(table)

# A name as text: of a table in a schema both, with a point between them.
table_label <- function(table) if (inherits(table, "Id")) paste(table@name, collapse = ".") else as.character(table)[1]

# Names are quoted by the driver: they never become SQL.
all_of_table <- function(connection, table) {
  force(table)
  DBI::SQL(paste("SELECT * FROM", DBI::dbQuoteIdentifier(connection, table)))
}

read_database_table <- function(connection, table, asked, call) {
  query_database(connection, all_of_table(connection, table), asked, call)
}

# The rows of a query. They are fetched piece by piece, so that the user can stop it.
query_database <- function(connection, query, asked, call) {
  all_pieces(function(keep) each_piece(connection, query, asked, keep, call), call)
}

# The rows that `each(work)` calls its argument with, piece by piece.
all_pieces <- function(each, call) {
  pieces <- list()
  each(function(data) {
    # What is left of many pieces is in memory that is counted.
    if (nrow(data) == rows_of_piece) data[] <- lapply(data, in_counted_memory)
    pieces[[length(pieces) + 1]] <<- data
  })
  frames_below(pieces, rep("the database", length(pieces)), call)
}

# So many rows are fetched and written together.
rows_of_piece <- 1e5

# What the driver warns of are values that it could not give as they are.
each_piece <- function(connection, query, asked, work, call) {
  query <- without_end(query)
  asking(call, {
    about <- columns_of_query(connection, query, call)
    check_types_known(asked, about$name, call)
    columns <- exact_columns(connection, query, about, asked, call)
    each_fetched(connection, exact_query(connection, query, about$name, columns), columns, asked, work, call)
  })
}

# A query that can stand within another.
without_end <- function(query) sub("[;[:space:]]+$", "", query)

# The rows of a statement, piece by piece; `columns` says how some are made what they are in R.
each_fetched <- function(connection, statement, columns, asked, work, call) {
  result <- DBI::dbSendQuery(connection, statement)
  on.exit(DBI::dbClearResult(result))
  before <- 0
  repeat {
    data <- plain_frame(DBI::dbFetch(result, n = rows_of_piece))
    data[] <- Map(function(column, name) fetched_column(column, name, columns[[name]]$finish, asked, before, call),
                  data, names(data))
    before <- before + nrow(data)
    work(data)
    if (DBI::dbHasCompleted(result)) break
  }
}

# A driver that was told to stop (Ctrl-C) has stopped the statement on the server, and gives an error: it is no failure.
go_on_interrupted <- function(condition) {
  if (identical(conditionMessage(condition), "Interrupted.")) rlang::interrupt()
}

asking <- function(call, code) {
  refuse <- function(condition) {
    go_on_interrupted(condition)
    if (inherits(condition, "rowanroot_error")) stop(condition)
    said <- one_text(conditionMessage(condition))
    stop_because(c("The database could not run the query.", "found" = "Its message: {said}"), "database", call,
                 said = said)
  }
  tryCatch(withCallingHandlers(code, warning = function(w) if (!inherits(w, "rowanroot_warning")) refuse(w)),
           error = refuse)
}

# The names and the types of a query's columns.
columns_of_query <- function(connection, query, call) {
  result <- DBI::dbSendQuery(connection, DBI::SQL(described_query(connection, query)))
  on.exit(DBI::dbClearResult(result))
  about <- DBI::dbColumnInfo(result)
  twice <- anyDuplicated(about$name)
  if (twice) {
    stop_because(c("Two columns of the query are named {.code {about$name[twice]}}.",
                   "try" = "Rename one of them: {.code SELECT a.kg, b.kg AS kg_before}."), "repeated_name", call,
                 column = about$name[twice])
  }
  if (!all(nzchar(about$name))) {
    stop_because(c("Column {which(!nzchar(about$name))[1]} of the query has no name.",
                   "try" = "Name it: {.code SELECT 1 + 1 AS two}."), "bad_names", call)
  }
  about
}

# A query that has the same columns, and costs little.
described_query <- function(connection, query) UseMethod("described_query")

#' @export
described_query.default <- function(connection, query) paste0("SELECT * FROM (", query, "\n) AS asked LIMIT 0")

exact_query <- function(connection, query, names, columns) {
  if (!length(columns)) return(DBI::SQL(query))
  quoted <- as.character(DBI::dbQuoteIdentifier(connection, names))
  select <- ifelse(names %in% names(columns), vapply(names, function(name) c(columns[[name]]$select, "")[1], ""),
                   quoted)
  DBI::SQL(paste0("SELECT ", paste0(select, " AS ", quoted, collapse = ", "), " FROM (", query, "\n) AS asked"))
}

# A column as it is in a table here: no classes of the driver's, texts that are texts.
fetched_column <- function(column, name, finish, asked, before, call) {
  if (!is.null(finish)) column <- finish(column, before)
  if (is.list(column)) {
    stop_because(c("The column {.code {name}} of the database holds values that can't be in a column, such as bytes.",
                   "try" = "Leave it out, with a {.arg query} that names the columns."), "nested_values", call,
                 column = name)
  }
  if (is.character(column)) {
    column <- as.vector(column)
    wrong <- which(!is.na(column) & !validUTF8(column))
    if (length(wrong)) {
      stop_because("The text of {.code {name}} in row {before + wrong[1]} of the database is not valid UTF-8.",
                   "bad_text", call, column = name, rows = before + wrong)
    }
  }
  if (inherits(column, "difftime")) column <- as.difftime(as.numeric(column, units = "secs"), units = "secs")
  if (identical(unname(asked[name]), "text") && !is.character(column)) column <- as.character(column)
  column
}

stop_database_value <- function(name, row, what, hint, call) {
  stop_because(c("The column {.code {name}} of the database can't be read as it is.",
                 "found" = "Row {format(row, big.mark = ',', scientific = FALSE)} {what}.", "try" = hint),
               "unreadable_value", call, column = name, rows = row)
}
