# Calculates a table larger than the memory that a process may use, in every way that there is, and compares what is
# saved with what the same gives in memory, byte for byte.
#   Rscript tools/beyond-memory.R [rows] [pattern of the tasks]
# Each task is a process of its own: one in memory; one whose data may take a quarter of the table (`ulimit -d`), R
# itself included; and, where a control group of memory can be had, one that may keep no more than that of anything, the
# system's copies of its files among it.
suppressMessages(library(rowanroot))
arguments <- commandArgs(TRUE)
says <- function(...) cat(sprintf(...), "\n", sep = "")

apiaries <- data.frame(apiary = c("NB", "SH", "LW"), height_m = c(210, 35, 480))
tasks <- list(
  row_words = function(v) set_columns(v, {
    net <- gross_kg - tare_kg
    label <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
    month <- date_part(day, "month")
  }),
  texts = function(v) set_columns(v, { upper <- toupper(note); some <- substr(note, 3, 9); joined <- paste0(apiary, "/", hive) }),
  split = function(v) set_columns(v, { c(site, number) <- split_text(hive, at = "-") }),
  aggregates = function(v) set_columns(v, { m <- mean(gross_kg); s <- sd(tare_kg); q <- median(gross_kg); z <- z_score(tare_kg) }),
  group_aggregates = function(v) set_columns(v, { m <- mean(gross_kg); n <- length(id); part <- share(gross_kg) }, within = hive),
  ranks = function(v) set_columns(v, { place <- ranking(gross_kg, best = "highest"); in_hive <- ranking(gross_kg, best = "highest", within = hive) }),
  equal_parts = function(v) set_columns(v, { decile <- equal_parts(gross_kg, 10, best = "highest") }),
  running = function(v) set_columns(v, { so_far <- running_total(gross_kg, along = day, within = hive); best <- running_max(gross_kg, within = hive) }),
  recurrence = function(v) set_columns(v, { smooth <- running(0.9 * .above + 0.1 * gross_kg, start = 0, within = hive) }),
  moving = function(v) set_columns(v, { m <- moving_mean(gross_kg, 7, within = hive); d <- moving_median(tare_kg, 5) }),
  neighbours = function(v) set_columns(v, { before <- previous(gross_kg, within = hive); step <- change(gross_kg); known <- last_known(flag) }),
  look_up = function(v) set_columns(v, { height <- look_up(apiary, apiaries, take = height_m) }),
  keep_rows = function(v) keep_rows(v, gross_kg > mean(gross_kg)),
  sort_rows = function(v) sort_rows(v, hive, descending(gross_kg), id),
  top_rows = function(v) top_rows(v, 3, by = gross_kg, within = hive),
  one_of_each = function(v) one_of_each(v, hive, day),
  one_row_per = function(v) one_row_per(v, c(hive, day), { kg <- mean(gross_kg); n <- length(id) }),
  append_rows = function(v) append_rows(v, v),
  join_rows = function(v) join_rows(v, apiaries, by = apiary),
  rows_from_columns = function(v) v |> keep_columns(id, gross_kg, tare_kg) |> rows_from_columns(gross_kg:tare_kg, name = "what", value = "kg"),
  columns_from_rows = function(v) v |> keep_columns(hive, day, frames) |> one_of_each(hive, day) |> keep_rows(day < "2025-01-10") |>
    columns_from_rows(name = day, value = frames, absent = 0L),
  checks = function(v) must_hold(v, "weights are there" = !is.na(gross_kg)),
  jsonl = function(v) v, sqlite = function(v) v, parquet = function(v) v,
  from_jsonl = function(v) v, from_sqlite = function(v) v
)

# What one process does.
work <- function(name, to, from) {
  options(rowanroot.keep = FALSE)
  source <- switch(name, from_jsonl = open_table(sub("csv$", "jsonl", from)),
                   from_sqlite = open_table(sub("csv$", "sqlite", from), table = "visits"), open_table(from))
  result <- tasks[[name]](source)
  if (name == "sqlite") save_table(result, to, table = "visits", force = TRUE) else save_table(result, to, force = TRUE)
}

ending <- function(name) if (name %in% c("jsonl", "sqlite", "parquet")) name else "csv"

if (length(arguments) && arguments[1] == "work") {
  suppressMessages(work(arguments[2], arguments[3], arguments[4]))
  quit()
}

rows <- as.numeric(c(arguments, 12e6)[1])
wanted <- c(arguments, "", "")[2]
folder <- tempfile(tmpdir = Sys.getenv("ROWANROOT_ROOM", tempdir()))
dir.create(folder, recursive = TRUE)
here <- function(name) file.path(folder, name)
script <- normalizePath(sub("^--file=", "", grep("^--file=", commandArgs(FALSE), value = TRUE)))

