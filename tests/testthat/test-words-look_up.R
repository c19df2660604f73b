test_that("bands have their upper ends in them", {
  set.seed(8)
  x <- c(sample(c(-1:12, NA, NaN, Inf, -Inf), 500, TRUE), 4, 8)
  found <- set_columns(data.frame(x), { band <- bands(x, weak = 4, fair = 8, strong = Inf) })$band
  expect_identical(found, cut(x, c(-Inf, 4, 8, Inf), c("weak", "fair", "strong"), include.lowest = TRUE,
                              ordered_result = TRUE))
  expect_identical(levels(bands(1, 4, 8.5, Inf)), c("up to 4", "4 to 8.5", "above 8.5"))
  expect_identical(levels(bands(1, 4, most = 8)), c("up to 4", "most"))
  days <- as.Date(c("2025-03-01", "2025-03-02", NA))
  expect_identical(as.integer(bands(days, early = as.Date("2025-03-01"), late = Inf)), c(1L, 2L, NA))
  expect_error(bands(c(1, 9, 10), a = 4, b = 8), "2 rows are above.*row 2: 9", class = "rowanroot_out_of_bands")
  expect_error(bands("a", 4), "as_number", class = "rowanroot_type_mismatch")
  for (code in expression(bands(1), bands(1, 8, 4), bands(1, a = 4, a = 8), bands(1, "a"), bands(1, NA),
                          bands(as.Date("2025-03-01"), 4), bands(1, as.Date("2025-03-01")))) {
    expect_error(eval(code), class = "rowanroot_bad_argument", info = deparse(code))
  }
})

test_that("the first known value counts, for every type", {
  data <- data.frame(a = c(NA, 2, NaN, NA), b = c(1L, NA, 3L, NA), s = c(NA, "x", NA, NA), t = c("u", "v", NA, NA),
                     day = as.Date(c(NA, "2025-03-01", NA, NA)), other = as.Date("2025-01-01"))
  found <- set_columns(data, {
    n <- first_known(a, b, 0)
    s <- first_known(s, t)
    d <- first_known(day, other)
    same <- first_known(a)
  })
  expect_identical(found$n, c(1, 2, 3, 0))
  expect_identical(found$s, c("u", "x", NA, NA))
  expect_identical(found$d, as.Date(c("2025-01-01", "2025-03-01", "2025-01-01", "2025-01-01")))
  expect_identical(found$same, data$a)
  expect_identical(first_known(c(NA, 2L), 1:2), 1:2)
  expect_error(set_columns(data, { n <- first_known(a, s) }), class = "rowanroot_type_mismatch")
  expect_error(first_known(), class = "rowanroot_bad_argument")
})

apiaries <- data.frame(apiary = c("NB", "SH", NA), code = 1:3, region = c("North Bank", "South Hill", "none"),
                       altitude_m = c(120L, 310L, 0L))

test_that("values are looked up by one key or several, of any type", {
  set.seed(9)
  data <- data.frame(apiary = sample(c("NB", "SH", NA), 3000, TRUE), year = sample(c(2024, 2025), 3000, TRUE))
  found <- set_columns(data, {
    c(region, height) <- look_up(apiary, apiaries, take = c(region, altitude_m))
    keeper            <- look_up(apiary, c(NB = "Ada", SH = "Ivo"))
    by_code           <- look_up(nchar(apiary), apiaries, take = region, by = code, unknown = "missing")
  })
  at <- match(data$apiary, apiaries$apiary, incomparables = NA)
  expect_identical(found$region, apiaries$region[at])
  expect_identical(found$height, apiaries$altitude_m[at])
  expect_identical(found$keeper, c("Ada", "Ivo")[at])
  expect_identical(found$by_code, ifelse(is.na(data$apiary), NA, "South Hill"))
  prices <- expand.grid(apiary = c("NB", "SH"), year = c(2024L, 2025L))
  prices$price <- c(7, 7.5, 8, 8.5)
  found <- set_columns(data, { price <- look_up(c(apiary, year), prices, take = price) })
  merged <- prices$price[match(paste(data$apiary, data$year), paste(prices$apiary, prices$year))]
  expect_identical(found$price, merged)
  days <- data.frame(day = as.Date("2025-03-01") + 0:1, note = c("cold", "warm"))
  expect_identical(look_up(as.Date("2025-03-02"), days, take = note, by = day), "warm")
  skip_if_not_installed("bit64")
  ids <- data.frame(id = bit64::as.integer64(c("9007199254740993", "9007199254740992", NA)), name = c("a", "b", "c"))
  expect_identical(set_columns(ids, { n <- look_up(id, ids, take = name) })$n, c("a", "b", NA))
})

