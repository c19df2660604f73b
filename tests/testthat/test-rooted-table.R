test_that("a rooted table gives new values when a file changed, and says why", {
  local_project()
  yield <- open_table("visits/*.csv") |> set_columns({ net_kg <- gross_kg - tare_kg })
  expect_identical(yield$net_kg, c(25, 22.3, 14, NA))
  expect_message(yield$net_kg, NA)
  write_text(c("hive,gross_kg,tare_kg", "SH-01,21,6"), "visits/2025-02.csv")
  expect_message(found <- yield$net_kg, "2025-02.csv changed: 1 step calculated again",
                 class = "rowanroot_recalculated")
  expect_identical(found, c(25, 22.3, 15))
  unlink("visits/2025-01.csv")
  expect_message(expect_identical(dim(yield), c(1L, 4L)), "2025-01.csv is gone")
})

test_that("steps follow when the columns of a file change", {
  local_project()
  tare_kg <- 5
  yield <- open_table("visits/2025-01.csv") |> set_columns({ net_kg <- gross_kg - tare_kg })
  expect_identical(yield$net_kg, c(25, 22.3))
  write_text(c("hive,keeper,gross_kg", "NB-01,Ada,31"), "visits/2025-01.csv")
  expect_identical(suppressMessages(as.data.frame(yield)),
                   data.frame(hive = "NB-01", keeper = "Ada", gross_kg = 31L, net_kg = 26))
  write_text(c("hive,gross", "NB-01,31"), "visits/2025-01.csv")
  expect_error(as.data.frame(yield), class = "rowanroot_unknown_column")
})

test_that("a rooted table does what a data frame does, step by step", {
  data <- data.frame(a = 1:5, b = letters[1:5])
  steps <- function(x) x |> set_columns({ c <- a * 2; .d <- c }, after = a) |> keep_rows(c > 4)
  live <- steps(open_table(data))
  expect_s3_class(live, "rooted_table")
  expect_identical(as.data.frame(live), steps(data))
  expect_named(live, c("a", "c", "b"))
  expect_identical(live[2, "b"], "d")
  expect_identical(head(live, 1), steps(data)[1, ])
  expect_error(live$nothing, class = "rowanroot_unknown_column")
})

test_that("a table that things are looked up in is read again when its file changes", {
  local_project()
  write_text(c("hive,place", "NB-01,north", "NB-02,north", "SH-01,south", "SH-02,south"), "places.csv")
  visits <- open_table("visits/*.csv") |> set_columns({ place <- look_up(hive, "places.csv", take = place) })
  expect_identical(visits$place, c("north", "north", "south", "south"))
  write_text(c("hive,place", "NB-01,hill", "NB-02,north", "SH-01,south", "SH-02,south"), "places.csv")
  expect_message(expect_identical(visits$place[1], "hill"), "places.csv changed", class = "rowanroot_recalculated")
  expect_no_message(visits$place)
})

test_that("a file that ends in the middle of a line just now is waited for", {
  local_folder()
  withr::local_options(rowanroot.left_alone = 3)
  cat("hive,kg\nNB-01,3", file = "visits.csv")
  system("(sleep 0.4; printf '1\\nNB-02,28\\n' >> visits.csv) &")
  expect_identical(as.data.frame(open_table("visits.csv"))$kg, c(31L, 28L))
  withr::local_options(rowanroot.left_alone = 0.2)
  cat("hive,kg\nNB-01,3", file = "visits.csv")
  expect_identical(as.data.frame(open_table("visits.csv"))$kg, 3L)
})

test_that("whole workbooks and Parquet files end as such, and are not waited for", {
  local_folder()
  for (file in c("kg.xlsx", "kg.parquet", "kg.jsonl", "kg.csv")) {
    quietly(save_table(data.frame(kg = 1:3), file))
    expect_true(ends_as_whole(file), info = file)
    bytes <- readBin(file, raw(), 1e6)
    for (some in list(4, length(bytes) %/% 2, length(bytes) - 1)) {
      writeBin(bytes[seq_len(some)], file)
      expect_false(ends_as_whole(file), info = paste(file, some))
    }
  }
})
