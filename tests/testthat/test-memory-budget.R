# Columns beyond the budget lie in files without a name, and all is as it is in memory.

local_budget <- function(memory = "64 MB", scratch = tempfile("scratch-"), env = parent.frame()) {
  withr::local_options(list(rowanroot.memory = memory, rowanroot.scratch = scratch), .local_envir = env)
  # The next test has its own.
  withr::defer(withr::with_options(list(rowanroot.memory = NULL, rowanroot.scratch = NULL), set_memory()), env)
}

test_that("what does not fit into the budget is calculated from files, with the same results", {
  local_folder()
  set.seed(2)
  n <- 2e6
  visits <- data.frame(hive = sample(5000L, n, TRUE), day = sample(365L, n, TRUE), kg = round(runif(n, 10, 40), 2))
  visits$note <- rep_len(paste0("n", seq_len(3e5)), n)
  derive <- function() {
    x <- set_columns(visits, {
      place <- ranking(kg, best = "highest", within = hive)
      total <- running_total(kg, within = hive, along = day)
      middle <- moving_mean(kg, rows = 5, within = hive, along = day)
      score <- (kg - mean(kg, within = hive)) / sd(kg, within = hive)
      text <- paste0(note, "/", day)
    }) |> sort_rows(day, hive)
    list(keep_rows(x, score > 0), one_row_per(x, hive, { m <- median(kg); last <- max(total) }),
         top_rows(x, 2, by = kg, within = hive))
  }
  in_memory <- rlang::hash(derive())
  gc()
  local_budget()
  beyond <- derive()
  expect_gt(memory_use_cpp()$files, 0)
  expect_lte(memory_use_cpp()$memory, 64e6)
  expect_identical(list.files(scratch_folder(), all.files = TRUE, no.. = TRUE), character())
  expect_identical(rlang::hash(beyond), in_memory)
})

test_that("a budget that is no size is refused, and sizes are what they say", {
  expect_identical(vapply(c("64 MB", "4GB", "1.5 GiB", "100 MiB", "2e9", "GB", "4 GBs"), bytes_of_text, 0,
                          USE.NAMES = FALSE), c(6.4e7, 4e9, 1.5 * 1024^3, 100 * 1024^2, NA, NA, NA))
  for (wrong in list("much", "63 MB", 1, NA, -1e9, c(1e9, 2e9), TRUE, "")) {
    expect_error(withr::with_options(list(rowanroot.memory = wrong), set_columns(cars, { x <- speed })),
                 "must be a size of at least 64 MB", class = "rowanroot_bad_argument")
  }
  expect_identical(size_text(64e6), "64 MB")
  expect_identical(size_text(12.345e9), "12.3 GB")
})

test_that("a folder that can't be written to is one error, and the output stays", {
  local_folder()
  withr::local_options(rowanroot.keep = FALSE)
  n <- 3e6
  visits <- data.frame(kg = seq_len(n) / 4)
  write_text("old", "out.csv")
  writeLines("", "file")
  local_budget(scratch = "file/none")
  error <- expect_error(quietly(set_columns(visits, { a <- kg + 1; b <- kg + 2; c <- a * b; d <- c + 1 }) |>
                                save_table("out.csv", force = TRUE)), "not enough room",
                        class = "rowanroot_out_of_memory")
  expect_match(conditionMessage(error), "file/none")
  expect_identical(readLines("out.csv"), "old")
})

test_that("where memory is short, strings are made piece by piece, and come to the same", {
  local_folder()
  set.seed(29)
  # Whole pages and pieces.
  for (rows in 2^18) {
    notes <- paste0(sample(c("é", "Note ", "  ", "a,b"), rows, TRUE), sample.int(1e9L, rows))
    notes[sample(rows, 500)] <- NA
    notes[sample(rows, 500)] <- ""
    suppressMessages(save_table(data.frame(id = seq_len(rows), note = notes), "notes.csv", force = TRUE))
    make <- function() {
      open_table("notes.csv") |>
        set_columns({
          upper <- toupper(note)
          size <- nchar(note)
          other <- gsub("[0-5]+", "-", note)
          start <- substr(note, 2, 6)
          has <- startsWith(note, "N")
        }) |> sort_rows(descending(id)) |> as.data.frame()
    }
    usual <- make()
    short <- withr::with_options(list(rowanroot.memory = "64 MB"), make())
    # What is compared value by value for a report of differences takes minutes.
    expect_true(identical(lapply(short, as.vector), lapply(usual, as.vector)))
    expect_true(identical(usual$upper, rev(toupper(notes))))
  }
})

