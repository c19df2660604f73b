# Rows of two tables joined by a key: base R's merge() and match() say what comes out.

two_tables <- function(seed, rows = 60, others = 25) {
  set.seed(seed)
  list(
    x = data.frame(k = sample(c("a", "b", "c", "Zo\u00eb", NA), rows, TRUE), n = sample(c(1:6, NA), rows, TRUE),
                   v = stats::runif(rows)),
    other = data.frame(n = sample(c(1:8, NA), others, TRUE),
                       key = sample(c("a", "b", "d", "Zo\u00eb", NA), others, TRUE), w = seq_len(others),
                       day = as.Date("2025-01-01") + seq_len(others))
  )
}

# Row by row: the rows of both that go together.
by_hand <- function(x, other, unmatched) {
  own <- theirs <- integer()
  for (i in seq_len(nrow(x))) {
    fits <- which(other$key == x$k[i] & other$n == x$n[i])
    if (!length(fits) && unmatched == "drop") next
    own <- c(own, rep(i, max(1, length(fits))))
    theirs <- c(theirs, if (length(fits)) fits else NA)
  }
  joined <- cbind(x[own, ], other[theirs, c("w", "day")])
  left <- setdiff(seq_len(nrow(other)), theirs)
  if (unmatched == "keep both" && length(left)) {
    joined <- rbind(joined, data.frame(k = other$key[left], n = other$n[left], v = NA_real_, w = other$w[left],
                                       day = other$day[left]))
  }
  rownames(joined) <- NULL
  joined
}

test_that("rows come together as they do one by one", {
  for (seed in 1:5) for (rows in c(60, 1, 0)) for (unmatched in c("drop", "keep", "keep both")) {
    tables <- two_tables(seed, rows)
    joined <- suppressMessages(join_rows(tables$x, tables$other, by = c(k = key, n), unmatched = unmatched,
                                         several = "all"))
    expect_identical(joined, by_hand(tables$x, tables$other, unmatched))
    once <- one_of_each(tables$other, key, n)
    expect_identical(join_rows(tables$x, once, by = c(k = key, n), unmatched = unmatched),
                     by_hand(tables$x, once, unmatched))
  }
})

test_that("keys of every type match, and rows are counted", {
  day <- as.Date("2025-01-01") + 0:3
  keys <- list(day, as.POSIXct(day), factor(c("a", "b", "c", "d")), c(1.5, NaN, 2, NA), c(1L, 5L, NA, 7L))
  for (key in keys) {
    x <- data.frame(key = key[c(3, 1, 4, 3)], v = 1:4)
    other <- data.frame(key, w = 11:14)
    expect_identical(join_rows(x, other, by = key, unmatched = "keep")$w,
                     ifelse(is.na(x$key), NA, other$w[match(x$key, other$key)]))
  }
  skip_if_not_installed("bit64")
  long <- bit64::as.integer64(c("9007199254740993", "9007199254740992"))
  expect_identical(join_rows(data.frame(key = long), data.frame(key = long, w = 1:2), by = key)$w, 1:2)
  expect_message(join_rows(data.frame(k = c(1, 2)), data.frame(k = c(1, 1, 2), w = 1:3), by = k, several = "all"),
                 "3 rows came of 2: 1 row matches several of the other table.", fixed = TRUE)
})

test_that("both tables may be of files, stay so, and are gone into by why()", {
  local_folder()
  tables <- two_tables(1)
  other <- one_of_each(tables$other, key, n)
  save_table(tables$x, "x.csv")
  save_table(other, "other.csv")
  mites <- open_table("other.csv") |> set_columns({ twice <- w * 2L })
  x <- open_table("x.csv") |>
    join_rows(mites, by = c(k = key, n), unmatched = "keep") |>
    set_columns({ sum <- v + twice })
  expected <- by_hand(tables$x, other, "keep")
  expect_equal(as.data.frame(x)$sum, expected$v + expected$w * 2)
  expect_identical(as.data.frame(run(routine() |> join_rows(mites, by = c(k = key, n)), tables$x))$w,
                   by_hand(tables$x, other, "drop")$w)
  save_table(x, "out.csv")
  withr::with_options(list(rowanroot.chunks_from = 0, rowanroot.chunk_bytes = 200), save_table(x, "chunks.csv"))
  expect_identical(readLines("chunks.csv"), readLines("out.csv"))
  row <- which(!is.na(expected$w))[2]
  found <- why(x, sum, row)
  expect_identical(found$from[[2]]$from[[1]]$place,
                   paste0("other.csv, line ", match(expected$w[row], other$w) + 1))
  other$w[1] <- 1000L
  save_table(other, "other.csv", force = TRUE)
  expect_message(save_table(x, "out.csv"), "other.csv changed")
  expect_equal(suppressMessages(as.data.frame(x))$w, by_hand(tables$x, other, "keep")$w)
  expect_error(save_table(x, "other.csv"), class = "rowanroot_output_is_input")
})

test_that("what can't be joined is refused, with the way out", {
  visits <- data.frame(hive = c("NB-01", "NB-02"), net_kg = c(25, 22.3))
  mites <- data.frame(code = c("NB-01", "NB-01", "SH-01"), week = c(20, 24, 20))
  expect_snapshot(error = TRUE, {
    join_rows(visits)
    join_rows(visits, mites)
    join_rows(visits, visits)
    join_rows(visits, mites, by = hive)
    join_rows(visits, mites, by = c(hive = code))
    join_rows(visits, mites, by = c(hive = week))
    join_rows(visits, mites, by = c(hive = code, hive = week))
    join_rows(visits, mites, by = c(hive = code:week))
    join_rows(visits, visits, by = hive)
    join_rows(visits, 3, by = hive)
    join_rows(visits, mites, by = c(hive = code), unmatched = "all")
    join_rows(visits, mites, by = c(hive = code), several = "first")
  })
})

test_that("appended tables may be of files, and lack columns", {
  local_folder()
  visits <- data.frame(hive = c("NB-01", "NB-02"), net_kg = c(25, 22.3))
  more <- data.frame(hive = "SH-01", frames = 3L)
  save_table(visits, "visits.csv")
  save_table(more, "more.csv")
  both <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), net_kg = c(25, 22.3, NA), frames = c(NA, NA, 3L))
  x <- open_table("visits.csv") |> append_rows(open_table("more.csv"), absent = "missing")
  expect_message(found <- as.data.frame(x), "`frames` is absent in the first table: missing in 2 rows.", fixed = TRUE)
  expect_identical(found, both)
  expect_identical(suppressMessages(append_rows(visits, more, absent = "missing")), both)
  expect_error(append_rows(visits, more), class = "rowanroot_unknown_column")
  expect_message(append_rows(visits["hive"], visits, cbind(visits, note = ""), absent = "missing"),
                 "`note` is absent in the first table and table 1 to append: missing in 4 rows.", fixed = TRUE)
  expect_identical(suppressMessages(as.data.frame(append_rows(visits, "visits.csv")))$hive, rep(visits$hive, 2))
  expect_identical(why(x, frames, 3)$place, "more.csv, line 2")
  doubled <- open_table("visits.csv") |> set_columns({ more <- net_kg * 2 }, carry = NULL)
  y <- open_table("visits.csv") |> append_columns(doubled)
  expect_equal(as.data.frame(y)$more, visits$net_kg * 2)
  expect_identical(why(y, more, 2)$from[[1]]$place, "visits.csv, line 3")
  more$frames <- 9L
  save_table(more, "more.csv", force = TRUE)
  expect_identical(suppressMessages(as.data.frame(x))$frames, c(NA, NA, 9L))
})
