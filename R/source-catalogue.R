# What a database knows of a table without its rows: its columns, their types, and its primary key.

# A relation (sql-relation.R) of all rows, in the order of the primary key, or of all columns where there is none; NULL
# for what formulas can't be told there.
source_relation <- function(source, call) {
  dialect <- if (inherits(source, "database_source")) sql_dialect(source$connection)
  if (is.null(dialect) || has_order(source) || length(source$types)) return(NULL)
  asking(call, table_relation(source$connection, source, dialect))
}

table_relation <- function(connection, source, dialect) UseMethod("table_relation")

column_relation <- function(dialect, names, types, nan) {
  sql <- sql_name(dialect, names)
  stats::setNames(Map(function(sql, type, nan) list(sql = sql, type = type, nan = nan), sql, types, nan), names)
}

relation_of_columns <- function(dialect, from, columns, key) {
  can_order <- types_in_sql(columns) != "opaque"
  by <- if (length(key)) columns[key] else columns[can_order]
  by <- lapply(by, column_as_operand)
  order <- if (length(by)) order_terms(by, rep(FALSE, length(by)), FALSE, dialect) else character()
  new_relation(dialect, from, columns, order, length(key) > 0)
}

#' @export
table_relation.PqConnection <- function(connection, source, dialect) {
  if (!is.null(source$query)) {
    query <- without_end(source$query)
    about <- columns_of_query(connection, query, NULL)
    from <- paste0("(", query, "\n  ) AS asked")
    types <- about$.typname
    key <- character()
  } else {
    from <- sql_name_of_table(connection, source$table)
    ask <- function(text) DBI::dbGetQuery(connection, text, params = list(from))
    # A collation may take different texts for equal.
    about <- ask(paste0("SELECT attname::text AS name, CASE WHEN collisdeterministic THEN typname::text ",
                        "WHEN attcollation = 0 THEN typname::text ELSE 'collated' END AS type FROM pg_attribute ",
                        "JOIN pg_type t ON t.oid = atttypid LEFT JOIN pg_collation c ON c.oid = attcollation ",
                        "WHERE attrelid = $1::regclass AND attnum > 0 AND NOT attisdropped ORDER BY attnum"))
    types <- about$type
    key <- ask(paste0("SELECT attname::text AS name FROM pg_index JOIN pg_attribute ON attrelid = indrelid AND ",
                      "attnum = ANY (indkey) WHERE indrelid = $1::regclass AND indisprimary ",
                      "ORDER BY array_position(indkey::int2[], attnum)"))$name
  }
  known <- c(bool = "logical", int2 = "small", int4 = "integer", float8 = "double", text = "text", varchar = "text",
             date = "date")[types]
  known[is.na(known)] <- "opaque"
  columns <- column_relation(dialect, about$name, unname(known), types == "float8")
  # Whole numbers of 16 bits would overflow earlier.
  columns <- lapply(columns, function(column) {
    if (column$type != "small") return(column)
    list(sql = paste0(column$sql, "::int4"), type = "integer", nan = FALSE)
  })
  if (any(key %in% about$name[known == "opaque"])) key <- character()
  make <- function(from) with_plain_names(relation_of_columns(dialect, from, columns, key))
  servers <- if (is.null(source$query)) servers_of_table(connection, from)
  with_servers(make(from), servers, make)
}

# The relation of a table whose rows are on several servers has one for each of its partitions.
with_servers <- function(relation, servers, make) {
  if (is.null(servers)) return(relation)
  relation$servers <- c(servers, list(there = lapply(servers$partitions$there, make),
                                      by = sql_of(relation$columns[servers$key])))
  relation$partitions <- lapply(servers$partitions$here, make)
  relation
}

# Columns that must be something else first are made so in a part of their own.
with_plain_names <- function(relation) {
  names <- sql_name(relation$dialect, names(relation$columns))
  sql <- sql_of(relation$columns)
  if (all(sql == names)) return(relation)
  order <- relation$order
  relation <- with_part(relation, selected(sql, names))
  for (k in seq_along(names)) relation$columns[[k]]$sql <- names[k]
  relation$order <- sub("::int4 ", " ", order, fixed = TRUE)
  relation
}

sql_name_of_table <- function(connection, table) {
  if (inherits(table, "SQL")) as.character(table) else as.character(DBI::dbQuoteIdentifier(connection, table))
}

# Any column may hold values of any type: what it holds is asked. Tables have a number for each row; views, tables
# without numbers, and texts that are compared in another way are left alone.
#' @export
table_relation.SQLiteConnection <- function(connection, source, dialect) {
  if (!is.null(source$query) || !isTRUE(connection@extended_types)) return(NULL)
  from <- sql_name_of_table(connection, source$table)
  query <- paste("SELECT * FROM", from)
  if (!is_usual_sqlite_table(connection, source$table)) return(NULL)
  types <- sqlite_types(connection, source$table, query)
  if (any(types == "opaque")) return(NULL)
  columns <- column_relation(dialect, names(types), unname(types), FALSE)
  number <- setdiff(c("rowid", "_rowid_", "oid"), tolower(names(types)))[1]
  if (is.na(number)) return(NULL)
  relation <- new_relation(dialect, from, columns, character(), TRUE)
  names <- sql_name(dialect, names(types))
  place <- fresh_name(relation, "row")
  relation <- with_part(relation, c(names, selected(number, place)))
  relation$order <- paste(place, "NULLS LAST")
  relation$hidden <- place
  relation
}

