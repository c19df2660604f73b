# Runs the demo's script on tables of databases, its source apart, and compares what comes with what the files give.
#   Rscript tools/demo-database.R
library(rowanroot)
source(file.path("tests", "testthat", "helper.R"))
folder <- tempfile("bees-")
make_demo(folder)
setwd(folder)
cat("The demo's script, on files:\n\n")
run_script("yield.R")
from_files <- readBin("out/yield.csv", "raw", 1e7)
visits <- as.data.frame(open_table("visits/*.csv"))
visits <- cbind(visit = seq_len(nrow(visits)), visits)

on_database <- function(name, connection) {
  if (!DBI::dbExistsTable(connection, "visits")) {
    DBI::dbWriteTable(connection, "visits", visits)
    key <- "CREATE UNIQUE INDEX visits_key ON visits (visit)"
    if (inherits(connection, "PqConnection")) key <- "ALTER TABLE visits ADD PRIMARY KEY (visit)"
    DBI::dbExecute(connection, key)
  }
  source <- "open_table(connection, table = \"visits\") |> drop_columns(visit)"
  script <- sub("open_table(\"visits/*.csv\")", source, readLines("yield.R"), fixed = TRUE)
  unlink(c("out", ".rowanroot"), recursive = TRUE)
  env <- new.env()
  env$connection <- connection
  cat("\nThe same on a table of ", name, ":\n\n", sep = "")
  eval(parse(text = script), env)
  cat("\n")
  print(show_steps(env$yield))
  same <- identical(readBin("out/yield.csv", "raw", 1e7), from_files)
  cat("\nout/yield.csv is", if (same) "byte for byte the same.\n" else "another one.\n")
  if (!same) quit(status = 1)
  totals <- open_table(connection, table = "visits") |>
    set_columns({
      net_kg <- gross_kg - tare_kg
      place <- ranking(net_kg, best = "highest", within = hive_code)
    }) |>
    keep_rows(place <= 3L) |>
    one_row_per(hive_code, { best_kg <- max(net_kg) })
  cat("\nThe best visits of each hive, calculated and saved there:\n\n")
  save_table(totals, connection, table = "best")
  print(show_steps(totals))
}

on_each <- function() {
  on_database("SQLite", local_sqlite())
  on_database("PostgreSQL", local_postgres())
  above <- local_servers(visits, "hive_code")
  DBI::dbExecute(above, "ALTER TABLE rows RENAME TO visits")
  on_database("PostgreSQL, whose rows are on two other servers", above)
  for (server in attr(above, "servers")) {
    cat("\nOn a server of its own: ", paste(sort(DBI::dbListTables(server)), collapse = ", "), "\n", sep = "")
  }
}
on_each()
