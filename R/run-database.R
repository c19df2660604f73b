# Tables of databases as outputs.

# Either a connection of the user's, or the path of an SQLite file, which is opened when it is needed.
new_database_target <- function(connection, path, table, call) {
  check_package(if (is.null(path)) "DBI" else file_kinds$sqlite$packages, "Databases", call)
  if (is.null(table)) {
    stop_because(c("Which table of the database?",
                   "try" = paste0("Write {.code save_table(x, {if (is.null(path)) 'connection' else quoted(path)}, ",
                                "table = \"yield\")}.")), "bad_argument", call)
  }
  if (!inherits(table, "Id") && (!rlang::is_string(table) || !nzchar(table))) {
    stop_because("{.arg table} must be the name of one table, not {.code {one_line(table)}}.", "bad_argument", call)
  }
  if (is.null(path) && !DBI::dbIsValid(connection)) stop_because("The connection is closed.", "database", call)
  of <- if (is.null(path)) DBI::dbGetInfo(connection)$dbname else plain_path(path)
  if (!is.null(path)) path <- reachable_path(path)
  new_target("database", paste0(c(of, paste("table", table_label(table))), collapse = ", "), connection = connection,
             path = path, table = table)
}

#' @export
target_exists.database_target <- function(target) {
  if (!is.null(target$path) && !file.exists(target$path)) return(FALSE)
  with_connection(target, function(connection) DBI::dbExistsTable(connection, target$table))
}

#' @export
target_hash.database_target <- function(target) {
  tryCatch(with_connection(target, function(connection) hash_of_table(connection, target$table)$hash),
           rowanroot_nested_values = not_ours, rowanroot_unreadable_value = not_ours, rowanroot_bad_text = not_ours)
}

# Records of earlier versions have the hash of what was fetched.
#' @export
content_record.database_target <- function(target, records) {
  record <- record_of_content(records, target_hash(target))
  if (!is.null(record) || !length(records) || !target_exists(target)) return(record)
  fetched <- tryCatch(with_connection(target, function(connection) hash_of_fetched(connection, target$table)$hash),
                      rowanroot_error = function(e) NULL)
  if (!is.null(fetched)) record_of_content(records, fetched)
}

#' @export
target_write.database_target <- function(target, x, now, found, force, call) {
  rows <- written_there(target, x, now, found, force, call)
  if (is.null(rows)) write_from_here(target, x, now, found, force, call) else rows
}

# The number of rows that were written in the database without fetching them; NULL where that can't be.
written_there <- function(target, x, now, found, force, call) {
  connection <- target$connection
  source <- rooted(x)$source
  if (is.null(connection) || !inherits(source, "database_source") || !is_same_database(source$connection, connection)) {
    return(NULL)
  }
  # Who waits for another run does so before the snapshot of what is written begins.
  with_table_locked(connection, target$table, looked_at_in_database(x, function(relation, there) {
    if (any(types_in_sql(relation$columns) == "opaque")) return(NULL)
    on_servers <- written_on_servers(target, x, relation, now, found, force, call)
    if (!is.null(on_servers)) return(on_servers)
    like <- first_in_database(relation, connection, 0)
    statement <- relation_sql(relation, ordered = FALSE)
    in_transaction(target, connection, call, function() {
      write_table_there(connection, target$table, like, statement, force, call)
      check_no_nan(connection, target$table, relation, call)
      check_names_kept(connection, target$table, names(like))
      written <- hash_of_table(connection, target$table)
      record_output(target, now, written$hash, written$rows, names(like), found, force, call)
      written$rows
    })
  }, call))
}

is_same_database <- function(one, other) {
  if (identical(one, other)) return(TRUE)
  own <- database_identity(one)
  !is.null(own) && identical(own, database_identity(other))
}

check_names_kept <- function(connection, table, names) {
  other <- setdiff(names, DBI::dbListFields(connection, table))
  if (length(other)) stop("it can't have a column named ", quoted(other[1]), call. = FALSE)
}

# As memory refuses it.
check_no_nan <- function(connection, table, relation, call) {
  for (name in names(Filter(function(column) isTRUE(column$nan) && column$type == "double", relation$columns))) {
    query <- paste0("SELECT 1 FROM ", DBI::dbQuoteIdentifier(connection, table), " WHERE ",
                    sql_name(relation$dialect, name), " = 'NaN' LIMIT 1")
    found <- DBI::dbGetQuery(connection, DBI::SQL(query))
    if (nrow(found)) stop_not_held("A database", name, "has values that are not a number",
                                   "Make them missing: {.code {name}[is.nan({name})] <- NA}.", call)
  }
}

in_transaction <- function(target, connection, call, write) {
  is_written <- FALSE
  alone <- function() {
    wait_for_others(connection, target$table)
    rows <- write()
    is_written <<- TRUE
    rows
  }
  is_begun <- identical(state$in_snapshot, connection)
  rows <- tryCatch(if (is_begun) alone() else DBI::dbWithTransaction(connection, alone()), error = function(e) {
    if (inherits(e, "rowanroot_error")) stop(e)
    go_on_interrupted(e)
    said <- one_text(conditionMessage(e))
    stop_because(c("Can't write the table {.val {table_label(target$table)}}.", "found" = "Its message: {said}",
                   "found" = "The table did not change."), "database", call, said = said)
  })
  # A driver may end a transaction that is interrupted as if there were nothing to it.
  if (!is_written) rlang::interrupt()
  rows
}

write_from_here <- function(target, x, now, found, force, call) {
  data <- database_columns(noting_drawn(table_data(x, call), function() now$drawn <<- TRUE, now$lines, call), call)
  if (!is.null(target$path)) make_folder_of(target$path, call)
  before <- NULL
  is_new <- !is.null(target$path) && !file.exists(target$path)
  is_written <- FALSE
  on.exit({
    if (is_new && !is_written) remove_files(paste0(target$path, c("", "-journal")))
    if (!is.null(before)) before(is_written)
  })
  with_connection(target, writes = TRUE, function(connection) {
    check_held(data, connection, call)
    sent <- sendable_columns(connection, data, call)
    write <- function() {
      if (!is.null(target$path) && DBI::dbExistsTable(connection, target$table)) {
        each <- function(work) each_piece(connection, all_of_table(connection, target$table), NULL, work, call)
        before <<- tryCatch(keep_table_before(target$name, each), rowanroot_error = function(e) NULL)
      }
      write_table(connection, target$table, data, sent, force, call)
      written <- hash_of_table(connection, target$table)
      if (written$rows != nrow(data)) stop("it kept ", written$rows, " of ", nrow(data), " rows", call. = FALSE)
      check_names_kept(connection, target$table, names(data))
      record_output(target, now, written$hash, nrow(data), names(data), found, force, call)
    }
    in_transaction(target, connection, call, write)
  })
  is_written <- TRUE
  nrow(data)
}
