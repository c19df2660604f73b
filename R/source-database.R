# A table or a query of a database, over DBI. What it is made from is a number of all its rows, where the server can
# calculate one, or what is read: a database has no sign of change that can be trusted, unless the script names one.

new_database_source <- function(connection, table, query, types, changes_with, call) {
  check_package("DBI", "Databases", call)
  if (!DBI::dbIsValid(connection)) stop_because("The connection is closed.", "database", call)
  if (is.null(table) == is.null(query)) {
    if (!is.null(table)) stop_because("Give {.arg table} or {.arg query}, not both.", "bad_argument", call)
    if (!length(DBI::dbListTables(connection))) stop_because("The database has no tables.", "no_such_table", call)
  }
  check_database_types(types, call)
  if (!is.null(query)) check_names_given(query, "query", call, only_one = TRUE)
  else table <- database_table(connection, table, call)
  if (!is.null(changes_with)) check_names_given(changes_with, "changes_with", call, only_one = TRUE)
  new_source("database_source", connection = connection, table = table, query = query, types = types,
             changes_with = changes_with)
}

# A database has types of its own: what can be asked is text instead of a value that R can't hold.
check_database_types <- function(types, call) {
  check_types(types, call)
  other <- setdiff(types, "text")
  if (length(other)) {
    stop_because(c("Columns of a database can be asked for as {.val text} only, not as {.val {other[1]}}.",
                   "try" = "Change the type in a query, or in a formula."), "bad_argument", call)
  }
}

# The table that is meant; a database with one table needs no name.
database_table <- function(connection, table, call) {
  if (inherits(table, "SQL")) return(table)
  known <- DBI::dbListTables(connection)
  if (is.null(table) && length(known) == 1) return(known)
  if (is.null(table)) {
    stop_because(c("Which table of the database?",
                   "try" = if (length(known)) "Set {.arg table}. It has {listed(known, in_quotes)}."
                           else "It has none."),
                 "no_such_table", call)
  }
  if (!inherits(table, "Id")) check_names_given(table, "table", call, only_one = TRUE)
  if (!DBI::dbExistsTable(connection, table)) {
    label <- table_label(table)
    hint <- nearest_name(label, known)
    stop_because(c("The database has no table {.val {label}}.",
                   "try" = if (length(hint)) "{.val {hint}}"
                     else if (length(known)) "It has {listed(known, in_quotes)}."),
                 "no_such_table", call, table = label, nearest = hint)
  }
  table
}

#' @export
source_read.database_source <- function(source, columns, call) {
  query_database(source$connection, source_query(source, call), source$types, call)
}

source_query <- function(source, call) {
  if (!is.null(source$query)) return(source$query)
  order <- order_of_table(source$connection, source, call)
  paste0(all_of_table(source$connection, source$table),
         if (length(order)) paste(" ORDER BY", paste(order, collapse = ", ")))
}

# Terms that put the rows of a table in order; none where they come in one of their own.
order_of_table <- function(connection, source, call) UseMethod("order_of_table")

#' @export
order_of_table.default <- function(connection, source, call) character()

#' @export
order_of_table.PqConnection <- function(connection, source, call) {
  source$types <- NULL
  source_relation(source, call)$order
}

#' @export
source_parts.database_source <- function(source, call) {
  if (!DBI::dbIsValid(source$connection)) stop_because("The connection is closed.", "database", call)
  hash <- if (!is.null(source$changes_with)) sign_of_change(source, call)
          else as.vector(content_number(source$connection, source, call))
  if (is.null(hash)) hash <- hash_by_state(source, call)
  data.frame(name = source_title(source), hash = hash)
}

# What was fetched is fetched again only if the database has another state since, where one can be told.
hash_by_state <- function(source, call) {
  # A query may ask for more than tables, such as the time.
  file <- if (is.null(source$query)) content_state(source$connection)
  name <- paste(file$path, rlang::hash(source$table), sep = "\n")
  known <- if (!is.null(file)) known_hashes()[[name]]
  if (!is.null(known) && identical(known$state, file$state)) return(known$hash)
  source$cache$data <- source_read(source, NULL, call)
  hash <- if (has_order(source)) rlang::hash(canonical_value(source$cache$data)) else content_hash(source$cache$data)
  source$cache$key <- hash
  same <- !is.null(file) && identical(content_state(source$connection), file)
  if (same) assign(name, list(state = file$state, hash = hash), envir = known_hashes())
  hash
}

# The `state` of all that a connection sees, as the hash of a file, and its `path`; NULL where it can't be told.
content_state <- function(connection) UseMethod("content_state")

#' @export
content_state.default <- function(connection) NULL

# What a transaction has not written yet is not in the file.
#' @export
content_state.SQLiteConnection <- function(connection) {
  files <- DBI::dbGetQuery(connection, "PRAGMA database_list")
  # Tables of the session, and attached files, are elsewhere.
  others <- DBI::dbGetQuery(connection, "SELECT count(*) AS n FROM sqlite_temp_master")$n
  file <- files$file[files$name == "main"]
  if (others > 0 || any(!files$name %in% c("main", "temp")) || !nzchar(file)) return(NULL)
  path <- normalizePath(file)
  begun <- tryCatch(DBI::dbExecute(connection, "BEGIN"), error = function(e) NULL)
  if (is.null(begun)) return(NULL)
  DBI::dbExecute(connection, "ROLLBACK")
  beside <- paste0(path, "-wal")
  files <- c(path, if (file.exists(beside)) beside)
  list(path = path, state = paste(file_hashes(files), collapse = " "))
}

