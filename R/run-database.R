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

#' @export
target_write.database_target <- function(target, x, now, found, force, call) {
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
      other <- setdiff(names(data), DBI::dbListFields(connection, target$table))
      if (length(other)) stop("it can't have a column named ", quoted(other[1]), call. = FALSE)
      record_output(target, now, written$hash, nrow(data), names(data), found, force, call)
    }
    tryCatch(DBI::dbWithTransaction(connection, write()), error = function(e) {
      if (inherits(e, "rowanroot_error")) stop(e)
      stop_because(c("Can't write the table {.val {table_label(target$table)}}.",
                     "found" = "Its message: {one_text(conditionMessage(e))}", "found" = "The table did not change."),
                   "database", call)
    })
  })
  is_written <- TRUE
  nrow(data)
}
