# PostgreSQL, by RPostgres. It gives `numeric` as rounded doubles, infinite and early dates as others, and money cut
# off.

#' @export
exact_columns.PqConnection <- function(connection, query, about, asked, call) {
  # Earlier versions of the driver don't give the types of columns.
  if (is.null(about$.typname)) return(list())
  columns <- Map(function(name, type) postgres_column(as.character(DBI::dbQuoteIdentifier(connection, name)), name,
                                                      type, asked, connection, call), about$name, about$.typname)
  Filter(Negate(is.null), columns)
}

postgres_column <- function(quoted, name, type, asked, connection, call) {
  seconds <- paste0("extract(epoch FROM ", quoted, ")::float8")
  switch(type,
    numeric = list(select = paste0(quoted, "::text"), finish = decimal_column(name, asked, call)),
    money = list(select = paste0(quoted, "::numeric::text"), finish = decimal_column(name, asked, call)),
    int8 = if (!identical(connection@bigint, "integer64")) {
      list(select = paste0(quoted, "::text"), finish = function(column, before) bit64::as.integer64(column))
    },
    oid = list(select = paste0(quoted, "::text"), finish = function(column, before) as.numeric(column)),
    date = list(select = seconds, finish = function(column, before) {
      structure(known_time(column, name, before, call) / 86400, class = "Date")
    }),
    timestamptz = , timestamp = list(select = seconds, finish = function(column, before) {
      .POSIXct(known_time(column, name, before, call), "UTC")
    }),
    if (!type %in% c("int2", "int4", "float4", "float8", "bool", "text", "varchar", "bpchar", "char", "name", "time",
                     "bytea")) list(select = paste0(quoted, "::text"))
  )
}

# Decimal numbers are doubles if they have no more digits than these hold, or text if that was asked for.
decimal_column <- function(name, asked, call) {
  function(column, before) {
    if (identical(unname(asked[name]), "text")) return(column)
    digits <- gsub("[-.]", "", ifelse(grepl(".", column, fixed = TRUE), sub("0+$", "", column), column))
    long <- which(nchar(sub("^0+", "", digits)) > 15)
    if (length(long)) {
      stop_database_value(name, before + long[1], paste0("has the number ", column[long[1]],
                                                         ", of more digits than a double holds"),
                          "Read it as text, {.code types = c({name} = \"text\")}, or round it in a query.", call)
    }
    as.numeric(sub("Infinity", "Inf", column, fixed = TRUE))
  }
}

known_time <- function(seconds, name, before, call) {
  infinite <- which(is.infinite(seconds))
  if (length(infinite)) {
    stop_database_value(name, before + infinite[1], "is infinite, which no date here can be",
                        "Make it missing in a query: {.code nullif(day, 'infinity')}.", call)
  }
  seconds
}

# The time at which a server was started identifies it.
#' @export
database_identity.PqConnection <- function(connection) {
  paste(unlist(DBI::dbGetQuery(connection,
                               paste0("SELECT pg_postmaster_start_time()::text AS a, current_setting('port') AS b, ",
                                      "current_database()::text AS c"))), collapse = " ")
}

#' @export
tables_read.PqConnection <- function(connection, query) {
  plan <- DBI::dbGetQuery(connection, DBI::SQL(paste("EXPLAIN (VERBOSE, FORMAT JSON)", query)))[[1]]
  found <- character()
  look <- function(part) {
    if (!is.list(part)) return()
    if (!is.null(part[["Relation Name"]])) found <<- c(found, paste0(part[["Schema"]], ".", part[["Relation Name"]]))
    for (one in part) look(one)
  }
  look(jsonlite::fromJSON(paste(plan, collapse = "\n"), simplifyVector = FALSE))
  unique(found)
}

#' @export
table_identity.PqConnection <- function(connection, table) {
  quoted <- as.character(DBI::dbQuoteIdentifier(connection, table))
  found <- DBI::dbGetQuery(connection,
                           paste0("SELECT n.nspname || '.' || c.relname AS name FROM pg_class c JOIN pg_namespace n ",
                                  "ON n.oid = c.relnamespace WHERE c.oid = to_regclass($1)"),
                           params = list(quoted))$name
  if (length(found)) found
}

#' @export
table_about.PqConnection <- function(connection, table) {
  named <- list(as.character(DBI::dbQuoteIdentifier(connection, table)))
  ask <- function(...) DBI::dbGetQuery(connection, paste0(...), params = named)
  columns <- ask(paste0("SELECT attname::text AS name, format_type(atttypid, atttypmod) AS type FROM pg_attribute ",
                        "WHERE attrelid = $1::regclass AND attnum > 0 AND NOT attisdropped ORDER BY attnum"))
  names_of <- function(what, found) if (length(found)) paste(what, listed(found, in_quotes))
  list(
    columns = columns,
    kept = c(
      names_of("index",
               ask(paste0("SELECT indexrelid::regclass::text AS name FROM pg_index WHERE indrelid = $1::regclass ",
                          "ORDER BY 1"))$name),
      names_of("trigger",
               ask(paste0("SELECT tgname::text AS name FROM pg_trigger WHERE tgrelid = $1::regclass AND NOT ",
                          "tgisinternal ORDER BY 1"))$name),
      names_of("constraint",
               ask(paste0("SELECT conname::text AS name FROM pg_constraint WHERE conrelid = $1::regclass AND ",
                          "contype IN ('c', 'f', 'x') ORDER BY 1"))$name),
      names_of("policy",
               ask("SELECT polname::text AS name FROM pg_policy WHERE polrelid = $1::regclass ORDER BY 1")$name),
      names_of("view",
               ask(paste0("SELECT DISTINCT r.ev_class::regclass::text AS name FROM pg_depend d JOIN pg_rewrite r ON ",
                          "r.oid = d.objid AND d.classid = 'pg_rewrite'::regclass WHERE d.refobjid = ",
                          "$1::regclass AND r.ev_class <> $1::regclass ORDER BY 1"))$name),
      if (nrow(ask("SELECT 1 FROM pg_description WHERE objoid = $1::regclass AND classoid = 'pg_class'::regclass"))) {
        "comments"
      },
      if (nrow(ask("SELECT 1 FROM pg_class WHERE oid = $1::regclass AND relacl IS NOT NULL"))) "grants"
    ),
    refers = ask(paste0("SELECT conrelid::regclass::text AS name FROM pg_constraint WHERE confrelid = $1::regclass ",
                        "AND confdeltype IN ('c', 'n', 'd') ORDER BY 1"))$name
  )
}

#' @export
column_types.PqConnection <- function(connection, data) {
  types <- tolower(DBI::dbDataType(connection, data))
  ifelse(types == "timestamptz", "timestamp with time zone", types)
}

# Moments are sent as text, since the driver cuts them off, and the server rounds to microseconds; doubles too,
# which would lose the sign of zero.
#' @export
sendable_columns.PqConnection <- function(connection, data, call) {
  data[] <- Map(function(column, name) {
    if (inherits(column, "POSIXct")) {
      seconds <- as.numeric(column)
      warn_changed("the database", sum(round(seconds * 1e6) / 1e6 != seconds, na.rm = TRUE), name,
                   "keeps microseconds", call)
    }
    if (inherits(column, "POSIXct") || inherits(column, "Date")) return(iso_text(column, "A database", name, call))
    if (is.double(column) && !is.object(column)) shortest_texts_cpp(column) else column
  }, data, names(data))
  data
}
