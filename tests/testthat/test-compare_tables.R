test_that("what changed is what base R finds, whatever the order of rows", {
  set.seed(61)
  for (round in 1:20) {
    rows <- sample(c(1, 5, 60), 1)
    before <- data.frame(id = sample.int(500, rows), kg = sample(c(1, 2.5, NA), rows, TRUE),
                         frames = sample(c(1:3, NA), rows, TRUE), keeper = sample(c("Ada", "Jo", NA), rows, TRUE),
                         day = as.Date("2025-01-01") + sample(3, rows, TRUE),
                           big = bit64::as.integer64("9007199254740993") + sample(2, rows, TRUE),
                           ok = sample(c(TRUE, NA), rows, TRUE))
    before$kind <- factor(before$keeper)
    after <- before[sample.int(rows), ]
    for (name in names(before)[-1]) {
      which <- sample.int(rows, sample.int(rows, 1))
      after[which, name] <- sample(before[[name]])[which]
    }
    after <- rbind(after, transform(before[1, ], id = 501L))[sample.int(rows + 1, ceiling(rows / 2)), ]
    r <- compare_tables(before, after, by = id)
    both <- merge(before, after, by = "id", suffixes = c(".a", ".b"))
    expect_identical(c(r$both, nrow(r$added), nrow(r$removed)),
                     c(nrow(both), sum(!after$id %in% before$id), sum(!before$id %in% after$id)))
    for (name in names(before)[-1]) {
      a <- both[[paste0(name, ".a")]]
      b <- both[[paste0(name, ".b")]]
      changed <- !mapply(identical, as.character(a), as.character(b))
      expect_equal(r$columns$rows[r$columns$column == name], sum(changed), label = name)
      largest <- r$columns$largest[r$columns$column == name]
      if (is.numeric(a) && any(!is.na((a - b)[changed]))) {
        expect_equal(abs(largest), max(abs(as.numeric(b - a)), na.rm = TRUE))
      }
    }
  }
})

test_that("columns are added, removed, changed or the same", {
  before <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5), tare_kg = 6, code = c("1", "2"))
  after <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5 + 1e-9), net_kg = 25, code = 1:2)
  found <- as.data.frame(compare_tables(before, after))
  expect_identical(stats::setNames(found$status, found$column),
                   c(hive = "same", gross_kg = "changed", net_kg = "added", code = "changed", tare_kg = "removed"))
  expect_identical(found$rows, c(0, 1, NA, 0, NA))
  expect_identical(compare_tables(before, after, ignore = 1e-6)$columns$status[2], "same")
  expect_identical(compare_tables(before, after[1, ])$both, NA_real_)
  expect_identical(compare_tables(open_table(before), open_table(before[2:1, ]), by = hive)$moved, TRUE)
  expect_identical(compare_tables(before[0, ], before[0, ])$both, 0L)
  expect_identical(nrow(compare_tables(before[0], before[0])$columns), 0L)
  same <- compare_tables(before, before)
  expect_true(all(same$columns$status == "same"))
  list_before <- data.frame(id = 1:3)
  list_before$parts <- list(1, "a", 2:3)
  list_after <- list_before
  list_after$parts[[2]] <- "b"
  expect_identical(compare_tables(list_before, list_after)$columns$rows, c(0, 1))
  matrices <- data.frame(id = 1:2)
  matrices$m <- matrix(1:4, 2)
  changed <- matrices
  changed$m[2, 2] <- 9L
  expect_identical(compare_tables(matrices, changed)$columns$rows, c(0, 1))
})

test_that("a comparison reads well, and so do wrong inputs", {
  before <- data.frame(hive = c("NB-01", "NB-02", "SH-01", "OM-03"), gross_kg = c(31, 28.5, NA, 20),
                       frames = c(3L, 6L, 9L, 4L), day = as.Date("2025-03-01") + 0:3, tare_kg = 6)
  after <- before[c(3, 1, 2), ] |>
    set_columns({
      gross_kg[hive == "NB-01"] <- 30.6
      gross_kg[hive == "SH-01"] <- 25
      frames <- as.character(frames)
      day[hive == "NB-02"] <- day - 30
      net_kg <- gross_kg - tare_kg
    }, carry = -tare_kg) |>
    append_rows(list(hive = "RF-01", gross_kg = 22, frames = "7", day = as.Date("2025-04-01"), net_kg = 16))
  expect_snapshot({
    print(compare_tables(before, after, by = hive), width = 80)
    print(compare_tables(before, after, by = hive), width = 50)
    compare_tables(before, after[-4, ])
    compare_tables(before, before)
    compare_tables(before, before[5:1])
  })
  expect_snapshot(error = TRUE, {
    compare_tables(before, 7)
    compare_tables(before, after, by = hiv)
    compare_tables(before, after, by = tare_kg)
    compare_tables(before, after, by = frames)
    compare_tables(before[c(1, 1), ], after, by = hive)
    compare_tables(before, after, by = gross_kg)
    compare_tables(before, after, ignore = "a little")
  })
})
