# Times reading and writing of each format beside the package that is made for it, with the same table, in one run.
#   Rscript bench/formats.R [rows]
library(rowanroot)
rows <- as.integer(c(commandArgs(TRUE), 500000)[1])
folder <- tempfile()
dir.create(folder)
setwd(folder)
set.seed(1)
pick <- function(values) sample(values, rows, TRUE)
visits <- data.frame(id = seq_len(rows), gross_kg = stats::rnorm(rows), tare_kg = round(stats::runif(rows), 2), hive = pick(sprintf("NB-%03d", 1:500)), day = as.Date("2026-01-01") + pick(300), strong = pick(c(TRUE, NA)))

seconds <- function(code) {
  code <- substitute(code)
  env <- parent.frame()
  stats::median(replicate(3, {
    gc()
    system.time(eval(code, env))[["elapsed"]]
  }))
}
save <- function(file, ...) suppressMessages(save_table(visits, file, force = TRUE, ...))
open <- function(file, ...) as.data.frame(open_table(file, ...))
# A table that was read is not read again by the same call: each look opens it anew.
results <- list()
compare <- function(what, ours, theirs, package) {
  results[[what]] <<- c(ours, theirs)
  cat(sprintf("| %s | %.2f | %.2f (%s) | %.2f |\n", what, ours, theirs, package, theirs / ours))
}
cat("| what | rowanroot (s) | package (s) | x package |\n|---|---|---|---|\n")
json <- function(way) {
  connection <- file("theirs.jsonl", way)
  on.exit(close(connection))
  if (way == "wb") jsonlite::stream_out(visits, connection, verbose = FALSE, digits = NA) else jsonlite::stream_in(connection, verbose = FALSE)
}
compare("write JSON lines", seconds(save("ours.jsonl")), seconds(json("wb")), "jsonlite")
compare("read JSON lines", seconds(open("ours.jsonl")), seconds(json("rb")), "jsonlite")
compare("write Parquet", seconds(save("ours.parquet")), seconds(nanoparquet::write_parquet(visits, "theirs.parquet")), "nanoparquet")
compare("read Parquet", seconds(open("ours.parquet")), seconds(nanoparquet::read_parquet("theirs.parquet")), "nanoparquet")
ours <- seconds(save("ours.xlsx"))
cat(sprintf("| write a workbook | %.2f | | |\n", ours))
compare("read a workbook", seconds(open("ours.xlsx")), seconds(readxl::read_excel("ours.xlsx")), "readxl")
with_sqlite <- function(work) {
  connection <- DBI::dbConnect(RSQLite::SQLite(), "theirs.sqlite", extended_types = TRUE)
  on.exit(DBI::dbDisconnect(connection))
  work(connection)
}
compare("write SQLite, and read it back", seconds(save("ours.sqlite", table = "visits")), seconds(with_sqlite(function(connection) {
  DBI::dbWriteTable(connection, "visits", visits, overwrite = TRUE)
  DBI::dbReadTable(connection, "visits")
})), "RSQLite")
compare("read SQLite", seconds(open("ours.sqlite")), seconds(with_sqlite(function(connection) DBI::dbReadTable(connection, "visits"))), "RSQLite")
stopifnot(identical(open("ours.jsonl")$gross_kg, visits$gross_kg), identical(open("ours.xlsx")$gross_kg, visits$gross_kg), identical(open("ours.parquet"), visits))
