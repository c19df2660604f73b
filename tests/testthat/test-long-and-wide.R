# Rows of columns, and columns of rows.

wide_table <- function(rows = 7) {
  set.seed(4)
  pick <- function(x) sample(c(x, NA), rows, replace = TRUE)
  data.frame(hive = sprintf("NB-%02d", seq_len(rows)), a_kg = pick(c(1.5, 2)), b_kg = pick(1:3), c_kg = pick(c(7, 8)),
             a_day = as.Date("2025-01-01") + pick(0:3), b_day = as.Date("2025-02-01") + pick(0:3),
             c_day = as.Date("2025-03-01") + pick(0:3), note = pick(c("x", "y")))
}

test_that("columns become rows, one row after the other, and back again", {
  for (rows in c(7, 1, 0)) {
    wide <- wide_table(rows)
    long <- rows_from_columns(wide, a_kg:c_kg, name = "part", value = "kg")
    expected <- do.call(rbind, c(list(cbind(wide[0, c("hive", "a_day", "b_day", "c_day", "note")],
                                            data.frame(part = character(), kg = numeric()))),
                                 lapply(seq_len(rows), function(row) {
      cbind(wide[rep(row, 3), c("hive", "a_day", "b_day", "c_day", "note")],
            data.frame(part = c("a_kg", "b_kg", "c_kg"), kg = unlist(wide[row, 2:4], use.names = FALSE)))
    })))
    rownames(expected) <- NULL
    expect_identical(long, expected)
    if (!rows) next
    back <- columns_from_rows(long, name = part, value = kg)
    expect_equal(back[names(wide)], wide)
    both <- rows_from_columns(wide, name = "part", value = c(kg = "*_kg", day = "*_day"))
    expect_identical(both$part, rep(c("a", "b", "c"), rows))
    expect_identical(both$kg, long$kg)
    expect_identical(both$day, do.call(c, lapply(seq_len(rows), function(row) {
      c(wide$a_day[row], wide$b_day[row], wide$c_day[row])
    })))
    again <- columns_from_rows(both, name = part, value = c(kg, day))
    expect_equal(again[names(wide)], wide)
  }
})

test_that("cells are what their rows come to", {
  set.seed(9)
  long <- data.frame(hive = sample(c("NB", "SH", "OM"), 60, TRUE), month = sample(c("may", "june", "july"), 60, TRUE),
                     kg = round(stats::runif(60), 2))[1:40, ]
  found <- columns_from_rows(long, name = month, value = sum(kg), absent = 0)
  sums <- tapply(long$kg, list(long$hive, long$month), sum)
  sums[is.na(sums)] <- 0
  expect_identical(found$hive, unique(long$hive))
  expect_identical(names(found)[-1], unique(long$month))
  for (month in unique(long$month)) expect_equal(found[[month]], unname(sums[found$hive, month]))
  long$month <- factor(long$month, levels = c("july", "june", "may", "april"))
  expect_identical(names(columns_from_rows(long, name = month, value = max(kg))), c("hive", "july", "june", "may"))
  texts <- data.frame(hive = c("a", "b"), part = c("x", "y"), say = c("yes", "no"))
  expect_identical(columns_from_rows(texts, part, say, absent = "none"),
                   data.frame(hive = c("a", "b"), x = c("yes", "none"), y = c("none", "no")))
})

test_that("tables of files follow: new names are new columns", {
  local_folder()
  long <- data.frame(hive = c("a", "b", "a"), part = c("x", "x", "y"), kg = c(1, 2, 3))
  save_table(long, "long.csv")
  wide <- open_table("long.csv") |> columns_from_rows(name = part, value = kg)
  expect_equal(as.data.frame(wide), data.frame(hive = c("a", "b"), x = c(1, 2), y = c(3, NA)))
  save_table(wide, "wide.csv")
  expect_message(save_table(wide, "wide.csv"), "up to date")
  expect_identical(why(wide, y, 1)$from[[1]]$place, "long.csv, line 4")
  expect_identical(why(wide, y, 2)$notes, "no row has part y")
  back <- open_table("wide.csv") |> rows_from_columns(x:y, name = "part", value = "kg")
  expect_identical(why(back, kg, 2)$from[[1]]$place, "wide.csv, line 2")
  withr::with_options(list(rowanroot.chunks_from = 0, rowanroot.chunk_bytes = 20), save_table(back, "back.csv"))
  expect_equal(as.data.frame(open_table("back.csv")), as.data.frame(back))
  save_table(rbind(long, data.frame(hive = "b", part = "z", kg = 4)), "long.csv", force = TRUE)
  expect_identical(suppressMessages(as.data.frame(wide))$z, c(NA, 4L))
  expect_message(save_table(wide, "wide.csv"), "long.csv changed")
  expect_identical(run(routine() |> columns_from_rows(part, kg), long), data.frame(hive = c("a", "b"), x = c(1, 2),
                                                                                    y = c(3, NA)))
  expect_identical(run(routine() |> rows_from_columns(x:y, value = "kg"), as.data.frame(wide))$kg, c(1L, 3L, 2L, NA))
})

test_that("what can't be turned is refused, with the way out", {
  wide <- data.frame(hive = c("NB-01", "NB-02"), may = c(25, 22.3), june = c(30L, NA))
  long <- data.frame(hive = c("NB", "NB", "SH"), month = c("may", "may", "june"), kg = c(20, 5, 3))
  expect_snapshot(error = TRUE, {
    rows_from_columns(wide)
    rows_from_columns(wide, hive:june)
    rows_from_columns(wide, jan:dec)
    rows_from_columns(wide, may:june, name = "hive")
    rows_from_columns(wide, may:june, value = c("a", "b"))
    rows_from_columns(wide, value = c(kg = "*_kg"))
    rows_from_columns(wide, value = c(kg = "kg"))
    rows_from_columns(data.frame(a_kg = 1, b_kg = 2, a_f = 3), value = c(kg = "*_kg", f = "*_f"))
    rows_from_columns(wide, a = may)
    columns_from_rows(long, month)
    columns_from_rows(long, mont, kg)
    columns_from_rows(long, c(hive, month), kg)
    columns_from_rows(long, month, kg)
    columns_from_rows(long, month, kg * 2)
    columns_from_rows(transform(long, month = c("may", NA, "")), month, kg)
    columns_from_rows(transform(long, month = c("may", "june", "")), month, kg)
    columns_from_rows(long, month, sum(kg), absent = "no")
    columns_from_rows(long, month, sum(kg), absent = 1:2)
    columns_from_rows(transform(long, month = "hive"), month, sum(kg))
  })
})