# The types of the columns, by their names. All values are looked at, but not again as long as the database is the same.
sqlite_types <- function(connection, table, query) {
  now <- content_state(connection)
  name <- paste(c(now$path, table), collapse = "\n")
  known <- state$sqlite_types[[name]]
  if (!is.null(now) && identical(known$state, now$state)) return(known$types)
  about <- columns_of_query(connection, query, NULL)
  storage <- storage_of(connection, query, about$name)
  declared <- tolower(declared_types(connection, query))
  types <- vapply(about$name, function(name) {
    sqlite_type(storage[[name]], if (name %in% names(declared)) declared[[name]] else "")
  }, "")
  state$sqlite_types[[name]] <- list(state = now$state, types = types)
  types
}

is_usual_sqlite_table <- function(connection, table) {
  if (!rlang::is_string(table) || inherits(table, "SQL")) return(FALSE)
  made <- DBI::dbGetQuery(connection, paste("SELECT type, sql FROM sqlite_master WHERE lower(name) = lower($1)",
                                            "AND type IN ('table', 'view')"), params = list(table))
  nrow(made) == 1 && made$type == "table" && !grepl("collate|without", made$sql, ignore.case = TRUE)
}

sqlite_type <- function(storage, declared) {
  has <- storage$has
  if (grepl("^(datetime|timestamp|time)$", declared)) return("opaque")
  if (declared == "date") return(if (length(has) && all(has %in% c("real", "integer"))) "date" else "opaque")
  # If a column has no values, the driver decides on its type.
  if (length(has) != 1) return("opaque")
  ends <- c(storage$least, storage$most)
  whole <- has == "integer" && max(abs(as.numeric(ends))) <= .Machine$integer.max
  if (grepl("^bool", declared)) return(if (whole && all(ends %in% c("0", "1"))) "logical" else "opaque")
  switch(has, integer = if (whole) "integer" else "opaque", real = "double", text = "text", "opaque")
}

# The table that the database gives for a relation, as a source: what it is made from is what comes.
new_sql_source <- function(source, relation, title) {
  new_source(c("sql_source", "database_source"), connection = source$connection, table = source$table,
             query = relation_sql(relation), types = NULL, relation = relation, title = title, base = source)
}

# By the state of the table that it is made from, where that can be told without fetching; else by what comes.
#' @export
source_parts.sql_source <- function(source, call) {
  base <- source$base
  known <- if (!is.null(base$changes_with)) sign_of_change(base, call)
           else if (is.null(base$query)) c(content_state(base$connection)$state,
                                           as.vector(content_number(base$connection, base, call)))[1]
  if (is.null(known)) return(NextMethod())
  data.frame(name = source_title(source), hash = rlang::hash(c(known, source$query)))
}

#' @export
source_title.sql_source <- function(source) source$title

#' @export
source_columns.sql_source <- function(source, call) names(source$relation$columns)

#' @export
source_read.sql_source <- function(source, columns, call) {
  relation <- source$relation
  query <- source$query
  if (!is.null(columns) && length(columns) < length(relation$columns)) {
    relation$columns <- relation$columns[columns]
    query <- relation_sql(relation)
  }
  tryCatch(fetch_relation(source$connection, query, relation, call), error = stop_sql_failed)
}

# A statement that fails where the same in memory may not.
stop_sql_failed <- function(e) {
  go_on_interrupted(e)
  reason <- if (is.null(e$said)) one_text(conditionMessage(e)) else e$said
  rlang::abort("", class = "rowanroot_sql_failed", reason = reason, parent = e)
}

# Where the driver guesses types by the first values, columns get theirs piece by piece.
fetch_relation <- function(connection, query, relation, call) {
  types <- types_in_sql(relation$columns)
  as_known <- function(data) {
    names(data) <- names(types)
    data[] <- Map(fetched_as, data, types)
    data
  }
  if (relation$dialect$is_typed) return(as_known(query_database(connection, query, NULL, call)))
  all_pieces(function(keep) {
    each_fetched(connection, DBI::SQL(query), list(), character(), function(data) keep(as_known(data)), call)
  }, call)
}

fetched_as <- function(column, type) {
  if (is_category_type(type)) return(factor(column, levels_of_type(type), ordered = TRUE))
  switch(type,
    logical = if (is.logical(column)) column else as.logical(column),
    integer = if (is.integer(column)) column else as.integer(column),
    double = if (is.double(column)) column else as.numeric(column),
    text = if (is.character(column)) column else as.character(column),
    date = if (inherits(column, "Date")) column else structure(as.numeric(column), class = "Date"),
    column
  )
}
