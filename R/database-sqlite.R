# SQLite, by RSQLite. A column may hold values of any type, which the driver makes those of the first; a file may have been left by
# somebody who was killed while writing.

#' @export
exact_columns.SQLiteConnection <- function(connection, query, about, asked, call) {
  kinds <- storage_of(connection, query, about$name)
  declared <- declared_types(connection, query)
  columns <- lapply(stats::setNames(nm = about$name), function(name) {
    is_time <- inherits(connection, "SQLiteConnection") && isTRUE(connection@extended_types) && grepl("^(date|datetime|timestamp|time)$", declared[name], ignore.case = TRUE)
    sqlite_column(connection, query, name, kinds[[name]], declared[name], is_time, asked, call)
  })
  Filter(Negate(is.null), columns)
}

# Within another query, SQLite gives columns of one name other names.
#' @export
described_query.SQLiteConnection <- function(connection, query) query

# How many values of a column are integers, reals, texts and bytes, and between which the integers are.
storage_of <- function(connection, query, names) {
  found <- list()
  # There may be 2,000 results at most.
  for (some in split(names, (seq_along(names) - 1) %/% 200)) {
    quoted <- as.character(DBI::dbQuoteIdentifier(connection, some))
    count <- function(type) paste0("total(typeof(", quoted, ") = '", type, "')")
    integer <- paste0("CASE WHEN typeof(", quoted, ") = 'integer' THEN ", quoted, " END")
    # As text, so that no digit is lost.
    asked <- rbind(count("integer"), count("real"), count("text"), count("blob"), paste0("CAST(min(", integer, ") AS TEXT)"), paste0("CAST(max(", integer, ") AS TEXT)"))
    values <- DBI::dbGetQuery(connection, DBI::SQL(paste0("SELECT ", paste0(asked, " AS r", seq_along(asked), collapse = ", "), " FROM (", query, "\n) AS asked")))
    for (k in seq_along(some)) {
      own <- values[1, 6 * (k - 1) + 1:6]
      found[[some[k]]] <- list(counts = stats::setNames(as.numeric(own[1:4]), c("integer", "real", "text", "blob")), least = own[[5]], most = own[[6]])
    }
  }
  found
}

# The types with which columns of tables were made, where the query gives them as they are: a view of it would have them.
declared_types <- function(connection, query) {
  table <- sub("^SELECT \\* FROM (`.*`)$", "\\1", query)
  if (table == query) return(character())
  parts <- regmatches(table, gregexpr("`([^`]|``)*`", table))[[1]]
  schema <- if (length(parts) > 1) paste0(parts[1], ".")
  about <- tryCatch(DBI::dbGetQuery(connection, DBI::SQL(paste0("PRAGMA ", schema, "table_info(", parts[length(parts)], ")"))), error = function(e) NULL)
  stats::setNames(as.character(about$type), as.character(about$name))
}

sqlite_column <- function(connection, query, name, storage, declared, is_time, asked, call) {
  quoted <- as.character(DBI::dbQuoteIdentifier(connection, name))
  counts <- storage$counts
  has <- names(counts)[counts > 0]
  if (identical(unname(asked[name]), "text")) return(list(select = paste0("CAST(", quoted, " AS TEXT)")))
  first <- function(condition) sqlite_first(connection, query, quoted, condition)
  if (is_time) {
    bad <- if ("text" %in% has) first(paste0("typeof(", quoted, ") = 'text' AND julianday(", quoted, ") IS NULL"))
    if (is.null(bad) && "blob" %in% has) bad <- first(paste0("typeof(", quoted, ") = 'blob'"))
    if (!is.null(bad)) stop_database_value(name, bad$row, paste0("has ", bad$value, " where dates or times are"), "Correct it in the database, or read the column as text: {.code types = c({name} = \"text\")}.", call)
    return(NULL)
  }
  if (length(setdiff(has, "integer")) && !all(has %in% c("integer", "real")) && length(has) > 1) {
    rows <- lapply(has, function(type) first(paste0("typeof(", quoted, ") = '", type, "'")))
    rows <- rows[order(vapply(rows, `[[`, 0, "row"))]
    stop_database_value(name, format(rows[[2]]$row, scientific = FALSE), paste0("has ", rows[[2]]$value, ", and row ", rows[[1]]$row, " has ", rows[[1]]$value),
                        "Make them of one type in the database, or read the column as text: {.code types = c({name} = \"text\")}.", call)
  }
  whole <- function(text) bit64::as.integer64(text)
  if (all(c("integer", "real") %in% has)) {
    if (max(abs(as.numeric(c(storage$least, storage$most)))) >= 2^53) {
      large <- first(paste0("typeof(", quoted, ") = 'integer' AND ", quoted, " NOT BETWEEN -9007199254740992 AND 9007199254740992"))
      stop_database_value(name, large$row, paste0("has ", large$value, ", which is not exact beside numbers with decimals"), "Read the column as text: {.code types = c({name} = \"text\")}.", call)
    }
    return(list(select = paste0("CAST(", quoted, " AS REAL)")))
  }
  if (grepl("^bool", declared, ignore.case = TRUE) %in% TRUE && identical(has, "integer")) {
    if (storage$least %in% c("0", "1") && storage$most %in% c("0", "1")) return(list(select = quoted, finish = function(column, before) as.logical(column)))
    other <- first(paste0(quoted, " NOT IN (0, 1)"))
    stop_database_value(name, other$row, paste0("has ", other$value, " where TRUE and FALSE are"), "Read the column as text: {.code types = c({name} = \"text\")}.", call)
  }
  # All pieces of a column are of one type.
  if (identical(has, "integer") && max(abs(as.numeric(c(storage$least, storage$most)))) > .Machine$integer.max) {
    if (identical(storage$least, "-9223372036854775808")) {
      least <- first(paste0(quoted, " = -9223372036854775807 - 1"))
      stop_database_value(name, least$row, "has -9223372036854775808, which stands for a missing value in R", "Read the column as text: {.code types = c({name} = \"text\")}.", call)
    }
    return(list(select = paste0("CAST(", quoted, " AS TEXT)"), finish = function(column, before) whole(column)))
  }
  NULL
}