# In twelve parts, so that this process stays small.
set.seed(3)
some <- rows %/% 12
for (k in 1:12) {
  part <- data.frame(
    id = (k - 1) * some + seq_len(some), hive = sprintf("NB-%05d", sample.int(50000L, some, TRUE)),
    apiary = sample(apiaries$apiary, some, TRUE), gross_kg = round(stats::rnorm(some, 30, 5), 3),
    tare_kg = stats::runif(some, 5, 7), frames = sample.int(20L, some, TRUE),
    day = as.Date("2025-01-01") + sample.int(365L, some, TRUE), flag = sample(c(TRUE, FALSE, NA), some, TRUE),
    note = paste("what was seen at the entrance, in short, and the number", sample.int(1e9L, some)))
  if (k == 1) rowanroot:::write_csv_file(part, here("visits.csv"), NULL)
  else rowanroot:::append_to_csv(part, here("visits.csv"), NULL, FALSE)
}
rm(part)
# As the columns lie in memory: numbers, codes of texts, and texts as bytes with two numbers each.
table_bytes <- rows * (4 + 4 + 4 + 8 + 8 + 4 + 8 + 4 + 8 + 66)
quarter <- table_bytes / 4
says("%.0f million rows, %.0f MB as CSV, %.0f MB in memory; a quarter is %.0f MB", rows / 1e6, file.size(here("visits.csv")) / 1e6,
     table_bytes / 1e6, quarter / 1e6)

group <- "/sys/fs/cgroup/memory/rowanroot"
has_group <- !nzchar(Sys.getenv("ROWANROOT_NO_GROUP")) && dir.exists("/sys/fs/cgroup/memory") && suppressWarnings(dir.create(group) || dir.exists(group))

# Seconds, or NA with what went wrong.
run <- function(name, way) {
  to <- here(paste0(way, ".", ending(name)))
  unlink(to)
  budget <- if (way == "in memory") "16 GB" else "64 MB"
  limits <- switch(way, "in memory" = "", "little data" = sprintf("ulimit -d %.0f;", quarter / 1024),
                   "little of anything" = sprintf("echo $$ >%s/cgroup.procs;", group))
  code <- sprintf("options(rowanroot.memory = '%s', rowanroot.scratch = '%s')", budget, folder)
  # What does not come to an end in a quarter of an hour does not.
  command <- sprintf("%s exec timeout 900 Rscript --vanilla -e %s -e %s", limits, shQuote(code),
                     shQuote(sprintf("a <- c('work', '%s', '%s', '%s'); commandArgs <- function(...) a; source('%s')", name, to,
                                     here("visits.csv"), script)))
  took <- system.time(status <- system2("sh", c("-c", shQuote(command)), stdout = here("log"), stderr = here("log")))[["elapsed"]]
  if (status != 0) says("  %s, %s: %s", name, way, paste(utils::tail(readLines(here("log")), 6), collapse = " | "))
  list(seconds = if (status == 0) took else NA, sum = if (status == 0) sum_of(to, name), to = to)
}

# SQLite files differ by their free pages: of those, and of what is read by another package, the rows are compared.
sum_of <- function(to, name) {
  if (name != "sqlite") return(unname(tools::md5sum(to)))
  connection <- DBI::dbConnect(RSQLite::SQLite(), to)
  on.exit(DBI::dbDisconnect(connection))
  DBI::dbGetQuery(connection, "SELECT count(*), sum(id * frames), total(gross_kg), sum(length(note)) FROM visits")
}

keep_as_source <- function(name, to) if (name %in% c("jsonl", "sqlite")) file.rename(to, here(paste0("visits.", name)))

if (has_group) {
  writeLines(sprintf("%.0f", quarter), file.path(group, "memory.limit_in_bytes"))
}
ratios <- list()
for (name in grep(wanted, names(tasks), value = TRUE)) {
  of_memory <- run(name, "in memory")
  of_data <- run(name, "little data")
  of_any <- if (has_group) run(name, "little of anything") else list(seconds = NA)
  same <- function(other) if (is.na(other$seconds)) "-" else if (identical(other$sum, of_memory$sum)) "same" else "OTHER"
  says("%-18s in memory %6.1f s; little data %6.1f s (%.2f times), %s; little of anything %6.1f s, %s", name, of_memory$seconds,
       of_data$seconds, of_data$seconds / of_memory$seconds, same(of_data), of_any$seconds, same(of_any))
  ratios[[name]] <- of_data$seconds / of_memory$seconds
  if (file.exists(of_memory$to)) keep_as_source(name, of_memory$to)
  unlink(here(paste0(c("in memory", "little data", "little of anything"), ".", ending(name))))
}
says("median %.2f times", stats::median(unlist(ratios), na.rm = TRUE))
unlink(folder, recursive = TRUE)
if (has_group) unlink(group, recursive = TRUE)
