# Tables in PostgreSQL: the statement that rowanroot makes beside one that is written by hand, what status and fetching
# take, one server beside two, and the memory that R takes for a table that is ten times its budget.
#   Rscript bench/database.R [million rows]
library(rowanroot)
source(file.path("tests", "testthat", "helper.R"))
rows <- 1e6 * as.numeric(c(commandArgs(TRUE), 2)[1])

make_visits <- function(connection, rows, table = "visits") {
  DBI::dbExecute(connection, "ALTER SYSTEM SET work_mem = '256MB'")
  DBI::dbExecute(connection, "ALTER SYSTEM SET max_wal_size = '8GB'")
  DBI::dbGetQuery(connection, "SELECT pg_reload_conf()")
  columns <- paste("id int, hive text, apiary text, gross_kg float8, tare_kg float8, frames int, day date, x float8,",
                   "y float8, flag bool")
  values <- sprintf(paste("SELECT i, 'NB-' || (i::bigint * 7919 %% 50000), (ARRAY['NB', 'SH', 'LW'])[1 + i %% 3],",
                          "random() * 10 + 20, random() + 5, (random() * 20)::int, date '2025-01-01' + (random() *",
                          "365)::int, random(), random(), random() > 0.5 FROM generate_series(1, %.0f) i"), rows)
  list(create = paste0("CREATE TABLE ", table, " (", columns, ")"), fill = paste("INSERT INTO", table, values))
}

yield_of <- function(visits) {
  visits |> set_columns({
    net <- gross_kg - tare_kg
    net_lb <- net * 2.20462
    label <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
    per <- net / 3
    scaled <- (x - 1) / 2
    heavy <- net > 24
    price <- if (heavy) net * 7.5 else net * 8
    half <- frames %/% 2L
    sum2 <- x + y
    code <- toupper(apiary)
    so_far <- running_total(net, along = day, within = hive)
    place <- ranking(net, best = "highest", within = hive)
  })
}

by_hand <- "CREATE TABLE by_hand AS
  SELECT *, sum(net) OVER (PARTITION BY hive ORDER BY day, id ROWS UNBOUNDED PRECEDING) AS so_far,
    rank() OVER (PARTITION BY hive ORDER BY net DESC)::int AS place
  FROM (SELECT *, CASE WHEN net > 24 THEN net * 7.5 ELSE net * 8 END AS price
    FROM (SELECT *, gross_kg - tare_kg AS net, (gross_kg - tare_kg) * 2.20462 AS net_lb,
        CASE WHEN frames < 4 THEN 'weak' WHEN frames < 8 THEN 'fair' ELSE 'strong' END AS label,
        (gross_kg - tare_kg) / 3 AS per, (x - 1) / 2 AS scaled, gross_kg - tare_kg > 24 AS heavy, frames / 2 AS half,
        x + y AS sum2, upper(apiary) AS code
      FROM visits) a) b"

seconds <- function(what, code) {
  gc(FALSE)
  started <- proc.time()[["elapsed"]]
  force(code)
  taken <- proc.time()[["elapsed"]] - started
  cat(sprintf("%-75s %7.1f s\n", what, taken))
  invisible(taken)
}

