# SQLite, by RSQLite. A column may hold values of any type, which the driver makes those of the first; a file may
# have been left by a process that was killed while writing.

#' @export
exact_columns.SQLiteConnection <- function(connection, query, about, asked, call) {
  kinds <- storage_of(connection, query, about$name)
  declared <- declared_types(connection, query)
  columns <- lapply(stats::setNames(nm = about$name), function(name) {
    if (identical(unname(asked[name]), "text")) {
      return(list(select = paste0("CAST(", DBI::dbQuoteIdentifier(connection, name), " AS TEXT)")))
    }
    column <- list(connection = connection, query = query, name = name,
                   quoted = as.character(DBI::dbQuoteIdentifier(connection, name)), call = call)
    sqlite_column(c(column, kinds[[name]]), if (name %in% names(declared)) declared[[name]] else "",
                  isTRUE(connection@extended_types))
  })
  Filter(Negate(is.null), columns)
}

# Within another query, SQLite gives columns of one name other names.
#' @export
described_query.SQLiteConnection <- function(connection, query) query

# What types the values of columns have, as `has`, and, where some are integers, between which these are, as text so
# that no digit is lost.
storage_of <- function(connection, query, names) {
  found <- list()
  # There may be 2,000 results at most.
  for (some in split(names, (seq_along(names) - 1) %/% 400)) {
    quoted <- as.character(DBI::dbQuoteIdentifier(connection, some))
    type <- paste0("nullif(typeof(", quoted, "), 'null')")
    values <- ask_once(connection, query, rbind(paste0("min(", type, ")"), paste0("max(", type, ")"),
                                                paste0("CAST(min(", quoted, ") AS TEXT)"),
                                                paste0("CAST(max(", quoted, ") AS TEXT)")))
    for (k in seq_along(some)) {
      own <- as.character(unlist(values[1, 4 * (k - 1) + 1:4]))
      # The least and the greatest of types by name: if they are one, all are.
      found[[some[k]]] <- if (own[1] %in% own[2]) list(has = own[1], least = own[3], most = own[4])
                          else if (is.na(own[1])) list(has = character())
                          else several_types(connection, query, quoted[k])
    }
  }
  found
}

several_types <- function(connection, query, quoted) {
  types <- c("integer", "real", "text", "blob")
  integer <- paste0("CASE WHEN typeof(", quoted, ") = 'integer' THEN ", quoted, " END")
  values <- ask_once(connection, query, c(paste0("max(typeof(", quoted, ") = '", types, "')"),
                                          paste0("CAST(min(", integer, ") AS TEXT)"),
                                          paste0("CAST(max(", integer, ") AS TEXT)")))
  list(has = types[unlist(values[1, 1:4]) == 1], least = values[[5]], most = values[[6]])
}

# One row of what is asked of all rows of the query.
ask_once <- function(connection, query, asked) {
  DBI::dbGetQuery(connection, DBI::SQL(paste0("SELECT ", paste0(asked, " AS r", seq_along(asked), collapse = ", "),
                                              " FROM (", query, "\n) AS asked")))
}

# The types with which columns of tables were made, where the query gives them as they are: a view of it would have
# them.
declared_types <- function(connection, query) {
  table <- sub("^SELECT \\* FROM (`.*`)$", "\\1", query)
  if (table == query) return(character())
  parts <- regmatches(table, gregexpr("`([^`]|``)*`", table))[[1]]
  schema <- if (length(parts) > 1) paste0(parts[1], ".")
  about <- tryCatch(DBI::dbGetQuery(connection, DBI::SQL(paste0("PRAGMA ", schema, "table_info(",
                                                                parts[length(parts)], ")"))),
                    error = function(e) NULL)
  stats::setNames(as.character(about$type), as.character(about$name))
}

