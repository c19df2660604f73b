test_that("one row of each kind stays, the first or the last, in an order, with data of every type", {
  set.seed(5)
  for (n in c(0, 1, 500)) {
    data <- data.frame(hive = sample(c("a", "b", NA), n, TRUE), kind = factor(sample(c("x", "y"), n, TRUE)),
                       frames = sample(c(1:2, NA), n, TRUE), day = as.Date("2025-01-01") + sample(9, n, TRUE),
                       kg = sample(c(1.5, NaN, NA, -0, 0), n, TRUE), id = seq_len(n))
    kept <- function(found) found$id
    key <- do.call(paste, data[c("hive", "kind", "frames")])
    expect_identical(kept(one_of_each(data, hive, kind, frames)), which(!duplicated(key)))
    expect_identical(kept(one_of_each(data, hive:frames, keep = "last")), which(!duplicated(key, fromLast = TRUE)))
    by_day <- order(data$day)
    expect_identical(kept(one_of_each(data, hive, kind, frames, along = day)),
                     sort(by_day[!duplicated(key[by_day])]))
    downwards <- order(-as.numeric(data$day))
    expect_identical(kept(one_of_each(data, -day, -kg, -id, along = descending(day))),
                     sort(downwards[!duplicated(key[downwards])]))
    expect_identical(kept(one_of_each(data, kg)), which(!duplicated(paste(data$kg + 0))))
    expect_identical(one_of_each(rbind(data, data)), data)
    expect_identical(as.data.frame(open_table(data) |> one_of_each(hive, keep = "last")),
                     one_of_each(data, hive, keep = "last"))
  }
  expect_s3_class(one_of_each(structure(data, class = c("mine", "data.frame")), hive), "mine")
})

test_that("a step that keeps one of each is in words, lineage, keys and reasons, and wrong ones are refused", {
  data <- data.frame(hive = c("a", "b", "a"), day = c(3, NA, 1), kg = 1:3)
  table <- open_table(data) |> one_of_each(hive, keep = "last", along = day)
  expect_identical(table$kg, 1:2)
  expect_match(paste(format(show_steps(table)), collapse = " "), "Keep the last row of each hive along day")
  expect_match(paste(format(why(table, kg, 2)), collapse = " "), "row 2")
  expect_true(all(c("hive", "day") %in% as.data.frame(lineage(table))$from))
  expect_identical(run(routine() |> one_of_each(hive), data)$kg, 1:2)
  withr::with_tempdir({
    saved <- function(table) save_table(table, "out.csv") |> suppressMessages()
    saved(open_table(data) |> one_of_each(hive))
    before <- file.mtime("out.csv")
    saved(open_table(data) |> one_of_each(hive))
    expect_identical(file.mtime("out.csv"), before)
    saved(open_table(data) |> one_of_each(hive, keep = "last"))
    expect_identical(utils::read.csv("out.csv")$kg, 2:3)
  })
  expect_error(one_of_each(data, keep = "any"), class = "rowanroot_bad_argument")
  expect_error(one_of_each(data, by = hive), class = "rowanroot_bad_argument")
  expect_error(one_of_each(data, hiv), "hive", class = "rowanroot_unknown_column")
  expect_error(one_of_each(data, along = -day), class = "rowanroot_bad_choice")
  expect_error(one_of_each(3), class = "rowanroot_not_a_table")
  data$list <- list(1, 2, 3)
  expect_error(one_of_each(data), class = "rowanroot_type_mismatch")
})
