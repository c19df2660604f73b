# Times reading and writing CSV against C++ written by hand for each shape of file, by the time of the processor, on one
# thread, and checks that both write the same bytes.
#   Rscript bench/csv.R [rows of the first shape]
library(rowanroot)
source_of <- dirname(sub("^--file=", "", grep("^--file=", commandArgs(FALSE), value = TRUE)))
rows <- as.numeric(c(commandArgs(TRUE), 5e6)[1])
makevars <- tempfile()
writeLines(paste0(c("CXXFLAGS = ", "CXX17FLAGS = "), "-O3 -march=native -ffp-contract=off -fno-math-errno"), makevars)
Sys.setenv(R_MAKEVARS_USER = makevars)
Rcpp::sourceCpp(file.path(source_of, "limits-csv.cpp"))
options(rowanroot.threads = 1L, rowanroot.keep = FALSE)
folder <- tempfile()
dir.create(folder)
here <- function(name) file.path(folder, name)
set.seed(45)
pick <- function(values, rows) sample(values, rows, TRUE)

shapes <- list(
  "ten columns of all types" = function(path) {
    rowanroot:::write_csv_file(data.frame(
      id = seq_len(rows), hive = sprintf("NB-%05d", sample.int(50000L, rows, TRUE)),
      apiary = pick(c("NB", "SH", "LW"), rows), x = stats::rnorm(rows), y = stats::runif(rows) * 1000,
      kg = round(stats::rnorm(rows, 20, 5), 2), frames = sample.int(20L, rows, TRUE),
      day = as.Date("2025-01-01") + sample.int(365L, rows, TRUE), note = paste("note", sample.int(1e9L, rows)),
      flag = pick(c(TRUE, FALSE, NA), rows)), path, NULL)
    list(limit = limit_csv_ten)
  },
  "200 columns of few decimals" = function(path) {
    some <- rows %/% 50
    rowanroot:::write_csv_file(as.data.frame(lapply(stats::setNames(nm = paste0("v", 1:200)), function(k) {
      round(stats::runif(some, 1, 900), 2)
    })), path, NULL)
    list(limit = limit_csv_wide)
  },
  "long texts in quotes" = function(path) {
    some <- rows %/% 5
    of_words <- replicate(5000, paste(pick(c("queen", "seen,", "brood\n", "\"good\"", "two", "frames", "fed"), 40), collapse = " "))
    rowanroot:::write_csv_file(data.frame(id = seq_len(some), note = paste(pick(of_words, some), sample.int(1e9L, some)),
                                          kg = round(stats::runif(some, 5, 40), 2)), path, NULL)
    list(limit = limit_csv_quoted)
  },
  "decimal commas and semicolons" = function(path) {
    plain <- data.frame(hive = sprintf("NB-%05d", sample.int(50000L, rows, TRUE)), gross_kg = round(stats::rnorm(rows, 30, 5), 2),
                        tare_kg = round(stats::runif(rows, 5, 7), 1), day = as.Date("2025-01-01") + sample.int(365L, rows, TRUE),
                        x = stats::rnorm(rows))
    rowanroot:::write_csv_file(plain, path, NULL)
    lines <- readLines(path)
    writeLines(chartr(",.", ";,", lines), path)
    list(limit = limit_csv_comma, separator = ";", decimal = ",")
  }
)

processor <- function(code) sum(system.time(code)[c("user.self", "sys.self")])
ours <- function(path, to, separator = ",", decimal = ".") {
  gc()
  read <- processor(data <- as.data.frame(open_table(path, separator = separator, decimal = decimal)))
  c(read = read, write = processor(rowanroot:::write_csv_file(data, to, NULL)))
}
for (name in grep(c(commandArgs(TRUE), "", "")[2], names(shapes), value = TRUE)) {
  path <- here("shape.csv")
  shape <- shapes[[name]](path)
  times <- replicate(5, {
    of_hand <- shape$limit(path, here("hand.csv"))
    of_ours <- do.call(ours, c(list(path, here("ours.csv")), shape[-1]))
    stopifnot(tools::md5sum(here("hand.csv")) == tools::md5sum(here("ours.csv")))
    c(of_ours, of_hand)
  })
  # What else the machine does only adds to that.
  took <- apply(times, 1, min)
  cat(sprintf("%-32s %4.0f MB: read %5.2f s, by hand %5.2f (%.2f times), write %5.2f s, by hand %5.2f (%.2f times)\n", name,
              file.size(path) / 1e6, took[1], took[3], took[1] / took[3], took[2], took[4], took[2] / took[4]))
}
unlink(folder, recursive = TRUE)
