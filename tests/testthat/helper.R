# A folder of its own for a test, which is the working directory until the test ends.
local_folder <- function(env = parent.frame()) {
  folder <- tempfile("rowanroot-")
  dir.create(folder)
  old <- setwd(folder)
  withr::defer({
    setwd(old)
    unlink(folder, recursive = TRUE)
  }, env)
  normalizePath(folder)
}

write_text <- function(text, path) {
  dir.create(dirname(path), showWarnings = FALSE, recursive = TRUE)
  connection <- file(path, "wb")
  on.exit(close(connection))
  writeLines(enc2utf8(text), connection, useBytes = TRUE)
}

# A folder with two months of visits and a script that makes one output of them.
local_project <- function(env = parent.frame()) {
  folder <- local_folder(env)
  write_text(c("hive,gross_kg,tare_kg", "NB-01,31,6", "NB-02,28.5,6.2"), "visits/2025-01.csv")
  write_text(c("hive,gross_kg,tare_kg", "SH-01,20,6", "SH-02,,6.1"), "visits/2025-02.csv")
  write_text(project_script, "yield.R")
  folder
}

project_script <- c(
  "library(rowanroot)",
  "pounds <- 2.2",
  "visits <- open_table('visits/*.csv')",
  "yield <- visits |> set_columns({",
  "  net_kg <- gross_kg - tare_kg",
  "  net_lb <- net_kg * pounds",
  "}) |> keep_rows(net_kg > 0)",
  "save_table(yield, 'out/yield.csv')"
)

quietly <- function(code) {
  utils::capture.output(value <- suppressMessages(code))
  invisible(value)
}

state_of_project <- function() script_status("yield.R")

# Which group each row is in: NA and NaN are groups of their own.
group_key <- function(data, names) {
  if (!length(names)) return(rep("", nrow(data)))
  do.call(paste, unname(lapply(data[names], function(g) ifelse(is.na(g) & !(is.numeric(g) & g %in% NaN), "missing",
                                                               paste("=", g)))))
}

servers <- new.env()

# A connection to a PostgreSQL server that runs until the test ends, by itself, in a folder of its own.
local_postgres <- function(env = parent.frame()) {
  programs <- dirname(rev(c(Sys.which("initdb"), Sys.glob("/usr/lib/postgresql/*/bin/initdb")))[1])
  if (!nzchar(programs) || !requireNamespace("RPostgres", quietly = TRUE)) {
    if (nzchar(Sys.getenv("CI"))) stop("There is no PostgreSQL, which these tests need.")
    testthat::skip("There is no PostgreSQL.")
  }
  withr::local_envvar(TZ = "UTC", .local_envir = env)
  # The server does not run as root, and must come to its folder.
  is_root <- identical(as.character(Sys.info()[["effective_user"]]), "root")
  folder <- tempfile("postgres-", if (is_root) "/tmp" else tempdir())
  dir.create(folder)
  if (is_root) system2("chown", c("postgres", folder))
  server <- function(program, ...) {
    command <- c(file.path(programs, program), "-D", file.path(folder, "data"), ...)
    if (is_root) command <- c("setpriv", "--reuid=postgres", "--regid=postgres", "--init-groups", command)
    status <- system2(command[1], command[-1], stdout = FALSE, stderr = FALSE)
    if (status != 0) stop(program, " failed")
  }
  # Making a new one takes longest: the first is kept as it is, for the next ones.
  if (is.null(servers$new)) {
    server("initdb", "--auth=trust", "--encoding=UTF8", "--locale=C", "--no-sync")
    servers$new <- file.path(tempdir(), "new-postgres")
    system2("cp", c("-a", file.path(folder, "data"), servers$new))
  } else {
    system2("cp", c("-a", servers$new, file.path(folder, "data")))
  }
  # A socket in the folder and no port at all: servers of tests that run side by side don't meet. Nothing needs to be
  # safe on the disk.
  server("pg_ctl", "-w", "-l", file.path(folder, "log"), "-o", shQuote(paste("-F -k", folder, "-h ''")), "start")
  withr::defer({
    server("pg_ctl", "-m", "immediate", "-w", "stop")
    unlink(folder, recursive = TRUE)
  }, env)
  connection <- DBI::dbConnect(RPostgres::Postgres(), host = folder,
                               user = if (is_root) "postgres" else Sys.info()[["user"]], dbname = "postgres")
  withr::defer(DBI::dbDisconnect(connection), env)
  connection
}

# A PostgreSQL server above `count` others, which have the rows of `data` by the hash of the column `key`, as the table
# `rows`. The others are the attribute "servers".
local_servers <- function(data, key, count = 2, env = parent.frame()) {
  above <- local_postgres(env)
  for (extension in c("postgres_fdw", "dblink")) DBI::dbExecute(above, paste("CREATE EXTENSION", extension))
  quoted <- function(names) DBI::dbQuoteIdentifier(above, names)
  columns <- paste(quoted(names(data)), DBI::dbDataType(above, data), collapse = ", ")
  DBI::dbExecute(above, DBI::SQL(paste0("CREATE TABLE rows (", columns, ") PARTITION BY HASH (", quoted(key), ")")))
  servers <- lapply(seq_len(count), function(k) {
    server <- local_postgres(env)
    DBI::dbExecute(server, DBI::SQL(paste0("CREATE TABLE rows_there (", columns, ")")))
    about <- DBI::dbGetInfo(server)
    for (statement in c(
      paste0("CREATE SERVER s", k, " FOREIGN DATA WRAPPER postgres_fdw OPTIONS (host '", about$host,
             "', dbname 'postgres', async_capable 'true')"),
      paste0("CREATE USER MAPPING FOR CURRENT_USER SERVER s", k, " OPTIONS (user '", about$username, "')"),
      paste0("CREATE FOREIGN TABLE rows_", k, " PARTITION OF rows FOR VALUES WITH (modulus ", count, ", remainder ",
             k - 1, ") SERVER s", k, " OPTIONS (table_name 'rows_there')")
    )) DBI::dbExecute(above, DBI::SQL(statement))
    server
  })
  DBI::dbAppendTable(above, "rows", data)
  structure(above, servers = servers)
}

local_sqlite <- function(env = parent.frame()) {
  connection <- DBI::dbConnect(RSQLite::SQLite(), tempfile(fileext = ".sqlite"), extended_types = TRUE,
                               synchronous = NULL)
  withr::defer(DBI::dbDisconnect(connection), env)
  connection
}