on_one_server <- function() {
  connection <- local_postgres()
  made <- make_visits(connection, rows)
  DBI::dbExecute(connection, made$create)
  DBI::dbExecute(connection, made$fill)
  DBI::dbExecute(connection, "ALTER TABLE visits ADD PRIMARY KEY (id)")
  DBI::dbExecute(connection, "VACUUM ANALYZE visits")
  statement <- function() sub("\nORDER BY [^\n]*$", "", in_sql(yield_of(open_table(connection, table = "visits"))))
  for (round in 1:3) {
    for (table in c("by_hand", "ours")) DBI::dbExecute(connection, paste("DROP TABLE IF EXISTS", table))
    DBI::dbExecute(connection, "CHECKPOINT")
    seconds("CREATE TABLE AS, written by hand", DBI::dbExecute(connection, by_hand))
    DBI::dbExecute(connection, "CHECKPOINT")
    seconds("CREATE TABLE AS, with in_sql()", DBI::dbExecute(connection, paste("CREATE TABLE ours AS", statement())))
    DBI::dbExecute(connection, "CHECKPOINT")
  }
  save <- function() suppressMessages(save_table(yield_of(open_table(connection, table = "visits")), connection,
                                                 table = "yield"))
  seconds("save_table() into the database", save())
  seconds("the same again: up to date", save())
  seconds("fetching the table", as.data.frame(open_table(connection, table = "visits")))
  seconds("fetching, calculating here, writing back", {
    yield <- yield_of(as.data.frame(open_table(connection, table = "visits")))
    suppressMessages(save_table(yield, connection, table = "back"))
  })
}

on_two_servers <- function() {
  like <- data.frame(id = 1L, hive = "", apiary = "", gross_kg = 1, tare_kg = 1, frames = 1L,
                     day = as.Date("2025-01-01"), x = 1, y = 1, flag = TRUE)
  above <- local_servers(like, "hive")
  for (server in attr(above, "servers")) make_visits(server, 0)
  DBI::dbExecute(above, "TRUNCATE rows")
  DBI::dbExecute(above, "ALTER SERVER s1 OPTIONS (ADD batch_size '10000')")
  DBI::dbExecute(above, "ALTER SERVER s2 OPTIONS (ADD batch_size '10000')")
  DBI::dbExecute(above, make_visits(above, rows, "rows")$fill)
  for (server in attr(above, "servers")) DBI::dbExecute(server, "VACUUM ANALYZE rows_there")
  source <- open_table(above, table = "rows")
  seconds("two servers: save_table(), where the rows are",
          suppressMessages(save_table(yield_of(source), above, table = "yield")))
  across <- one_row_per(source, frames, { net <- sum(gross_kg); n <- .rows; most <- max(gross_kg) })
  seconds("two servers: groups of both", as.data.frame(across))
}

# In a process of its own: the most memory that R had, in megabytes.
memory_of <- function() {
  connection <- local_postgres()
  # Some ten times the budget.
  made <- make_visits(connection, 7e6)
  DBI::dbExecute(connection, made$create)
  DBI::dbExecute(connection, made$fill)
  DBI::dbExecute(connection, "ALTER TABLE visits ADD PRIMARY KEY (id)")
  about <- DBI::dbGetInfo(connection)
  script <- tempfile(fileext = ".R")
  writeLines(c(
    "library(rowanroot)", sprintf("setwd(%s)", deparse(tempdir())), "options(rowanroot.memory = '64 MB')",
    sprintf("connection <- DBI::dbConnect(RPostgres::Postgres(), host = '%s', user = '%s', dbname = 'postgres')",
            about$host, about$username),
    "visits <- open_table(connection, table = 'visits')",
    "yield <- set_columns(visits, {", "  net <- gross_kg - tare_kg",
    "  place <- ranking(net, best = 'highest', within = hive)", "})",
    "save_table(yield, connection, table = 'yield')",
    "save_table(one_row_per(yield, hive, { net <- sum(net) }), 'hives.csv')",
    "status <- readLines('/proc/self/status')",
    "cat(gsub('[^0-9]', '', grep('VmHWM', status, value = TRUE)))"
  ), script)
  most <- system2("Rscript", script, stdout = TRUE, stderr = FALSE)
  size <- DBI::dbGetQuery(connection, "SELECT pg_table_size('visits')::float8 / 1e6 AS size")$size
  most <- as.numeric(utils::tail(most, 1)) / 1024
  cat(sprintf("A table of %.0f MB, budget 64 MB: R took %.0f MB at most\n", size, most))
}

setwd(tempdir())
on_one_server()
on_two_servers()
memory_of()
