visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), gross_kg = c(31, 28.5, NA), tare_kg = c(6, 6.25, 5.9),
                     day = as.Date("2025-06-01") + 0:2, kind = factor(c("a", "b", NA)))

test_that("derived columns stand beside those that they came from", {
  yield <- open_table(visits) |> set_columns({
    .net <- gross_kg - tare_kg
    net_lb <- .net * 2.20462
    gross_kg <- round(gross_kg)
    season <- "summer"
  })
  expect_snapshot({
    yield
    peek(visits, rows = 1)
    print(peek(yield, rows = 2), width = 40)
    peek(visits[0, ])
    peek(data.frame())
  })
  view <- peek(yield)
  expect_identical(view$derived, list(c("net_lb", "gross_kg", "tare_kg"), "gross_kg", "season"))
  expect_identical(view$columns$missing, c(0, 1, 0, 0, 1, 1, 0))
})

half_of <- function(x) {
  y <- x / 2
  y
}

test_that("every kind of line has its origins, and none is left behind by a removal", {
  yield <- open_table(visits) |> set_columns({
    .code <- substr(hive, 1, 2)
    c(a, b) <- list(gross_kg + tare_kg, .code)
    m <- mean(gross_kg, within = kind)
    gross_kg[is.na(gross_kg)] <- tare_kg
    tare_kg <- NULL
    f <- (function(v) v)(1)
    half <- half_of(a)
    half[.row == 1] <- 0
  })
  expect_identical(peek(yield)$derived, list(c("a", "gross_kg"), c("b", "hive"), c("m", "gross_kg", "kind"),
                                             "gross_kg", "f", c("half", "a")))
})

test_that("lines are no wider than the console, however wide the table", {
  wide <- as.data.frame(matrix(stats::rnorm(300), 5))
  live <- open_table(wide) |> set_columns({ last <- V1 + V60 })
  for (width in c(40, 80, 120)) {
    lines <- format(peek(live), width = width)
    expect_lte(max(cli::ansi_nchar(lines, "width")), width)
  }
})

test_that("a wide table shows what steps made first, and columns numbered alike as a range", {
  set.seed(7)
  wide <- data.frame(hive = c("NB-01", "NB-02"), day = as.Date("2025-03-01") + 0:1)
  for (name in paste0(rep(c("gross_kg_", "tare_kg_", "mites_"), each = 19), 1:19)) wide[[name]] <- sample(20L, 2)
  wide$mites_3[2] <- NA
  wide$keeper <- c("Ada", "Jo")
  made <- open_table(wide) |> set_columns({
    net_kg_1 <- gross_kg_1 - tare_kg_1
    mites_19[mites_19 > 10] <- NA
    heavy <- if (gross_kg_19 > 10) "heavy" else "light"
  })
  expect_snapshot({
    print(peek(made), width = 80)
    print(peek(wide[58:60], rows = 1), width = 80)
    print(peek(structure(wide[1:2], row.names = c("first", "second"))), width = 80)
  })
})
