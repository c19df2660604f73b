# Views as outputs: a database's own name for what a statement gives, so that it follows the tables by itself.

new_view_target <- function(connection, table, call) {
  if (!inherits(connection, "DBIConnection")) {
    stop_because(c("A view is made in the database of its table.",
                   "try" = "{.code save_table(x, connection, table = \"yield\", as = \"view\")}"), "bad_argument", call)
  }
  target <- new_database_target(connection, NULL, table, call)
  target$name <- sub(", table ", ", view ", target$name, fixed = TRUE)
  class(target) <- c("view_target", class(target))
  target
}

# What is in it follows by itself: it is made anew only if it is defined in another way.
#' @export
origin_of_output.view_target <- function(target, x, call) {
  source <- rooted(x)$source
  if (!is_in_database(x)) stop_no_view("It is made from {source_title(source)}.", call, source = source)
  table_origin(x, call, parts = data.frame(name = source_title(source), hash = "followed by a view"))
}

#' @export
content_record.view_target <- function(target, records) record_of_content(records, target_hash(target))

# Something else of that name has no definition.
#' @export
target_hash.view_target <- function(target) rlang::hash(view_definition(target$connection, target$table))

view_definition <- function(connection, table) UseMethod("view_definition")

#' @export
view_definition.default <- function(connection, table) NULL

#' @export
view_definition.PqConnection <- function(connection, table) {
  name <- sql_name_of_table(connection, table)
  asked <- "SELECT pg_get_viewdef(oid) AS made FROM pg_class WHERE oid = to_regclass($1) AND relkind = 'v'"
  DBI::dbGetQuery(connection, asked, params = list(name))$made
}

#' @export
view_definition.SQLiteConnection <- function(connection, table) {
  asked <- "SELECT sql AS made FROM sqlite_master WHERE type = 'view' AND lower(name) = lower($1)"
  DBI::dbGetQuery(connection, asked, params = list(table_label(table)))$made
}

#' @export
target_write.view_target <- function(target, x, now, found, force, call) {
  connection <- target$connection
  source <- rooted(x)$source
  if (!is_same_database(source$connection, connection)) stop_no_view("Its table is in another database.", call)
  pushed <- pushed_steps(x, call)
  if (is.null(pushed)) stop_no_view("Its table is a query, or of a kind whose steps run here.", call)
  if (!is.null(pushed$reason)) stop_no_view("The database can't do in the same way: {reason}.", call,
                                            reason = pushed$reason)
  if (length(pushed$relation$prepare)) {
    stop_no_view("A {.code running()} needs a function, which ends with the session.", call)
  }
  check_in_database(pushed$relation, connection, call)
  name <- DBI::dbQuoteIdentifier(connection, target$table)
  in_transaction(target, connection, call, function() {
    make_room_for_view(connection, target$table)
    statement <- relation_sql(pushed$relation, ordered = FALSE)
    DBI::dbExecute(connection, DBI::SQL(paste0("CREATE VIEW ", name, " AS\n", statement)))
    if (is_of_session(connection, target$table)) stop_no_view("Its table ends with the session.", call)
    record_output(target, now, target_hash(target), NULL, names(pushed$relation$columns), found, force, call)
  })
  count_in_database(pushed$relation, connection)
}

# Whether what is made of tables of the session is one itself.
is_of_session <- function(connection, table) {
  if (!inherits(connection, "PqConnection")) return(FALSE)
  name <- sql_name_of_table(connection, table)
  asked <- "SELECT relpersistence = 't' AS is_so FROM pg_class WHERE oid = to_regclass($1)"
  isTRUE(DBI::dbGetQuery(connection, asked, params = list(name))$is_so)
}

make_room_for_view <- function(connection, table) {
  if (!DBI::dbExistsTable(connection, table)) return(invisible())
  kind <- if (length(view_definition(connection, table))) "VIEW" else "TABLE"
  DBI::dbExecute(connection, DBI::SQL(paste("DROP", kind, DBI::dbQuoteIdentifier(connection, table))))
}

stop_no_view <- function(why, call, ...) {
  list2env(list(...), environment())
  stop_because(c("This table can't be a view.", "found" = why,
                 "try" = "Save it as a table: leave out {.code as = \"view\"}.",
                 "try" = "{.code show_steps(x)} says which steps run in the database."), "not_in_database", call)
}
