# Damages a Parquet file, again and again, and opens it: whatever is in a file, R goes on.
#   Rscript tools/damage.R [how many] [first]
suppressMessages(library(rowanroot))
given <- as.integer(c(commandArgs(TRUE), 5000, 1)[1:2])
if (length(commandArgs(TRUE)) < 2) given[2] <- 1L
folder <- tempfile()
dir.create(folder)
setwd(folder)
set.seed(1)
n <- 400
visits <- data.frame(hive = factor(sample(c("NB-01", "NB-02", NA), n, TRUE)), kg = stats::rnorm(n),
                     frames = sample(c(NA, 1:9), n, TRUE), day = as.Date("2026-01-01") + seq_len(n),
                     note = sample(c("fine", "weak", "", NA), n, TRUE), strong = sample(c(TRUE, NA), n, TRUE),
                       at = .POSIXct(1.7e9 + seq_len(n), "UTC"))
suppressMessages(save_table(visits, "whole.parquet"))
whole <- readBin("whole.parquet", "raw", 1e6)
read <- told <- 0
for (k in seq(given[2], length.out = given[1])) {
  set.seed(k)
  damaged <- whole
  # A third anywhere, a third in the end of the file, which says what is where, and a third cut off.
  at <- switch(k %% 3 + 1, sample(length(whole), 5), length(whole) - sample(min(1500, length(whole)) - 1, 3), integer())
  damaged[at] <- as.raw(sample(0:255, length(at), TRUE))
  if (!length(at)) damaged <- c(damaged[seq_len(sample(length(whole), 1))], utils::tail(whole, sample(c(0, 8, 500), 1)))
  writeBin(damaged, "damaged.parquet")
  found <- tryCatch(as.data.frame(open_table("damaged.parquet")), rowanroot_error = function(e) NULL)
  if (is.null(found)) told <- told + 1 else read <- read + 1
}
cat(given[1], "damaged Parquet files:", told, "told,", read, "read, and R went on\n")