test_that("a bad look-up says what is wrong", {
  data <- data.frame(apiary = c("NB", "XX", "YY"), n = 1:3)
  expect_error(set_columns(data, { r <- look_up(apiary, apiaries, take = region) }),
               "2 rows have keys.*row 2: \"XX\"", class = "rowanroot_unknown_key")
  twice <- rbind(apiaries, apiaries[1, ])
  expect_error(set_columns(data, { r <- look_up(apiary, twice, take = region, unknown = "missing") }),
               "\"NB\", in rows 1 and 4", class = "rowanroot_duplicate_key")
  expect_error(set_columns(data, { r <- look_up(apiary, apiaries, take = regoin) }), "region",
               class = "rowanroot_unknown_column")
  expect_error(set_columns(data, { r <- look_up(n, apiaries, take = region) }), "by",
               class = "rowanroot_unknown_column")
  expect_error(set_columns(data, { r <- look_up(n, apiaries, take = region, by = apiary) }), "number.*text",
               class = "rowanroot_type_mismatch")
  expect_error(set_columns(data, { c(a, b, c) <- look_up(apiary, apiaries, take = c(region, code),
                                                         unknown = "missing") }), class = "rowanroot_wrong_columns")
  for (code in expression(look_up(apiary, apiaries), look_up(apiary, 1:3), look_up(apiary),
                          look_up(apiary, apiaries, take = region, unknown = "keep"),
                          look_up(apiary, c(NB = 1), take = region), look_up(paste(apiary), apiaries, take = region),
                          look_up(c(apiary, n), apiaries, take = region, by = apiary))) {
    expect_error(eval(bquote(set_columns(data, { r <- .(code) }))), class = "rowanroot_bad_argument",
                 info = deparse(code))
  }
})

test_that("an end is in its band or in the next", {
  set.seed(1)
  x <- c(sample(0:12, 300, TRUE) / 2, NA, Inf, -Inf)
  ends <- c(1, 2.5, 5)
  for (right in c(TRUE, FALSE)) {
    expected <- as.integer(cut(x, c(-Inf, ends, Inf), right = right, include.lowest = TRUE))
    found <- bands(x, a = 1, b = 2.5, c = 5, d = Inf, ends = if (right) "in" else "out")
    expect_identical(as.integer(found), expected)
  }
  expect_identical(levels(bands(1, 4, 10, Inf, ends = "out")), c("below 4", "4 to below 10", "10 and above"))
  expect_identical(set_columns(data.frame(x = c(4, 3)), { y <- bands(x, low = 4, high = 9, ends = "out") })$y,
                   factor(c("high", "low"), c("low", "high"), ordered = TRUE))
  expect_error(bands(9, 4, 9, ends = "out"), "ends below 9", class = "rowanroot_out_of_bands")
  expect_error(bands(9, 4, ends = "on"), class = "rowanroot_bad_argument")
})

test_that("of several rows with a key the first, the last or the nearest counts", {
  set.seed(6)
  table <- data.frame(item = sample(c("a", "b", NA), 60, TRUE), at = sample(c(1:40, NA), 60, TRUE)) |>
    one_of_each(item, at)
  table$value <- seq_len(nrow(table))
  data <- data.frame(item = sample(c("a", "b", "c", NA), 200, TRUE), at = sample(c(0:45, NA), 200, TRUE))
  got <- set_columns(data, {
    first <- look_up(item, table, take = value, match = "first", unknown = "missing")
    last <- look_up(item, table, take = value, match = "last", unknown = "missing")
    before <- look_up(c(item, at), table, take = value, match = "at or before", unknown = "missing")
    after <- look_up(c(item, at), table, take = value, match = "at or after", unknown = "missing")
  })
  nearest <- function(of, fits) vapply(seq_len(nrow(data)), function(row) {
    rows <- which(table$item == data$item[row] & fits(table$at, data$at[row]))
    if (length(rows)) table$value[rows[of(table$at[rows])]] else NA_integer_
  }, 0L)
  rows <- match(data$item, table$item, incomparables = NA)
  expect_identical(got$first, table$value[rows])
  expect_identical(got$last, rev(table$value)[match(data$item, rev(table$item), incomparables = NA)])
  expect_identical(got$before, nearest(which.max, `<=`))
  expect_identical(got$after, nearest(which.min, `>=`))

  days <- data.frame(from = as.Date(c("2025-01-01", "2025-07-01")), eur = c(7.5, 8))
  day <- as.Date(c("2025-06-30", "2025-07-01", "2024-12-31", NA))
  expect_identical(look_up(day, days, take = eur, by = from, match = "at or before", unknown = "missing"),
                   c(7.5, 8, NA, NA))
  expect_identical(look_up(c(5, 20), data.frame(x = c(10, 30), y = c("small", "large")), take = y, by = x,
                           match = "at or after"), c("small", "large"))
  expect_identical(look_up(5, data.frame(x = numeric(), y = numeric()), take = y, by = x, match = "at or after",
                           unknown = "missing"), NA_real_)
  skip_if_not_installed("bit64")
  long <- bit64::as.integer64(c("9007199254740992", "9007199254740994"))
  expect_identical(look_up(long[1] + 1L, data.frame(x = long, y = 1:2), take = y, by = x, match = "at or before"), 1L)
})

test_that("why() says which row was nearest, and what can't be near is refused", {
  prices <- data.frame(from = as.Date(c("2025-01-01", "2025-07-01")), eur = c(7.5, 8))
  x <- open_table(data.frame(day = as.Date(c("2025-06-30", "2025-08-15")))) |>
    set_columns({ eur <- look_up(day, prices, take = eur, by = from, match = "at or before") })
  expect_snapshot(print(why(x, eur, 2)))
  expect_snapshot(error = TRUE, {
    look_up(as.Date("2024-01-01"), prices, take = eur, by = from, match = "at or before")
    look_up("a", data.frame(x = "a", y = 1), take = y, by = x, match = "at or before")
    look_up(1, data.frame(x = c(1, 1), y = 1:2), take = y, by = x, match = "at or before")
    look_up(1, data.frame(x = 1, y = 1), take = y, by = x, match = "nearest")
  })
})
