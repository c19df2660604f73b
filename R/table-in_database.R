# Steps that run where the rows are: those from the first on that the database can do as memory would. The rest runs
# here, on what was fetched.

# The same table, rooted in what the database gives after those steps; NULL if it can do none.
pushed_table <- function(x, call) {
  table <- rooted(x)
  if (!inherits(table$source, "database_source") || inherits(table$source, "sql_source")) return(NULL)
  if (isFALSE(getOption("rowanroot.in_database"))) return(NULL)
  found <- pushed_steps(x, call)
  if (!identical(getOption("rowanroot.in_database"), "sums")) found <- found$fetched
  if (is.null(found) || found$count == 0) return(NULL)
  source <- new_sql_source(table$source, found$relation, source_title(table$source))
  key <- rlang::hash(c(source$query, vapply(table$steps, key_of_step, "")))
  if (identical(table$cache$pushed$key, key)) return(table$cache$pushed$table)
  rest <- utils::tail(table$steps, length(table$steps) - found$count)
  # Nobody has the tables on the way.
  earlier <- lapply(rest[-1], function(step) rlang::new_weakref(new.env()))
  pushed <- new_rooted_table(source, table$columns, rest, earlier)
  table$cache$pushed <- list(key = key, table = pushed)
  pushed
}

# What a database can do of a table's steps: see steps_in_sql(). NULL if it is none that is known.
pushed_steps <- function(x, call) {
  relation <- source_relation(rooted(x)$source, call)
  if (is.null(relation)) return(NULL)
  relation$tables <- tables_there(x, call)
  found <- steps_in_sql(rooted(x)$steps, relation)
  if (is.null(found$lacks_order)) return(prepared(found, rooted(x)$source$connection))
  stop_because(c("{.code {found$lacks_order}} needs an order of rows, and a table without a primary key has none.",
                 "in" = "{source_title(rooted(x)$source)}",
                 "try" = "Say which: {.code along = day}, or {.code sort_rows(day)} before it.",
                 "try" = "A primary key of the table is an order, too."), "no_order", call)
}

# The same once the session is prepared for its statement; where it can't be, no step runs there.
prepared <- function(found, connection) {
  for (statement in found$relation$prepare) {
    done <- tryCatch(DBI::dbExecute(connection, DBI::SQL(statement)), error = function(e) conditionMessage(e))
    if (is.character(done)) return(NULL)
  }
  found
}

# Relations of the other tables that the steps take, where these are in the same database and all of their steps run
# there, by the keys of what their values are made from.
tables_there <- function(x, call) {
  others <- unlist(lapply(rooted(x)$steps, looked_up_by), recursive = FALSE)
  tables <- lapply(others, function(other) {
    if (!identical(rooted(other$table)$source$connection, rooted(x)$source$connection)) return(NULL)
    found <- pushed_steps(current_table(other$table, call), call)
    if (!is.null(found) && is.null(found$reason) && is.null(found$relation$checks)) found$relation
  })
  stats::setNames(tables, vapply(others, function(other) other$origin$key, ""))
}

# The checks of a relation, as memory makes them.
check_in_database <- function(relation, connection, call) {
  for (check in relation$checks) {
    if (!is.null(check$joined)) {
      tell_joined_there(check, connection)
      next
    }
    count <- function(condition, as) {
      paste0("CAST(coalesce(sum(CASE WHEN ", condition, " THEN 1 ELSE 0 END), 0) AS ",
             relation$dialect$types[["double"]], ") AS ", as, seq_along(condition))
    }
    numbers <- c(count(paste0("NOT ", check$conditions), "n"), count(paste(check$conditions, "IS NULL"), "m"))
    query <- paste0("WITH ", with_parts(check$relation), "\nSELECT ", paste(numbers, collapse = ", "), "\nFROM ",
                    check$relation$from)
    counts <- matrix(as.numeric(unlist(ask_database(connection, query))), ncol = 2)
    if (!is.null(check$step$check)) check$step$check$is_done <- TRUE
    broken <- lapply(which(rowSums(counts) > 0), function(at) {
      c(list(rows = sum(counts[at, ]), missing = counts[at, 2] > 0, at = at), first_broken(check, at, connection))
    })
    if (length(broken)) tell_broken(check$step, broken, call)
  }
}

