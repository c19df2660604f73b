# Tables whose rows are on several servers: in PostgreSQL a partitioned table, whose partitions are tables of other
# servers (postgres_fdw).

# NULL for other tables. Else the `partitions`, a data frame with the name of each `here`, the `server`, its name
# `there`, and its `bound`; the columns of the partition `key`, and the `strategy` by which they part rows.
servers_of_table <- function(connection, from) {
  ask <- function(text) DBI::dbGetQuery(connection, text, params = list(from))
  parted <- ask(paste0("SELECT partstrat::text AS strategy, pg_get_partkeydef(partrelid) AS made, attname::text AS ",
                       "name, quote_ident(attname) AS quoted FROM pg_partitioned_table, unnest(partattrs::int2[]) ",
                       "WITH ORDINALITY AS a (number, place) JOIN pg_attribute ON attnum = number WHERE partrelid = ",
                       "to_regclass($1) AND attrelid = partrelid ORDER BY place"))
  if (!nrow(parted)) return(NULL)
  strategy <- c(h = "HASH", l = "LIST", r = "RANGE")[[parted$strategy[1]]]
  # Keys that are formulas, or compared in a way of their own.
  if (parted$made[1] != paste0(strategy, " (", paste(parted$quoted, collapse = ", "), ")")) return(NULL)
  key <- parted$name
  option <- function(name, otherwise) {
    paste0("coalesce((SELECT option_value FROM pg_options_to_table(ftoptions) WHERE option_name = '", name, "'), ",
           otherwise, ")")
  }
  found <- ask(paste0("SELECT c.oid::regclass::text AS here, s.srvname::text AS server, fdwname::text AS kind, ",
                      option("schema_name", "nspname"), " AS schema, ", option("table_name", "relname"),
                      " AS name, pg_get_expr(relpartbound, c.oid) AS bound, EXISTS (SELECT 1 FROM pg_attribute ",
                      "WHERE attrelid = c.oid AND attfdwoptions IS NOT NULL) AS renamed FROM pg_inherits JOIN ",
                      "pg_class c ON c.oid = inhrelid JOIN pg_namespace n ON n.oid = relnamespace LEFT JOIN ",
                      "pg_foreign_table ON ftrelid = c.oid LEFT JOIN pg_foreign_server s ON s.oid = ftserver LEFT ",
                      "JOIN pg_foreign_data_wrapper w ON w.oid = srvfdw WHERE inhparent = to_regclass($1) ",
                      "ORDER BY c.relname"))
  if (!nrow(found) || anyNA(found$kind) || any(found$kind != "postgres_fdw" | found$renamed)) return(NULL)
  schema <- DBI::dbQuoteIdentifier(connection, found$schema)
  found$there <- paste0(schema, ".", DBI::dbQuoteIdentifier(connection, found$name))
  list(partitions = found, key = key, strategy = strategy)
}

# Whether statements can be sent to these servers from the one above them.
has_dblink <- function(connection) {
  nrow(DBI::dbGetQuery(connection, "SELECT 1 FROM pg_extension WHERE extname = 'dblink'")) == 1
}

# Runs a statement on each of the servers, on all at once, and gives what each answers: rows of these `columns`, or,
# without any, the command's status. If one fails the others are stopped.
on_servers <- function(connection, servers, statements, columns = "status text") {
  ask <- function(text, ...) DBI::dbGetQuery(connection, text, params = list(...))
  links <- paste0("rowanroot_", new_nonce(), "_", seq_along(servers))
  is_open <- rep(FALSE, length(links))
  on.exit({
    for (link in links[is_open]) {
      try(ask("SELECT dblink_cancel_query($1)", link), silent = TRUE)
      try(ask("SELECT dblink_disconnect($1)", link), silent = TRUE)
    }
  })
  for (k in seq_along(links)) {
    ask("SELECT dblink_connect($1, $2)", links[k], servers[k])
    is_open[k] <- TRUE
  }
  for (k in seq_along(links)) ask("SELECT dblink_send_query($1, $2)", links[k], statements[k])
  lapply(links, function(link) {
    query <- paste0("SELECT * FROM dblink_get_result($1) AS answer (", columns, ")")
    answer <- ask(query, link)
    # The second is empty: the link is then free.
    ask(query, link)
    answer
  })
}

# The number of all rows (content_number()) as the servers calculate it, each of its own; NULL where they can't.
number_on_servers <- function(connection, from, select, columns, call) {
  servers <- servers_of_table(connection, from)
  if (is.null(servers) || !has_dblink(connection)) return(NULL)
  columns <- paste(DBI::dbQuoteIdentifier(connection, columns), collapse = ", ")
  statements <- paste0(select, " FROM (SELECT ", columns, " FROM ", servers$partitions$there, ") AS asked")
  answers <- tryCatch(on_servers(connection, servers$partitions$server, statements, "rows text, number text"),
                      error = function(e) NULL)
  if (is.null(answers)) return(NULL)
  # Numbers of so many digits are added up there.
  answers <- do.call(rbind, answers)
  sums <- paste0("(", ifelse(is.na(answers), "0", as.matrix(answers)), ")::numeric")
  sums <- matrix(sums, ncol = 2)
  asking(call, DBI::dbGetQuery(connection, paste0("SELECT (", paste(sums[, 1], collapse = " + "), ")::text AS rows, (",
                                                  paste(sums[, 2], collapse = " + "), ")::text AS number")))
}
