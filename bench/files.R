# Reading and writing CSV: part of run.R. Beside a well-kept reader and writer of typed columns, where it is installed; else the rows are
# left out.

# What a run of the script takes as a process of its own, beyond starting R, as the command starts it.
options_of_command <- strsplit(sub(".*Rscript *", "", readLines(system.file("exec", "rowanroot", package = "rowanroot"), 1)), " ")[[1]]
command <- function(code) system.time(system2(file.path(R.home("bin"), "Rscript"), c(options_of_command, "--vanilla", "-e", shQuote(code)), stdout = FALSE))[["elapsed"]]
started <- function() median(replicate(5, command("loadNamespace('rowanroot')")))
# What was written before is on the disk by then: each run pays for its own bytes.
settle <- function() system("sync")
run_of <- function(script) {
  settle()
  command(sprintf("rowanroot:::cli_main(c('run', '%s'))", script))
}

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
    again <- median(replicate(5, run_of(file.path(files, "all.R"))))
    start <- started()
    cat(sprintf("100 files of %.0f MB: first run %.1f s; second run, nothing changed, %.2f s beyond starting R (%.2f s)\n",
                file.size(file.path(folder, "part-001.csv")) / 1e6, first, again - start, start))
  }
  unlink(files, recursive = TRUE)
}

