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
  do.call(paste, unname(lapply(data[names], function(g) ifelse(is.na(g) & !(is.numeric(g) & g %in% NaN), "missing", paste("=", g)))))
}
