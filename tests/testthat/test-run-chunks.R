# The bytes of the output, made in memory and in chunks.
both_ways <- function(make, memory = 50000) {
  in_memory <- quietly(make("whole.csv"))
  withr::local_options(rowanroot.chunks_from = memory / 2.5, rowanroot.chunk_bytes = 4096)
  quietly(make("chunks.csv"))
  list(whole = readLines("whole.csv"), chunks = readLines("chunks.csv"))
}

test_that("a table in chunks is the same as in memory: row by row, running words, groups, rows left out", {
  local_folder()
  set.seed(8)
  n <- 20000
  data <- data.frame(id = seq_len(n), hive = sample(c("NB-01", "NB-02", NA, "SH,\"1"), n, TRUE),
                     kg = round(rnorm(n, 20, 9), 3),
                     frames = sample(c(1:12, NA), n, TRUE), day = as.Date("2026-01-01") + sample(90, n, TRUE),
                       half = runif(n), note = paste0("n", sample(n)))
  data$kg[sample(n, 500)] <- NA
  save_table(data, "visits.csv")
  save_table(data[1:5000, ], "more.csv")
  weigh <- function(kg) if (is.na(kg)) 0 else if (kg > 20) kg * 7.5 else kg * 8
  make <- function(path) {
    open_table(c("visits.csv", "more.csv"), file_column = "file") |> set_columns({
      price <- weigh(kg)
      label <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
      number <- .row
      total <- running_total(half)
      by_hive <- running_total(kg, within = hive)
      product <- running_product(1 + half / 100, missing = "carry", within = c(hive, frames))
      stopped <- running_mean(kg, missing = "stop", within = note)
      count <- running_count(frames, missing = "carry")
      whole <- running_total(frames, within = hive)
      least <- running_min(day, within = day)
      balance <- running(.above * 0.99 + half, start = 0, within = hive)
      longest <- running(if (half > 0.5) note else .above, start = "", within = frames)
      before <- previous(kg, rows = 3, default = 0, within = frames)
      changed <- time_between(previous(day), day, "days")
      window <- moving_mean(kg, rows = 7, within = hive)
      top <- moving_max(frames, rows = 300)
      last_kg <- last_known(kg)
      last_hive <- last_known(hive, within = frames)
      c(a, b) <- split_text(paste0(hive, "/", frames), "/")
      band <- bands(half, low = 0.3, high = Inf)
      zero <- if (half < 0.3) -0 else if (half < 0.6) 0 else kg
      of_zero <- running_total(half, within = c(zero, hive))
      few_back <- moving_mean(kg, rows = 4, within = zero)
      frames[.row <= 3] <- 99
    }) |> keep_rows(half > 0.1) |> rename_columns(weight = kg) |> set_columns({ so_far <- running_max(weight);
                                                                                n <- .row }) |> drop_columns(note) |>
      save_table(path)
  }
  expect_true(withr::with_options(list(rowanroot.chunks_from = 20000),
                                  needs_chunks(open_table("visits.csv"), "out.csv", NULL)))
  found <- both_ways(make)
  expect_identical(found$chunks, found$whole)
})

test_that("types are those of all rows, and an empty result has its header", {
  local_folder()
  set.seed(4)
  early <- list(a = 1:3000, b = sample(1e5, 3000), c = rep("2026-01-01", 3000), d = rep("", 3000),
                e = rep(c("TRUE", "FALSE"), 1500))
  late <- list(a = 1.5, b = "x", c = "no day", d = "7", e = "3")
  for (late_ones in list("a", c("b", "c"), "d", "e", c("a", "e"), character())) {
    data <- as.data.frame(Map(function(x, y, name) c(x, if (name %in% late_ones) y else utils::tail(x, 1)), early,
                              late, names(early)))
    write_text(c("a,b,c,d,e", do.call(paste, c(data, sep = ","))), "in.csv")
    unlink(c("whole.csv", "chunks.csv", ".rowanroot"), recursive = TRUE)
    found <- both_ways(function(path) open_table("in.csv") |> set_columns({ f <- paste(a, c, d, e) }) |>
                       save_table(path), memory = 40000)
    expect_identical(found$chunks, found$whole)
  }
  found <- both_ways(function(path) open_table("in.csv") |> keep_rows(a < 0) |> save_table(paste0("none-", path)),
                     memory = 40000)
  expect_identical(readLines("none-chunks.csv"), "a,b,c,d,e")
})