# How a column is asked for, by what is stored in it.
sqlite_column <- function(column, declared, knows_times) {
  has <- column$has
  if (knows_times && grepl("^(date|datetime|timestamp|time)$", declared, ignore.case = TRUE)) {
    return(check_sqlite_times(column, has))
  }
  if (length(has) > 1 && !all(has %in% c("integer", "real"))) stop_mixed_storage(column, has)
  if (!"integer" %in% has) return(NULL)
  largest <- max(abs(as.numeric(c(column$least, column$most))))
  if ("real" %in% has) {
    if (largest >= 2^53) {
      stop_at_first(column, "typeof(value) = 'integer' AND value NOT BETWEEN -9007199254740991 AND 9007199254740991",
                    "which is not exact beside numbers with decimals")
    }
    return(list(select = paste0("CAST(", column$quoted, " AS REAL)")))
  }
  if (grepl("^bool", declared, ignore.case = TRUE)) {
    if (!all(c(column$least, column$most) %in% c("0", "1"))) {
      stop_at_first(column, "value NOT IN (0, 1)", "where TRUE and FALSE are")
    }
    return(list(select = column$quoted, finish = function(values, before) as.logical(values)))
  }
  if (largest <= .Machine$integer.max) return(NULL)
  if (identical(column$least, "-9223372036854775808")) {
    stop_at_first(column, "value = -9223372036854775807 - 1", "which stands for a missing value in R")
  }
  # The driver decides by the first values, and the pieces of a column must be of one type.
  list(select = paste0("CAST(", column$quoted, " AS TEXT)"),
       finish = function(values, before) bit64::as.integer64(values))
}

# Dates and times are numbers, or text that is one.
check_sqlite_times <- function(column, has) {
  if (!any(c("text", "blob") %in% has)) return(NULL)
  wrong <- "typeof(value) = 'blob' OR typeof(value) = 'text' AND julianday(value) IS NULL"
  if (!is.null(sqlite_first(column, wrong))) stop_at_first(column, wrong, "where dates or times are")
  NULL
}

stop_at_first <- function(column, condition, what) {
  found <- sqlite_first(column, condition)
  stop_database_value(column$name, found$row, paste0("has ", found$value, if (startsWith(what, "which")) ",", " ",
                                                     what),
                      paste0("Correct it in the database, or read the column as text: ",
                             "{.code types = c({name} = \"text\")}."), column$call)
}

stop_mixed_storage <- function(column, has) {
  firsts <- lapply(has, function(type) sqlite_first(column, paste0("typeof(value) = '", type, "'")))
  firsts <- firsts[order(vapply(firsts, `[[`, 0, "row"))]
  stop_database_value(column$name, firsts[[2]]$row, paste0("has ", firsts[[2]]$value, ", and row ", firsts[[1]]$row,
                                                           " has ", firsts[[1]]$value),
                      paste0("Make them of one type in the database, or read the column as text: ",
                             "{.code types = c({name} = \"text\")}."), column$call)
}

# The first row of the query in which a condition on `value` holds, and the value there, in words.
sqlite_first <- function(column, condition) {
  found <- DBI::dbGetQuery(column$connection, DBI::SQL(paste0(
    "SELECT number, typeof(value) AS type, CAST(value AS TEXT) AS text ",
    "FROM (SELECT row_number() OVER () AS number, ", column$quoted, " AS value FROM (", column$query,
    "\n) AS asked) AS numbered WHERE ", condition, " LIMIT 1")))
  if (!nrow(found)) return(NULL)
  list(row = as.numeric(found$number), value = switch(found$type, text = paste("the text", quoted(found$text)),
                                                      blob = "bytes", paste("the number", found$text)))
}

# The file of the database; one that is in memory has none, and is that of its connection.
#' @export
database_identity.SQLiteConnection <- function(connection) {
  file <- DBI::dbGetQuery(connection, "PRAGMA database_list")
  file <- file$file[file$name == "main"]
  if (length(file) && nzchar(file)) file_identities(file) else paste("in memory", format(connection@ptr))
}

# By the pages of the file that the query opens, each of which is of a table or its index.
#' @export
tables_read.SQLiteConnection <- function(connection, query) {
  steps <- DBI::dbGetQuery(connection, DBI::SQL(paste("EXPLAIN", query)))
  opened <- steps[steps$opcode %in% c("OpenRead", "OpenWrite", "ReopenIdx"), c("p2", "p3")]
  schemas <- DBI::dbGetQuery(connection, "PRAGMA database_list")
  found <- Map(function(page, number) {
    schema <- schemas$name[schemas$seq == number]
    master <- if (schema == "temp") "sqlite_temp_master" else paste0(DBI::dbQuoteIdentifier(connection, schema),
        ".sqlite_master")
    name <- DBI::dbGetQuery(connection, DBI::SQL(paste0("SELECT tbl_name FROM ", master, " WHERE rootpage = ",
                                                        page)))$tbl_name
    if (length(name)) paste0(schema, ".", tolower(name))
  }, opened$p2, opened$p3)
  unique(unlist(found))
}

