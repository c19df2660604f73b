visits <- data.frame(hive = c("NB-01", "SH-01"), net_kg = c(25, NA), frames = 1:2, kind = factor(c("a", "b")),
                     day = as.Date("2025-03-01") + 0:1)

test_that("rows are matched by name, and types that hold both are found", {
  other <- data.frame(day = as.Date("2025-04-01"), kind = "c", frames = 2.5, net_kg = 3L, hive = "OM-01")
  result <- append_rows(visits, other, list(hive = NA, net_kg = NA, frames = NA, kind = NA, day = NA), visits[0, ])
  expect_identical(result, data.frame(hive = c("NB-01", "SH-01", "OM-01", NA), net_kg = c(25, NA, 3, NA),
                                      frames = c(1, 2, 2.5, NA),
                                      kind = factor(c("a", "b", "c", NA)),
                                        day = as.Date(c("2025-03-01", "2025-03-02", "2025-04-01", NA))))
  expect_identical(append_rows(visits, visits), rbind(visits, visits))
  expect_identical(append_rows(visits[0, ], visits), visits)
  zones <- data.frame(at = as.POSIXct("2025-01-01 12:00", tz = "Europe/Oslo"),
                      long = bit64::as.integer64("9007199254740993"))
  below <- append_rows(zones, data.frame(at = as.POSIXct("2025-01-01 12:00", tz = "UTC"), long = 1L))
  expect_identical(format(below$at), c("2025-01-01 12:00:00", "2025-01-01 13:00:00"))
  expect_identical(as.character(below$long), c("9007199254740993", "1"))
  named <- structure(visits, row.names = c("x", "y"))
  expect_identical(row.names(append_rows(named, named)), c("x", "y", "x.1", "y.1"))
})

test_that("columns stand side by side", {
  expect_identical(append_columns(visits, data.frame(k = 2:1)), cbind(visits, k = 2:1))
  expect_identical(names(append_columns(visits, data.frame(k = 2:1), data.frame(l = 2:1))), c(names(visits), "k", "l"))
})

test_that("tables that do not fit are refused by name", {
  expect_snapshot(error = TRUE, {
    append_rows(visits)
    append_rows(visits, visits[-1])
    append_rows(visits, rename_columns(visits, net_kgs = net_kg))
    append_rows(visits, cbind(visits, z = 1))
    append_rows(visits, transform(visits, net_kg = "x"))
    append_rows(visits, transform(visits, day = 1))
    append_rows(visits, list(hive = c("a", "b")))
    append_rows(visits, 3)
    append_rows(cbind(visits, m = I(matrix(1:4, 2))), cbind(visits, m = I(matrix(1:4, 2))))
    append_columns(visits, visits[1])
    append_columns(visits, data.frame(k = 1:3))
  })
})
