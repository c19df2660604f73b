# Tables whose rows stay on the servers that they are on: each server makes its part of the output from its part of the
# source, and the server above has a table of these parts.

# The number of rows that were written; NULL where the rows of one server don't suffice for what is calculated of them.
written_on_servers <- function(target, x, relation, now, found, force, call) {
  connection <- target$connection
  servers <- relation$servers
  by <- match(servers$by, sql_of(relation$columns))
  if (is.null(servers) || isTRUE(relation$crosses) || anyNA(by) || !has_dblink(connection)) return(NULL)
  key <- names(relation$columns)[by]
  made <- parts_to_make(target, x, servers, call)
  left <- drop_unfinished(target)
  note_unfinished(target, made, left)
  is_done <- FALSE
  on.exit(if (!is_done && drop_on_servers(connection, made)) forget_unfinished(target))
  asking(call, on_servers(connection, made$server, paste0("CREATE TABLE ", made$there, " AS\n", made$statement)))
  like <- first_in_database(relation, connection, 0)
  old <- NULL
  rows <- in_transaction(target, connection, call, function() {
    old <<- old_parts(connection, target$table)
    note_unfinished(target, made, old, left)
    attach_parts(connection, target$table, like, key, servers$strategy, made, force, call)
    check_no_nan(connection, target$table, relation, call)
    check_names_kept(connection, target$table, names(like))
    written <- hash_of_table(connection, target$table)
    record_output(target, now, written$hash, written$rows, names(like), found, force, call)
    written$rows
  })
  is_done <- TRUE
  if (drop_on_servers(connection, old)) forget_unfinished(target)
  rows
}

# For each partition of the source its server, its bound, the name of the table that is to be made, here and `there`,
# and the statement that gives its rows.
parts_to_make <- function(target, x, servers, call) {
  parts <- servers$partitions
  steps <- rooted(x)$steps
  parts$statement <- vapply(servers$there, function(relation) {
    relation_sql(steps_in_sql(steps, relation)$relation, ordered = FALSE)
  }, "")
  label <- substr(gsub("[^A-Za-z0-9_]", "_", table_label(target$table)), 1, 30)
  parts$name <- paste0(label, "_", seq_len(nrow(parts)), "_", substr(rlang::hash(new_nonce()), 1, 12))
  name <- DBI::dbQuoteIdentifier(target$connection, parts$name)
  parts$there <- paste0(DBI::dbQuoteIdentifier(target$connection, parts$schema), ".", name)
  parts
}

# The table above, in place of one that may be there.
attach_parts <- function(connection, table, like, key, strategy, parts, force, call) {
  name <- DBI::dbQuoteIdentifier(connection, table)
  quoted_names <- function(names) as.character(DBI::dbQuoteIdentifier(connection, names))
  if (DBI::dbExistsTable(connection, table)) {
    check_nothing_lost(table_about(connection, table), table, force, call)
    DBI::dbRemoveTable(connection, table)
  }
  execute_sql <- function(...) DBI::dbExecute(connection, DBI::SQL(paste0(...)))
  execute_sql("CREATE TABLE ", name, " (", paste(quoted_names(names(like)), column_types(connection, like),
                                                 collapse = ", "),
              ") PARTITION BY ", strategy, " (", paste(quoted_names(key), collapse = ", "), ")")
  for (k in seq_len(nrow(parts))) {
    execute_sql("CREATE FOREIGN TABLE ", quoted_names(parts$name[k]), " PARTITION OF ", name, " ", parts$bound[k],
                " SERVER ", quoted_names(parts$server[k]), " OPTIONS (schema_name ",
                DBI::dbQuoteString(connection, parts$schema[k]), ", table_name ",
                DBI::dbQuoteString(connection, parts$name[k]), ", fetch_size '10000')")
  }
}

# The parts of an output that was made like this before, by the names that only such have.
old_parts <- function(connection, table) {
  name <- sql_name_of_table(connection, table)
  parts <- servers_of_table(connection, name)$partitions
  parts[grepl("_[0-9]+_[0-9a-f]{12}$", parts$name), ]
}

# What can't be dropped is left there: the output is complete without. Whether nothing is left.
drop_on_servers <- function(connection, parts) {
  dropped <- vapply(seq_len(NROW(parts)), function(k) {
    !inherits(try(on_servers(connection, parts$server[k], paste("DROP TABLE IF EXISTS", parts$there[k])),
                  silent = TRUE), "try-error")
  }, NA)
  all(dropped)
}

# A run that is ended at once leaves the parts that it made, or those that they replace. Their names are noted beside
# the journal until then, and the next run drops those that are no part of the output.
no_parts <- data.frame(server = character(), name = character(), there = character())

unfinished_parts_path <- function(target) {
  file.path(journal_folder(), "unfinished", paste0(rlang::hash(target$name), ".json"))
}

note_unfinished <- function(target, ...) {
  path <- unfinished_parts_path(target)
  dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
  parts <- do.call(rbind, lapply(list(...), function(parts) parts[names(no_parts)]))
  replace_text(path, as_json(as.list(parts)))
}

forget_unfinished <- function(target) remove_files(unfinished_parts_path(target))

# Gives those that can't be dropped.
drop_unfinished <- function(target) {
  left <- json_in_file(unfinished_parts_path(target))
  if (is.null(left)) return(no_parts)
  left <- as.data.frame(lapply(left, unlist))
  left <- left[!left$name %in% old_parts(target$connection, target$table)$name, ]
  if (drop_on_servers(target$connection, left)) no_parts else left
}
