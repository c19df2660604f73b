# Formulas in `within` and `along`, and in the columns that make groups.

visits <- function(rows = 200) {
  set.seed(7)
  data.frame(hive = sample(c("NB-01", "NB-02", "SH-01", NA), rows, replace = TRUE),
             day = as.Date("2024-11-01") + sample(0:500, rows, replace = TRUE),
             net_kg = round(stats::runif(rows, 2, 30), 1))
}

year <- function(day) as.integer(format(day, "%Y"))

test_that("a word's groups and order can be formulas", {
  data <- visits()
  got <- set_columns(data, {
    so_far <- running_total(net_kg, along = day, within = c(hive, date_part(day, "year")))
    best <- ranking(net_kg, best = "highest", within = substr(hive, 1, 2))
    back <- running_count(net_kg, along = descending(.row))
    mean_kg <- mean(net_kg, within = date_part(day, "month"))
    spread <- all_at_once(function(x) max(x) - min(x), net_kg, within = net_kg > 10)
  })
  groups <- paste(data$hive, year(data$day))
  order <- order(data$day)
  so_far <- numeric(nrow(data))
  so_far[order] <- stats::ave(data$net_kg[order], groups[order], FUN = cumsum)
  expect_equal(got$so_far, so_far)
  expect_equal(got$best, stats::ave(data$net_kg, paste(substr(data$hive, 1, 2)),
                                    FUN = function(x) rank(-x, ties.method = "min")))
  expect_identical(got$back, rev(seq_len(nrow(data))))
  expect_equal(got$mean_kg, stats::ave(data$net_kg, months(data$day)))
  expect_equal(got$spread, stats::ave(data$net_kg, data$net_kg > 10, FUN = function(x) max(x) - min(x)))
  expect_identical(names(got), c(names(data), "so_far", "best", "back", "mean_kg", "spread"))
})

test_that("a block's groups and order can be formulas of the columns before it", {
  data <- visits()
  expect_warning(got <- set_columns(data, { n <- .row; day <- NULL; sum_kg <- sum(net_kg); joined <- cumsum(net_kg) },
                                    within = date_part(day, "year"), along = descending(nchar(hive) + net_kg)),
                 "`nchar(hive) + net_kg` is missing in", fixed = TRUE)
  groups <- year(data$day)
  rows <- order(is.na(data$hive), ifelse(is.na(data$hive), 0, -data$net_kg))
  n <- integer(nrow(data))
  n[rows] <- stats::ave(seq_along(rows), groups[rows], FUN = seq_along)
  total <- numeric(nrow(data))
  total[rows] <- stats::ave(data$net_kg[rows], groups[rows], FUN = cumsum)
  expect_identical(got$n, n)
  expect_equal(got$joined, total)
  expect_equal(got$sum_kg, stats::ave(data$net_kg, groups, FUN = sum))
  expect_identical(names(got), c("hive", "net_kg", "n", "sum_kg", "joined"))
})

test_that("a formula's groups are those of its columns at that line", {
  data <- data.frame(a = c(1, 2, 3, 4), x = 1:4)
  got <- set_columns(data, {
    before <- sum(x, within = a > 2)
    a <- a + 1L
    again <- sum(x, within = a > 2)
    x[a > 4] <- 10L
    last <- sum(x, within = a > 2)
  })
  expect_identical(got$before, c(3L, 3L, 7L, 7L))
  expect_identical(got$again, c(1L, 9L, 9L, 9L))
  expect_identical(got$last, c(1L, 15L, 15L, 15L))
})

test_that("verbs take formulas", {
  data <- visits()
  data$year <- year(data$day)
  bare <- data[c("hive", "day", "net_kg")]
  same <- function(found, expected) expect_identical(found, expected[names(bare)])
  same(keep_rows(bare, net_kg == max(net_kg), within = date_part(day, "year")),
       keep_rows(data, net_kg == max(net_kg), within = year))
  same(drop_rows(bare, net_kg < mean(net_kg, within = date_part(day, "year"))),
       drop_rows(data, net_kg < mean(net_kg, within = year)))
  same(top_rows(bare, 2, by = net_kg * 2, within = c(hive, date_part(day, "year"))),
       top_rows(data, 2, by = net_kg, within = c(hive, year)))
  same(sort_rows(bare, descending(date_part(day, "year")), hive), sort_rows(data, descending(year), hive))
  same(one_of_each(bare, date_part(day, "year"), hive, along = descending(net_kg / 2)),
       one_of_each(data, year, hive, along = descending(net_kg)))
  same(suppressWarnings(should_hold(bare, "few" = .rows < 9, within = date_part(day, "year"))), bare)
  expect_error(must_hold(bare, "few" = .rows < 9, within = date_part(day, "year")),
               class = "rowanroot_broken_condition")
  expect_identical(one_row_per(bare, c(hive, year = as.integer(date_part(day, "year"))), {
    n <- .rows
    last <- max(day)
  }), one_row_per(data, c(hive, year), { n <- .rows; last <- max(day) }))
  expect_identical(one_row_per(bare, c(year = as.integer(date_part(day, "year")))), one_row_per(data, year))
})