# The first row of a query for which the condition holds, and the value there, in words.
sqlite_first <- function(connection, query, quoted, condition) {
  found <- DBI::dbGetQuery(connection, DBI::SQL(paste0(
    "SELECT number, typeof(value) AS type, CAST(value AS TEXT) AS value FROM (SELECT row_number() OVER () AS number, ", quoted, " AS value FROM (", query, "\n) AS asked) AS numbered WHERE ",
    gsub(quoted, "value", condition, fixed = TRUE), " LIMIT 1")))
  if (!nrow(found)) return(NULL)
  value <- switch(found$type, text = paste("the text", quoted(found$value)), blob = "bytes", paste("the number", found$value))
  list(row = as.numeric(found$number), value = value)
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
    master <- if (schema == "temp") "sqlite_temp_master" else paste0(DBI::dbQuoteIdentifier(connection, schema), ".sqlite_master")
    name <- DBI::dbGetQuery(connection, DBI::SQL(paste0("SELECT tbl_name FROM ", master, " WHERE rootpage = ", page)))$tbl_name
    if (length(name)) paste0(schema, ".", tolower(name))
  }, opened$p2, opened$p3)
  unique(unlist(found))
}

#' @export
table_identity.SQLiteConnection <- function(connection, table) {
  parts <- if (inherits(table, "Id")) unname(table@name) else as.character(table)
  if (DBI::dbExistsTable(connection, table)) tolower(paste0(if (length(parts) < 2) "main.", paste(parts, collapse = ".")))
}

#' @export
table_about.SQLiteConnection <- function(connection, table) {
  parts <- if (inherits(table, "Id")) unname(table@name) else as.character(table)
  schema <- if (length(parts) > 1) paste0(DBI::dbQuoteIdentifier(connection, parts[1]), ".")
  name <- utils::tail(parts, 1)
  pragma <- function(what) DBI::dbGetQuery(connection, DBI::SQL(paste0("PRAGMA ", schema, what, "(", DBI::dbQuoteIdentifier(connection, name), ")")))
  about <- pragma("table_info")
  beside <- DBI::dbGetQuery(connection, paste0("SELECT type, name FROM ", schema, "sqlite_master WHERE lower(tbl_name) = lower($1) AND type IN ('index', 'trigger') ORDER BY 1, 2"), params = list(name))
  names_of <- function(what) if (any(beside$type == what)) paste(what, listed(beside$name[beside$type == what], in_quotes))
  others <- DBI::dbListTables(connection)
  refers <- if (DBI::dbGetQuery(connection, "PRAGMA foreign_keys")[[1]] == 1) Filter(function(other) {
    to <- DBI::dbGetQuery(connection, DBI::SQL(paste0("PRAGMA foreign_key_list(", DBI::dbQuoteIdentifier(connection, other), ")")))
    any(tolower(to$table) == tolower(name) & to$on_delete %in% c("CASCADE", "SET NULL", "SET DEFAULT"))
  }, others)
  list(columns = data.frame(name = as.character(about$name), type = as.character(about$type)),
       kept = c(names_of("index"), names_of("trigger"), if (any(about$notnull == 1 | about$pk > 0 | !is.na(about$dflt_value))) "keys, defaults and conditions of its columns"),
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
    if (is.double(column) && !is.object(column)) warn_changed("SQLite", sum(column == 0 & 1 / column < 0, na.rm = TRUE), name, "keeps no sign of zero", call)
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

# What somebody who was killed has left half done is taken back; that needs a connection that may write. One that is at work is waited for.
recover_sqlite <- function(path) {
  beside <- function(end) isTRUE(file.size(paste0(path, end)) > 0)
  if (!beside("-journal") && !(beside("-wal") && !file.exists(paste0(path, "-shm")))) return(invisible())
  connection <- connect_sqlite(path, RSQLite::SQLITE_RW)
  on.exit(DBI::dbDisconnect(connection))
  DBI::dbGetQuery(connection, "SELECT count(*) FROM sqlite_master")
  invisible()
}