test_that("a warning of one piece is given with the rows of all", {
  local_folder()
  rows <- 2^18
  texts <- as.character(seq_len(rows))
  texts[c(5, rows - 1)] <- "none"
  suppressMessages(save_table(data.frame(x = paste0("'", texts)), "x.csv"))
  number <- function() as.data.frame(set_columns(open_table("x.csv"), { y <- as.integer(substring(x, 2)) }))
  withr::local_options(rowanroot.memory = "64 MB")
  warnings <- testthat::capture_warnings(found <- number())
  expect_length(warnings, 1)
  expect_identical(which(is.na(found$y)), c(5L, as.integer(rows) - 1L))
})

test_that("tables of databases and lines of JSON come in pieces, and are the same", {
  skip_if_not_installed("RSQLite")
  local_folder()
  set.seed(30)
  for (rows in c(3, 65536, 1e5, 2e5 + 1)) {
    data <- data.frame(id = as.integer(seq_len(rows)), few = sample(c("a", "é", NA), rows, TRUE),
                       many = replace(paste("n", seq_len(rows)), seq_len(rows) %% 7 == 0, NA),
                       x = replace(rnorm(rows), seq_len(rows) %% 5 == 0, NA), none = rep(NA_character_, rows),
                       day = as.Date("2026-01-01") + seq_len(rows) %% 900)
    suppressMessages(save_table(data, "t.sqlite", table = "t", force = TRUE))
    found <- as.data.frame(open_table("t.sqlite", table = "t"))
    expect_true(identical(lapply(found[order(found$id), ], as.vector), lapply(data, as.vector)))
    suppressMessages(save_table(data[-5], "t.jsonl", force = TRUE))
    expect_true(identical(lapply(as.data.frame(open_table("t.jsonl")), as.vector), lapply(data[-5], as.vector)))
  }
  data$few[2e5] <- "b"
  suppressMessages(save_table(data, "t.sqlite", table = "t"))
  found <- as.data.frame(changes("t.sqlite", by = id))
  expect_identical(found$column[found$status == "changed"], "few")
})

test_that("a lack of memory of R's own is one error", {
  expect_error(rowanroot:::within_memory(stop("cannot allocate vector of size 76.3 Mb")),
               class = "rowanroot_out_of_memory")
  expect_error(rowanroot:::within_memory(stop(structure(class = c("std::bad_alloc", "error", "condition"),
                                                        list(message = "std::bad_alloc", call = NULL)))),
               class = "rowanroot_out_of_memory")
  expect_error(rowanroot:::within_memory(stop("memory exhausted (limit reached?)")),
               class = "rowanroot_out_of_memory")
  expect_error(rowanroot:::within_memory(stop("another")), "another")
})

test_that("a lack of memory while R looks at a text is an error of R's, and R goes on", {
  code <- quote({
    suppressMessages(library(rowanroot))
    rows <- 2000
    long <- c(strrep("x", 6e7), rep("a", rows - 1))
    x <- set_columns(data.frame(long = long, number = paste0("n", seq_len(rows))), {
      both <- join_text(long, long, number, with = "-")
    })$both
    cat(tryCatch(nchar(x[[1]]), error = conditionMessage), x[[2]], sep = "\n")
  })
  said <- system2("sh", c("-c", shQuote(paste("ulimit -d 220000;", shQuote(file.path(R.home("bin"), "Rscript")), "-e",
                                              shQuote(deparse1(code, "\n"))))), stdout = TRUE, stderr = TRUE)
  expect_identical(said, c("cannot allocate memory: std::bad_alloc", "a-a-n2"))
})

test_that("texts that nobody needs any more are given back, though R does not know how large they are", {
  withr::local_options(rowanroot.keep = FALSE)
  path <- withr::local_tempfile(fileext = ".csv")
  writeLines(c("id,note", paste0(1:1e5, ",", strrep("brood ", 160), 1:1e5)), path)
  # What earlier tests left is not counted.
  gc()
  before <- rowanroot:::memory_use_cpp()[["memory"]]
  most <- 0
  for (time in 1:8) {
    data <- as.data.frame(open_table(path))
    most <- max(most, rowanroot:::memory_use_cpp()[["memory"]] - before)
  }
  expect_identical(data$note[1e5], paste0(strrep("brood ", 160), "100000"))
  # Two of them are needed at once. Large pages leave some room; all eight would be 11 times the file.
  expect_lt(most, 8 * file.size(path))
})