#' @export
table_identity.SQLiteConnection <- function(connection, table) {
  parts <- if (inherits(table, "Id")) unname(table@name) else as.character(table)
  if (DBI::dbExistsTable(connection, table)) {
    tolower(paste0(if (length(parts) < 2) "main.", paste(parts, collapse = ".")))
  }
}

#' @export
table_about.SQLiteConnection <- function(connection, table) {
  parts <- if (inherits(table, "Id")) unname(table@name) else as.character(table)
  schema <- if (length(parts) > 1) paste0(DBI::dbQuoteIdentifier(connection, parts[1]), ".")
  name <- utils::tail(parts, 1)
  pragma <- function(what) DBI::dbGetQuery(connection,
                                           DBI::SQL(paste0("PRAGMA ", schema, what, "(",
                                                           DBI::dbQuoteIdentifier(connection, name), ")")))
  about <- pragma("table_info")
  beside <- DBI::dbGetQuery(connection, paste0("SELECT type, name FROM ", schema,
                                               paste0("sqlite_master WHERE lower(tbl_name) = lower($1) AND type IN ",
                                                      "('index', 'trigger') ORDER BY 1, 2")), params = list(name))
  names_of <- function(what) if (any(beside$type == what)) paste(what,
                                                                 listed(beside$name[beside$type == what], in_quotes))
  others <- DBI::dbListTables(connection)
  refers <- if (DBI::dbGetQuery(connection, "PRAGMA foreign_keys")[[1]] == 1) Filter(function(other) {
    to <- DBI::dbGetQuery(connection, DBI::SQL(paste0("PRAGMA foreign_key_list(",
                                                      DBI::dbQuoteIdentifier(connection, other), ")")))
    any(tolower(to$table) == tolower(name) & to$on_delete %in% c("CASCADE", "SET NULL", "SET DEFAULT"))
  }, others)
  list(columns = data.frame(name = as.character(about$name), type = as.character(about$type)),
       kept = c(names_of("index"), names_of("trigger"),
                if (any(about$notnull == 1 | about$pk > 0 |
                        !is.na(about$dflt_value))) "keys, defaults and conditions of its columns"),
       refers = as.character(refers))
}

# Logicals are declared, so that they come back as such.
#' @export
column_types.SQLiteConnection <- function(connection, data) {
  is_long <- vapply(data, inherits, NA, "integer64")
  data[is_long] <- 0L
  types <- DBI::dbDataType(connection, data)
  types[vapply(data, is.logical, NA)] <- "BOOLEAN"
  types
}

#' @export
sendable_columns.SQLiteConnection <- function(connection, data, call) {
  for (name in names(data)) {
    column <- data[[name]]
    if (is.double(column) && !is.object(column)) {
      warn_changed("SQLite", about_doubles_cpp(column)[["negative_zeros"]], name, "keeps no sign of zero", call)
    }
  }
  data
}

# A connection to a file, as long as the code runs.
with_sqlite_file <- function(path, work, writes = FALSE) {
  if (!writes) recover_sqlite(path)
  connection <- connect_sqlite(path, if (writes) RSQLite::SQLITE_RWC else RSQLite::SQLITE_RO)
  on.exit(DBI::dbDisconnect(connection))
  work(connection)
}

connect_sqlite <- function(path, flags) {
  connection <- DBI::dbConnect(RSQLite::SQLite(), path, flags = flags, extended_types = TRUE, synchronous = NULL)
  DBI::dbExecute(connection, "PRAGMA busy_timeout = 10000")
  connection
}

# What a killed process left half done is rolled back; that needs a connection that may write. One that is
# at work is waited for.
recover_sqlite <- function(path) {
  beside <- function(end) isTRUE(file.size(paste0(path, end)) > 0)
  if (!beside("-journal") && !(beside("-wal") && !file.exists(paste0(path, "-shm")))) return(invisible())
  connection <- connect_sqlite(path, RSQLite::SQLITE_RW)
  on.exit(DBI::dbDisconnect(connection))
  DBI::dbGetQuery(connection, "SELECT count(*) FROM sqlite_master")
  invisible()
}