# Running again when something changed: a hundred files, ten formulas, an output of all rows and one of few.
if (nzchar(wanted) && grepl(wanted, "running again")) {
  folder <- tempfile()
  dir.create(file.path(folder, "visits"), recursive = TRUE)
  set.seed(46)
  part <- function(k, some = rows / 100) {
    data.frame(id = (k - 1) * some + seq_len(some), hive = sprintf("NB-%05d", sample.int(50000L, some, TRUE)), apiary = sample(c("NB", "SH", "LW"), some, TRUE), x = rnorm(some),
               gross_kg = round(rnorm(some, 30, 5), 2), tare_kg = round(runif(some, 5, 7), 1), frames = sample.int(20L, some, TRUE),
               day = as.Date("2025-01-01") + k + sample.int(3L, some, TRUE), note = paste("note", sample.int(1e9L, some)), flag = sample(c(TRUE, FALSE, NA), some, TRUE))
  }
  write_part <- function(k) rowanroot:::write_csv_file(part(k), file.path(folder, "visits", sprintf("%03d.csv", k)), NULL)
  for (k in 1:100) write_part(k)
  formulas <- c("net <- gross_kg - tare_kg", "net_lb <- net * 2.20462", "label <- if (frames < 4) 'weak' else if (frames < 8) 'fair' else 'strong'", "per_frame <- net / frames",
                "scaled <- (x - 1) / 2", "heavy <- net > 24", "price <- if (heavy) net * 7.5 else net * 8", "code <- paste0(apiary, frames)", "month <- date_part(day, 'month')", "half <- frames %/% 2L")
  in_order <- c("so_far <- running_total(net, within = hive)", "place <- ranking(net, best = 'highest')")
  script <- function(name, formulas, rest) {
    writeLines(c("library(rowanroot)", "open_table('visits/*.csv') |> set_columns({", formulas, "}) |>", rest), file.path(folder, name))
    file.path(folder, name)
  }
  all_rows <- function(formulas) script("all.R", formulas, "save_table('all.csv')")
  few_rows <- function() script("few.R", c(formulas, in_order), "keep_rows(place <= 1000) |> save_table('few.csv')")
  start <- started()
  tell <- function(what, took) cat(sprintf("running again: %-52s %6.2f s beyond starting R\n", what, took - start))
  Sys.sleep(3)
  tell("all rows written, nothing kept", run_of(all_rows(formulas)))
  changed <- vapply(1:3, function(k) run_of(all_rows(sub("2.20462", 2.2 + k / 100, formulas))), 0)
  tell("one of ten formulas changed (median of 3)", median(changed))
  file_changed <- function(run) vapply(1:3, function(k) { write_part(10 * k); Sys.sleep(3); run() }, 0)
  tell("one of 100 files changed (median of 3)", median(file_changed(function() run_of(file.path(folder, "all.R")))))
  unlink(file.path(folder, ".rowanroot"), recursive = TRUE)
  in_folder <- script("folder.R", formulas, "save_table('all/')")
  tell("all rows written to a folder, nothing kept", run_of(in_folder))
  tell("one of 100 files changed (median of 3)", median(file_changed(function() run_of(in_folder))))
  unlink(file.path(folder, c(".rowanroot", "all")), recursive = TRUE)
  tell("1,000 best rows written, nothing kept", run_of(few_rows()))
  tell("one of 100 files changed (median of 3)", median(file_changed(function() run_of(file.path(folder, "few.R")))))
  # Outputs of one chain: the first has all its columns, and the steps of each are short.
  outputs <- c("save_table(top_rows(all, 1000, by = per_frame), 'best.csv')", "save_table(one_row_per(all, hive, { kg <- mean(net) }), 'hives.csv')",
               "save_table(one_row_per(all, apiary, { price <- sum(price) }), 'apiaries.csv')")
  of_chain <- function(count) {
    unlink(file.path(folder, ".rowanroot"), recursive = TRUE)
    writeLines(c("library(rowanroot)", "all <- open_table('visits/*.csv') |> set_columns({", formulas, "})", outputs[seq_len(count)]), file.path(folder, "chain.R"))
    run_of(file.path(folder, "chain.R"))
  }
  chains <- vapply(1:3, function(k) c(of_chain(1), of_chain(3)), numeric(2))
  tell("one output of a chain, nothing kept (median of 3)", median(chains[1, ]))
  tell("three outputs of that chain, nothing kept (median of 3)", median(chains[2, ]))
  # The least that an output of all rows takes: its bytes are copied, and are on the disk.
  copied <- function() { settle(); system.time({ file.copy(file.path(folder, "all.csv"), file.path(folder, "copy.csv"), overwrite = TRUE)
                                     rowanroot:::end_flush_cpp(rowanroot:::begin_flush_cpp(file.path(folder, "copy.csv"))) })[["elapsed"]] }
  cat(sprintf("running again: %-52s %6.2f s\n", "copying the output of all rows alone (median of 3)", median(vapply(1:3, function(k) copied(), 0))))
  # The same in a session that goes on, without an output.
  old <- setwd(folder)
  block <- parse(text = c("{", formulas, in_order, "}"))[[1]]
  options(rowanroot.keep = FALSE)
  living <- eval(bquote(set_columns(open_table("visits/*.csv"), .(block))))
  look <- function() system.time(suppressMessages(as.data.frame(living)))[["elapsed"]]
  cat(sprintf("running again: %-52s %6.2f s\n", "a table in a session, first look", look()))
  cat(sprintf("running again: %-52s %6.2f s\n", "one of 100 files changed (median of 3)", median(file_changed(look))))
  rm(living)
  # Reading and writing alone, without hashes, journal or store.
  visits <- open_table("visits/*.csv")
  settle()
  reading <- system.time(data <- as.data.frame(visits))[["elapsed"]]
  all <- as.data.frame(open_table("all.csv"))
  settle()
  column <- system.time(rowanroot:::write_csv_file(all["net_lb"], "column.csv", NULL))[["elapsed"]]
  settle()
  writing <- system.time({ rowanroot:::write_csv_file(all, "alone.csv", NULL); rowanroot:::end_flush_cpp(rowanroot:::begin_flush_cpp("alone.csv")) })[["elapsed"]]
  cat(sprintf("running again: reading the files alone %.2f s, writing the output alone %.2f s, one column of it %.2f s\n", reading, writing, column))
  setwd(old)
  unlink(folder, recursive = TRUE)
}
