# Reading and writing CSV: part of run.R. Beside a well-kept reader and writer of typed columns, where it is installed; else the rows are
# left out.

if (grepl(wanted, "read CSV|write CSV|second run") && requireNamespace("vroom", quietly = TRUE)) {
  files <- tempfile()
  dir.create(files)
  big <- file.path(files, "big.csv")
  set.seed(45)
  some <- min(rows, 5e6)
  content <- data.frame(id = seq_len(some), hive = sprintf("NB-%05d", sample.int(50000L, some, TRUE)), apiary = sample(c("NB", "SH", "LW"), some, TRUE),
                        x = rnorm(some), y = runif(some) * 1000, kg = round(rnorm(some, 20, 5), 2), frames = sample.int(20L, some, TRUE),
                        day = as.Date("2025-01-01") + sample.int(365L, some, TRUE), note = paste("note", sample.int(1e9L, some)),
                        flag = sample(c(TRUE, FALSE, NA), some, TRUE))
  rowanroot:::write_csv_file(content, big, NULL)
  size <- as.numeric(object.size(content)) / 1e6
  row <- function(title, took) {
    cat(sprintf("%-45s other %8.4f  rowanroot %8.4f  %6.1fx faster\n", title, took[["base"]], took[["ours"]], took[["base"]] / took[["ours"]]))
    results[[length(results) + 1]] <<- list(title = title, base = took[["base"]], ours = took[["ours"]], limit = NA)
  }
  types <- list(id = "i", hive = "c", apiary = "c", x = "d", y = "d", kg = "d", frames = "i", day = "D", note = "c", flag = "l")
  row("read CSV, ten columns, types guessed",
      seconds(list(base = function() vroom::vroom(big, col_types = types, altrep = FALSE, progress = FALSE, num_threads = 2),
                   ours = function() as.data.frame(open_table(big))), 3))
  row("write CSV, ten columns",
      seconds(list(base = function() vroom::vroom_write(content, file.path(files, "other.csv"), delim = ",", progress = FALSE),
                   ours = function() rowanroot:::write_csv_file(content, file.path(files, "ours.csv"), NULL)), 1))
  # The memory that a process of its own takes at most, beside what the table takes in the end.
  peak <- function(code) {
    out <- system2(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", shQuote(paste0(code, "; cat(grep('VmHWM', readLines('/proc/self/status'), value = TRUE))"))), stdout = TRUE)
    as.numeric(gsub("[^0-9]", "", tail(out, 1))) / 1000
  }
  if (file.exists("/proc/self/status")) {
    all <- peak(sprintf("library(rowanroot); x <- as.data.frame(open_table('%s'))", big)) - peak("library(rowanroot)")
    cat(sprintf("reading takes %.0f MB beside R itself at most; as R's own vectors the table has %.0f MB\n", all, size))
  }
  # A hundred files of which none has changed.
  if (nzchar(wanted) && grepl(wanted, "second run")) {
    folder <- file.path(files, "hundred")
    dir.create(folder)
    part <- content[seq_len(min(some, 520000)), ]
    rowanroot:::write_csv_file(part, file.path(folder, "part-001.csv"), NULL)
    for (k in 2:100) file.copy(file.path(folder, "part-001.csv"), file.path(folder, sprintf("part-%03d.csv", k)))
    writeLines(c("library(rowanroot)", "all <- open_table('hundred/*.csv') |> one_row_per(apiary, { kg <- mean(kg) })", "save_table(all, 'out.csv')"), file.path(files, "all.R"))
    Sys.sleep(3)
    first <- system.time(run_script(file.path(files, "all.R")))[["elapsed"]]
    command <- function(code) system.time(system2(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", shQuote(code)), stdout = FALSE))[["elapsed"]]
    again <- median(replicate(5, command(sprintf("rowanroot:::cli_main(c('run', '%s'))", file.path(files, "all.R")))))
    start <- median(replicate(5, command("loadNamespace('rowanroot')")))
    cat(sprintf("100 files of %.0f MB: first run %.1f s; second run, nothing changed, %.2f s beyond starting R (%.2f s)\n",
                file.size(file.path(folder, "part-001.csv")) / 1e6, first, again - start, start))
  }
  unlink(files, recursive = TRUE)
}