# How many rows a join that takes several for one gives, as memory tells it.
tell_joined_there <- function(check, connection) {
  joined <- check$joined
  place <- place_in_sql(joined$dialect)
  number <- function(sql) paste0("CAST(", sql, " AS ", joined$dialect$types[["double"]], ")")
  several <- paste0("count(DISTINCT CASE WHEN ", check$times, " > 1 THEN ", place, " END)")
  query <- paste0("WITH ", with_parts(joined), "\nSELECT ", number(paste0("count(", place, ")")), " AS pairs, ",
                  number(several), " AS several\nFROM ", joined$from)
  found <- lapply(ask_database(connection, query), as.numeric)
  if (found$several) tell_several(found, count_in_database(check$before, connection))
}

# What a query gives; its failure is one of the database.
ask_database <- function(connection, query) {
  tryCatch(DBI::dbGetQuery(connection, DBI::SQL(query)), error = function(e) stop_sql_failed(e))
}

# The first rows in which a condition does not hold, by their numbers in the table's order.
first_broken <- function(check, at, connection) {
  columns <- columns_of_condition(check$step, at)
  relation <- check$relation
  place <- fresh_name(relation, "place")
  relation <- with_part(relation, c("*", paste0("row_number()", window_text(list(), relation$order), " AS ", place)))
  relation <- with_part(relation, "*", paste0("\n  WHERE ", check$conditions[at], " IS NOT TRUE"))
  relation$columns <- c(relation$columns[columns], list(.place = list(sql = place, type = "integer")))
  relation$order <- paste(place, "NULLS LAST")
  first <- first_in_database(relation, connection, 3)
  list(first = first$.place, values = as.list(first)[columns])
}

# The values that the database gives, or NULL if it can't: then all is calculated here.
values_from_database <- function(x, look, call) {
  pushed <- pushed_table(x, call)
  if (is.null(pushed)) return(NULL)
  source <- rooted(pushed)$source
  # What fails here is no failure of the database.
  look_there(x, source$relation, source$connection, call, function() look(pushed), failure = "rowanroot_sql_failed")
}

# What a look at the relation of all steps gives; NULL where the database can't do them all, or fails.
looked_at_in_database <- function(x, look, call = NULL) {
  x <- current_table(x, call)
  source <- rooted(x)$source
  if (!inherits(source, "database_source") || isFALSE(getOption("rowanroot.in_database"))) return(NULL)
  found <- pushed_steps(x, call)
  if (is.null(found) || !is.null(found$reason)) return(NULL)
  look_there(x, found$relation, source$connection, call, function() look(found$relation, source$connection))
}

# Where conditions are checked first, all statements see the database as it is at the first of them. In a transaction of
# the user's that is for the user to say.
in_one_snapshot <- function(connection, relation, code) {
  if (is.null(relation$checks)) return(code)
  if (isFALSE(tryCatch(DBI::dbBegin(connection), error = function(e) FALSE))) return(code)
  is_done <- FALSE
  outer <- state$in_snapshot
  state$in_snapshot <- connection
  on.exit({
    state$in_snapshot <- outer
    if (!is_done) try(DBI::dbRollback(connection), silent = TRUE)
  })
  keep_snapshot(connection)
  value <- code
  DBI::dbCommit(connection)
  is_done <- TRUE
  value
}

# In a transaction that has begun.
keep_snapshot <- function(connection) UseMethod("keep_snapshot")

#' @export
keep_snapshot.default <- function(connection) invisible()

#' @export
keep_snapshot.PqConnection <- function(connection) {
  DBI::dbExecute(connection, "SET TRANSACTION ISOLATION LEVEL REPEATABLE READ")
}

