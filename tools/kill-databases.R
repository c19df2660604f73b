# Kills runs that write tables of databases at moments chosen at random, looks at the table, and runs again.
#   Rscript tools/kill-databases.R [kills] [SQLite or PostgreSQL]
suppressMessages(library(rowanroot))
source(file.path("tests", "testthat", "helper.R"))
kills <- as.integer(c(commandArgs(TRUE), 200)[1])
Sys.setenv(TZ = "UTC")

# Whether another session of the server is in a transaction that has written.
writes_now <- function(connection) nrow(DBI::dbGetQuery(connection,
                                                        paste0("SELECT 1 FROM pg_stat_activity WHERE backend_xid IS ",
                                                               "NOT NULL AND pid <> pg_backend_pid()"))) > 0

try_database <- function(kind) {
  local_folder()
  rows <- 20000
  write_state <- function(state) {
    set.seed(1)
    suppressMessages(save_table(data.frame(hive = sprintf("NB-%04d", sample.int(500, rows, TRUE)),
                                           kg = round(stats::runif(rows, 5, 40), 2) + state), "weights.csv",
                                force = TRUE))
  }
  write_state(0)
  write_text(c("library(rowanroot)", "socket <- Sys.getenv('SOCKET')",
               paste0("to <- if (nzchar(socket)) DBI::dbConnect(RPostgres::Postgres(), host = socket, user = ",
                      "Sys.getenv('SOCKET_USER'), dbname = 'postgres') else 'out/weights.sqlite'"),
               paste0("weights <- open_table('weights.csv') |> ",
                      "set_columns({ place <- ranking(kg, best = 'highest', within = hive) })"),
                      "save_table(weights, to, table = 'weights')"), "weights.R")
  connection <- if (kind == "PostgreSQL") local_postgres()
  if (!is.null(connection)) Sys.setenv(SOCKET = DBI::dbGetInfo(connection)$host,
                                       SOCKET_USER = DBI::dbGetInfo(connection)$username) else Sys.unsetenv("SOCKET")
  run <- function() utils::capture.output(suppressMessages(run_script("weights.R")))
  look <- function() {
    table <- if (is.null(connection)) open_table("out/weights.sqlite") else open_table(connection, table = "weights")
    data <- as.data.frame(table)
    c(nrow(data), sum(data$kg))
  }
  expected <- lapply(0:1, function(state) {
    write_state(state)
    run()
    look()
  })
  child <- function() {
    as.integer(system(paste(shQuote(file.path(R.home("bin"), "Rscript")), "--vanilla -e",
                            shQuote("suppressMessages(rowanroot::run_script('weights.R'))"), "> log 2>&1 & echo $!"),
                      intern = TRUE))
  }
  started <- proc.time()[["elapsed"]]
  write_state(0)
  pid <- child()
  while (dir.exists(file.path("/proc", pid))) Sys.sleep(0.01)
  took <- proc.time()[["elapsed"]] - started
  whole <- right <- was_old <- 0
  state <- 0
  for (k in seq_len(kills)) {
    before <- state
    state <- 1 - state
    write_state(state)
    pid <- child()
    # Most of a run is the start of R: half of the kills fall into the rest of it, from when a transaction is seen
    # to have begun.
    if (k %% 2) Sys.sleep(stats::runif(1, 0, took)) else {
      while (dir.exists(file.path("/proc", pid)) && !(is.null(connection) &&
                                                      file.exists("out/weights.sqlite-journal")) &&
             !(!is.null(connection) && writes_now(connection))) Sys.sleep(0.002)
      Sys.sleep(stats::runif(1, 0, took / 2))
    }
    tools::pskill(pid, 9)
    while (dir.exists(file.path("/proc", pid))) Sys.sleep(0.005)
    found <- look()
    whole <- whole + any(vapply(expected, function(one) isTRUE(all.equal(one, found)), NA))
    was_old <- was_old + isTRUE(all.equal(expected[[before + 1]], found))
    run()
    right <- right + isTRUE(all.equal(expected[[state + 1]], look()))
  }
  cat(kind, ": killed at ", kills, " moments of a run of ", round(1000 * took), " ms: ", whole, " whole tables (",
      was_old, " the old one), ", right, " right after the next run\n", sep = "")
}

kinds <- if (length(commandArgs(TRUE)) > 1) commandArgs(TRUE)[2] else c("SQLite", "PostgreSQL")
for (kind in kinds) try_database(kind)