# What the script's own query gives: one value.
sign_of_change <- function(source, call) {
  found <- asking(call, DBI::dbGetQuery(source$connection, DBI::SQL(source$changes_with)))
  if (nrow(found) == 1 && length(found) == 1) return(rlang::hash(canonical_value(format(found[[1]], digits = 22))))
  stop_because(c("{.arg changes_with} must be a query that gives one value.",
                 "found" = "It gives {counted_rows(nrow(found))} and {counted(length(found), 'column')}.",
                 "try" = "{.code changes_with = \"SELECT max(changed_at) FROM visits\"}"), "bad_argument", call)
}

# A number of all rows, in whatever order, that the server calculates; NULL where it can't.
content_number <- function(connection, source, call) UseMethod("content_number")

#' @export
content_number.default <- function(connection, source, call) NULL

# The sum of a number for each row.
#' @export
content_number.PqConnection <- function(connection, source, call) {
  if (!is.null(source$query)) return(NULL)
  table <- all_of_table(connection, source$table)
  about <- columns_of_query(connection, table, call)
  select <- paste0("SELECT count(*)::text AS rows, sum(", number_of_row(connection, about), ")::text AS number")
  name <- sql_name_of_table(connection, source$table)
  found <- number_on_servers(connection, name, select, about$name, call)
  if (is.null(found)) {
    found <- asking(call, DBI::dbGetQuery(connection, DBI::SQL(paste0(select, " FROM (", table, ") AS asked"))))
  }
  structure(rlang::hash(c("rows of a table", found$rows, found$number, about$name, about$.typname)),
            rows = as.numeric(found$rows))
}

# The server's own for its common types, to which 0 is -0: whether it has a minus goes in beside. Of others, that of the
# row as text.
number_of_row <- function(connection, about) {
  hashed <- c("bool", "int2", "int4", "int8", "float4", "float8", "numeric", "text", "varchar", "date", "timestamp",
              "timestamptz", "time", "uuid", "oid", "name")
  if (DBI::dbGetInfo(connection)$db.version < 140000 || !all(about$.typname %in% hashed)) {
    return("hashtextextended(asked::text, 0)")
  }
  reals <- as.character(DBI::dbQuoteIdentifier(connection, about$name[about$.typname %in% c("float4", "float8")]))
  signs <- paste0("(", reals, " = 0 AND ", reals, "::text = '-0')", recycle0 = TRUE)
  paste0("hash_record_extended(ROW(", paste(c("asked.*", signs), collapse = ", "), "), 0)")
}

# The rows of a table have no order, so that it is not part of its content; those of a query have, if it has ORDER BY.
has_order <- function(source) !is.null(source$query) && grepl("order[[:space:]]+by", source$query, ignore.case = TRUE)

# The hash of what is in a table, in whatever order. Rows that come in pieces are added up.
content_hash <- function(data) new_content_sum()$add(data)$hash()

new_content_sum <- function() {
  number <- ""
  rows <- 0
  about <- NULL
  sum <- list(
    add = function(data) {
      columns <- lapply(unname(as.list(data)),
                        function(column) if (is.factor(column)) as.character(column)
                          else if (is.character(column)) enc2utf8(as.vector(column)) else column)
      # What is missing in all rows of a piece may be of any type in the next.
      types <- vapply(columns, function(column) if (all(is.na(column))) "" else if (is.object(column) &&
          !inherits(column, "integer64")) class(column)[1] else if (is.character(column)) "text" else "number", "")
      about <<- if (is.null(about)) types else ifelse(about == "", types, about)
      number <<- content_number_cpp(columns, nrow(data), number)
      rows <<- rows + nrow(data)
      names <<- names(data)
      sum
    },
    rows = function() rows,
    hash = function() rlang::hash(paste(c(number, format(rows, scientific = FALSE), names, about), collapse = "\n"))
  )
  names <- character()
  sum
}

#' @export
source_columns.database_source <- function(source, call) {
  if (!DBI::dbIsValid(source$connection)) stop_because("The connection is closed.", "database", call)
  if (is.null(source$query)) {
    return(asking(call, columns_of_query(source$connection, all_of_table(source$connection, source$table), call)$name))
  }
  if (is.null(source$cache$data)) source_parts(source, call)
  names(source$cache$data)
}

#' @export
source_title.database_source <- function(source) {
  if (is.null(source$query)) paste("table", table_label(source$table)) else one_line(as.name(source$query), 40L)
}

# SQLite files as sources. What was written last may lie in a file beside the database.
#' @export
source_parts.sqlite_source <- function(source, call) {
  paths <- source_files(source, call)$path
  for (path in paths) recover_sqlite(path)
  parts <- NextMethod()
  beside <- paste0(paths, "-wal")
  written <- file.exists(beside) & file.size(beside) > 0
  parts$hash[written] <- paste(parts$hash[written], file_hashes(beside[written]))
  parts
}

#' @export
read_files.sqlite_source <- function(source, files, columns, call) {
  check_database_types(source$options$types, call)
  read <- function(source, path, name, call) with_sqlite_file(path, function(connection) {
    table <- database_table(connection, source$options$table, call)
    read_database_table(connection, table, source$options$types, call)
  })
  tables <- unname(Map(function(path, name) read_one_file(source, path, name, read, call), files$path, files$name))
  check_one_shape(lapply(tables, names), files$name, call)
  with_file_column(frames_below(tables, files$name, call), source, files$name, vapply(tables, nrow, 0L), call)
}