test_that("the lines of one_row_per() may have groups of their own", {
  data <- data.frame(hive = c("a", "a", "b"), day = as.Date("2025-01-01") + c(0, 40, 0), kg = 1:3)
  got <- one_row_per(data, hive, {
    most <- max(sum(kg, within = date_part(day, "month")))
    .heavy <- sum(kg, within = kg > 1)
    heavy <- max(.heavy)
    last <- max(ranking(kg, best = "lowest", along = descending(.row)))
  })
  expect_identical(got, data.frame(hive = c("a", "b"), most = c(4L, 4L), heavy = c(5L, 5L), last = 2:1))
})

test_that("it goes the same way from files, in chunks, in routines and when the source has other columns", {
  local_folder()
  data <- visits()
  write <- function(data) for (k in 1:2) save_table(data[1:100 + (k - 1) * 100, ], paste0(k, ".csv"), force = TRUE)
  write(data)
  steps <- function(x) {
    x |>
      set_columns({ share_of_year <- share(net_kg) }, within = date_part(day, "year")) |>
      keep_rows(net_kg > mean(net_kg, within = substr(hive, 1, 2))) |>
      set_columns({ n <- running_count(net_kg, within = substr(hive, 1, 2)) })
  }
  expected <- steps(data)
  rooted <- steps(open_table(c("1.csv", "2.csv")))
  same <- function(found) expect_equal(as.data.frame(found)[names(expected)], expected, ignore_attr = "row.names")
  same(rooted)
  same(run(steps(routine()), data))
  same(run(steps(routine()), open_table(c("1.csv", "2.csv"))))
  withr::with_options(list(rowanroot.chunks_from = 0, rowanroot.chunk_bytes = 1000), {
    x <- open_table(c("1.csv", "2.csv")) |>
      set_columns({ n <- running_total(net_kg, within = c(hive, date_part(day, "year"))); half <- net_kg / 2 })
    save_table(x, "out.csv")
  })
  expect_equal(as.data.frame(open_table("out.csv"))$n,
               stats::ave(data$net_kg, paste(data$hive, year(data$day)), FUN = cumsum))
  expect_identical(show_steps(rooted)$steps[[1]],
                   "Within date_part(day, \"year\"): set share_of_year to share(net_kg)")
  write(cbind(more = 1, data))
  suppressMessages(same(rooted))
})

test_that("a value in the formula of a group makes the output stale", {
  local_folder()
  save_table(visits(), "visits.csv")
  save <- function(limit) {
    save_table(open_table("visits.csv") |> set_columns({ n <- sum(net_kg, within = net_kg > limit) }), "out.csv")
    open_table("out.csv")$n
  }
  first <- save(10)
  expect_message(second <- save(20), "limit")
  expect_false(identical(first, second))
  expect_message(save(20), "up to date")
})

test_that("why and lineage show them as formulas", {
  data <- data.frame(day = as.Date("2025-03-01") + 0:3, net_kg = c(5, 7, 9, 2))
  x <- open_table(data) |> set_columns({ part <- share(net_kg, within = date_part(day, "week") + 1) })
  expect_snapshot({
    print(why(x, part, 3))
    print(lineage(x))
    show_steps(one_row_per(x, c(week = date_part(day, "week")), { n <- .rows }))
  })
})

test_that("what is not a formula of columns is refused", {
  data <- data.frame(hive = c("NB", "SH"), day = as.Date("2025-03-01") + 0:1, net_kg = c(5, 7))
  limit <- 2
  expect_snapshot(error = TRUE, {
    set_columns(data, { a <- sum(net_kg, within = limit + 1) })
    set_columns(data, { a <- sum(net_kg) }, within = date_part(dy, "year"))
    set_columns(data, { a <- sum(net_kg) }, within = date_part(hive, "year"))
    set_columns(data, { a <- sum(net_kg) }, within = c(year = date_part(day, "year")))
    set_columns(data, { a <- { b <- net_kg; sum(net_kg, within = b > 3) } })
    set_columns(data, { a <- sum(net_kg) }, along = -(net_kg + 1))
    one_row_per(data, date_part(day, "year"), { n <- .rows })
    one_row_per(data, c(day = start_of(day, "month")), { n <- .rows })
    one_row_per(data, c(m = hive, m = day), { n <- .rows })
    one_row_per(data, m = date_part(day, "month"), { n <- .rows })
    keep_rows(stats::setNames(data, c(". net_kg > 1", "day", "net_kg")), net_kg > 1, within = net_kg > 1)
  })
})