# What failed because the values are such as they are is not tried again.
look_there <- function(x, relation, connection, call, look, failure = "error") {
  statement <- rlang::hash(relation_sql(relation, ordered = FALSE))
  cache <- rooted(x)$cache
  if (identical(cache$failed_there, statement)) return(NULL)
  tryCatch(in_one_snapshot(connection, relation, {
    check_in_database(relation, connection, call)
    look()
  }), error = function(e) {
    go_on_interrupted(e)
    # What is wrong with the table is wrong here, too.
    is_of_table <- inherits(e, "rowanroot_error") && !inherits(e, "rowanroot_database")
    if (is_of_table || !inherits(e, failure)) stop(e)
    said <- c(e$reason, e$said, one_text(conditionMessage(e)))[1]
    if (is_made_to_fail(said)) cache$failed_there <- statement
    note_done_here(said)
  })
}

# Where memory gives another value or an error a statement is made to fail: the server's message says nothing then.
is_made_to_fail <- function(said) grepl("integer overflow|division by zero", said)

note_done_here <- function(said) {
  said <- if (is_made_to_fail(said)) "" else paste0(" Its message: ", said)
  note_that("The database can't do this in the same way, so it is done here.{said}", "calculated_here")
}

count_in_database <- function(relation, connection) {
  query <- paste0("SELECT CAST(count(*) AS ", relation$dialect$types[["double"]], ") AS rows FROM (",
                  relation_sql(relation, ordered = FALSE), "\n) AS asked")
  rows <- as.numeric(DBI::dbGetQuery(connection, DBI::SQL(query))[[1]])
  if (rows <= .Machine$integer.max) as.integer(rows) else rows
}

first_in_database <- function(relation, connection, count) {
  query <- paste0(relation_sql(relation), "\nLIMIT ", format(count, scientific = FALSE))
  fetch_relation(connection, query, relation, NULL)
}

# How many rows there are, and in how many each column is missing.
counts_in_database <- function(relation, connection) {
  names <- sql_name(relation$dialect, names(relation$columns))
  known <- Map(function(name, column) {
    known_number(list(sql = name, nan = isTRUE(column$nan) && column$type == "double"))
  }, names, relation$columns)
  double <- relation$dialect$types[["double"]]
  query <- paste0("SELECT ", paste0("CAST(", c("count(*)", paste0("count(*) - count(", known, ")")), " AS ", double,
                                    ") AS r", 0:length(names), collapse = ", "),
                  " FROM (", relation_sql(relation, ordered = FALSE), "\n) AS asked")
  found <- as.numeric(unlist(DBI::dbGetQuery(connection, DBI::SQL(query))))
  list(rows = found[1], missing = found[-1])
}

#' The statement that a database would run
#'
#' Steps of a table of a database run there, as far as they can. `in_sql()` shows the statement; [show_steps()] says
#' which steps it does, and why the rest runs here.
#'
#' @param x A rooted table, opened from a connection.
#' @return The statement, a text of class `sql_text`, which prints as it is.
#' @section Errors:
#' `rowanroot_not_a_table`, `rowanroot_not_in_database` for a table that is not in a database, or in one whose kind is
#' not known.
#' @examplesIf requireNamespace("RSQLite", quietly = TRUE)
#' connection <- DBI::dbConnect(RSQLite::SQLite(), extended_types = TRUE)
#' visits <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5))
#' DBI::dbWriteTable(connection, "visits", visits)
#' open_table(connection, table = "visits") |>
#'   set_columns({ place <- ranking(gross_kg, best = "highest") }) |>
#'   in_sql()
#' DBI::dbDisconnect(connection)
#' @export
in_sql <- function(x) {
  call <- quote(in_sql())
  if (!is_rooted_table(x)) {
    stop_because(c("{.arg x} must be a rooted table, not {what_is(x)}.",
                   "try" = "Open a table of a database: {.code open_table(connection, table = \"visits\")}."),
                 "not_a_table", call)
  }
  x <- current_table(x, call)
  found <- pushed_steps(x, call)
  if (is.null(found)) {
    stop_because(c("This table's steps don't run in a database.",
                   "found" = "It is rooted in {source_title(rooted(x)$source)}.",
                   "try" = "Tables of PostgreSQL and SQLite, opened from a connection, can be asked for."),
                 "not_in_database", call)
  }
  structure(relation_sql(found$relation), class = "sql_text")
}

#' @export
print.sql_text <- function(x, ...) {
  cat(x, sep = "\n")
  invisible(x)
}