test_that("what needs all rows at once is not read in chunks", {
  local_folder()
  write_text(c("hive,kg", rep("NB-01,31", 2000)), "visits.csv")
  withr::local_options(rowanroot.chunks_from = 400)
  in_chunks <- function(x) needs_chunks(x, "out.csv", NULL)
  visits <- open_table("visits.csv")
  expect_true(in_chunks(visits))
  expect_true(in_chunks(visits |> set_columns({ a <- kg %in% c(31, 32) })))
  for (x in list(visits |> set_columns({ a <- mean(kg) }), visits |>
                 set_columns({ a <- ranking(kg, best = "highest") }), visits |> sort_rows(kg),
                 visits |> set_columns({ a <- following(kg) }), visits |> set_columns({ a <- rev(kg) }), visits |>
                   set_columns({ a <- running_total(kg, along = hive) }),
                 visits |> set_columns({ a <- .rows }), visits |> keep_rows(kg > mean(kg)), visits |>
                   one_row_per(hive, { n <- .rows }),
                 visits |> set_columns({ a <- as_category(hive) }), visits |> set_columns({ a <- kg %in% kg }),
                   open_table("visits.csv", types = c(hive = "category")))) {
    expect_false(in_chunks(x))
  }
})

test_that("values of the script that go along with the rows are not begun anew in each chunk or part", {
  local_folder()
  some <- data.frame(id = 1:3000, hive = rep(c("NB-01", "SH-02", "LW-03"), 1000), kg = rep(c(8, 20, 31, 15), 750))
  dir.create("visits")
  for (k in 1:3) write.csv(some[(k - 1) * 1000 + 1:1000, ], paste0("visits/", k, ".csv"), row.names = FALSE)
  site <- rep(c("a", "b", "c", "d", "e", "f", "g"), length.out = 3000)
  of_two <- c("x", "y")
  weight <- seq_len(3000)
  wanted <- c("31", "8")
  make <- function(x) set_columns(x, {
    one <- paste0(hive, site)
    two <- paste0(hive, of_two)
    heavy <- kg * weight
    found <- as.character(kg) %in% wanted
    level <- as_category(as.character(kg), levels = c("8", "15", "20", "31"))
  })
  expected <- make(some)
  expect_identical(expected$two, paste0(some$hive, of_two))
  write.csv(expected, "expected.csv", row.names = FALSE, quote = FALSE)
  write.csv(make(some) |> keep_rows(kg > 10), "chosen.csv", row.names = FALSE, quote = FALSE)
  visits <- function() open_table("visits/*.csv")
  in_chunks <- list(rowanroot.chunks_from = 0, rowanroot.chunk_bytes = 4096, rowanroot.wait_from = 0)
  withr::with_options(in_chunks, {
    quietly(save_table(make(visits()), "made.csv"))
    quietly(save_table(visits() |> make() |> keep_rows(kg > 10), "made-chosen.csv"))
  })
  expect_identical(readLines("made.csv"), readLines("expected.csv"))
  expect_identical(readLines("made-chosen.csv"), readLines("chosen.csv"))
  withr::local_options(rowanroot.keep_from = 0)
  quietly(save_table(make(visits()), "parts/"))
  expect_identical(unlist(lapply(sprintf("parts/%d.csv", 1:3), function(path) readLines(path)[-1])),
                   readLines("expected.csv")[-1])
  # What is an option of all rows has no need of all at once.
  options <- visits() |> set_columns({
    found <- as.character(kg) %in% wanted
    day <- as_date(paste0("2026-01-0", id %% 7 + 1), c("%Y-%m-%d", "%d.%m.%Y"))
    number <- as_number(as.character(kg), signs = c("kg", "g"))
    height <- look_up(hive, data.frame(hive = c("NB-01", "SH-02", "LW-03"), m = 1:3), take = m)
    most <- row_max_name(kg, id)
    c(site, count) <- split_text(hive, "-", type = c("text", "integer"))
  })
  withr::with_options(in_chunks, expect_true(needs_chunks(options, "out.csv", NULL)))
  withr::with_options(in_chunks, expect_false(needs_chunks(make(visits()), "out.csv", NULL)))
})

test_that("errors in a later chunk say from where rows are counted, and leave the output as it was", {
  local_folder()
  write_text(c("hive,kg", rep("NB-01,31", 3000), "NB-02,heavy"), "visits.csv")
  withr::local_options(rowanroot.chunks_from = 8000, rowanroot.chunk_bytes = 4096)
  write_text("old", "out.csv")
  expect_error(quietly(open_table("visits.csv") |> set_columns({ n <- as_number(kg) }) |>
                       save_table("out.csv", force = TRUE)), "rows are counted from row [0-9,]+",
               class = "rowanroot_unreadable")
  expect_identical(readLines("out.csv"), "old")
  expect_error(quietly(open_table("visits.csv", types = c(kg = "integer")) |> save_table("out.csv", force = TRUE)),
               "line 3002", class = "rowanroot_csv")
  expect_identical(list.files(all.files = TRUE, pattern = "unfinished"), character())
})
