# Many rows of few different texts, all different texts, and a few odd ones: each is done in another way.
columns_of_text <- function() {
  set.seed(5)
  letters_of <- function(n) vapply(seq_len(n), function(i) paste(sample(c(letters, "\u00e9", "\u65e5", "\U1f41d"), 5,
      TRUE), collapse = ""), "")
  few <- paste(letters_of(30), letters_of(30), letters_of(30), sep = "-")
  list(few = sample(c(few, NA), 5000, TRUE), different = paste(letters_of(3000), 1:3000, letters_of(3000),
                                                               sep = "-"), odd = c("--", "a--", "-b-", NA),
       none = character(), category = factor(sample(few[1:5], 50, TRUE)))
}

parts_by_r <- function(x, at, fixed = TRUE) {
  x <- as.character(x)
  lapply(seq_along(x), function(i) if (is.na(x[i])) NA_character_ else regmatches(x[i],
      gregexpr(at, x[i], fixed = fixed), invert = TRUE)[[1]])
}

test_that("texts are split as R's own matches say", {
  for (x in columns_of_text()) {
    expected <- parts_by_r(x, "-")
    found <- split_text(x, "-", parts = 3)
    for (k in 1:3) expect_identical(found[[k]], vapply(expected, `[`, "", k))
    expect_identical(split_text(x, pattern("[-]"), parts = 3), found)
    expect_identical(split_text(x, "-", parts = 1, long = "drop")[[1]], vapply(expected, `[`, "", 1))
    rest <- vapply(expected, function(parts) if (anyNA(parts)) NA_character_ else paste(parts[-1], collapse = "-"), "")
    expect_identical(split_text(x, "-", parts = 2, long = "join")[[2]], rest)
  }
  expect_identical(split_text(c("a and b", "c"), " and ", short = "missing"),
                   data.frame(part_1 = c("a", "c"), part_2 = c("b", NA)))
  expect_identical(split_text(c("a-b", "c-d-e"), "-", long = "missing", parts = 2)$part_2, c("b", NA))
})

test_that("a block splits into as many columns as it names, of their types", {
  data <- data.frame(hive = c("NB-01", "SH-12", NA), day = c("2025-03-01|4", "2024-02-29|5", "|6"))
  found <- set_columns(data, {
    c(apiary, number) <- split_text(hive, "-", type = c("category", "integer"))
    c(day, weight)    <- split_text(day, at = "|", type = c("date", "number"))
  })
  expect_identical(found, data.frame(hive = data$hive, day = as.Date(c("2025-03-01", "2024-02-29", NA)),
                                     apiary = factor(c("NB", "SH", NA)),
                                     number = c(1L, 12L, NA), weight = c(4, 5, 6)))
})

test_that("texts with too few or too many parts are counted and shown", {
  data <- data.frame(hive = rep(c("NB-01", "SH", "SH-1-2"), c(2000, 3, 2)))
  error <- expect_error(set_columns(data, { c(a, b) <- split_text(hive, "-", long = "drop") }),
                        class = "rowanroot_wrong_parts")
  expect_match(gsub("\\s+", " ", conditionMessage(error)),
               "3 rows have too few parts.*row 2001, \"SH\", with 1 part.*split_text\\(hive")
  expect_error(set_columns(data, { c(a, b) <- split_text(hive, "-", short = "missing") }),
               "2 rows have too many parts", class = "rowanroot_wrong_parts")
  expect_error(split_text("a-b", "-", parts = 4), "no row has more", class = "rowanroot_wrong_parts")
  expect_error(split_text("a-b", "-", type = c("text", "integer")), "\"b\"", class = "rowanroot_unreadable")
  expect_error(split_text("1.5-2", "-", type = "integer"), "whole number", class = "rowanroot_unreadable")
  for (code in expression(split_text("a"), split_text("a", ""), split_text("a", NA), split_text("a", 1),
                          split_text("a", "-", type = "word"), split_text("a", "-", short = "drop"),
                          split_text("a", "-", parts = 0), split_text("a", pattern("-"), long = "join"),
                            pattern("("), pattern(NA))) {
    expect_error(eval(code), class = "rowanroot_bad_argument", info = deparse(code))
  }
  expect_error(split_text(1:3, "-"), "as.character", class = "rowanroot_type_mismatch")
  expect_error(title_case(c("a", "\xe9\xff")), "row 2", class = "rowanroot_bad_text")
})

test_that("columns are joined as paste() joins them, with three answers to what is missing", {
  set.seed(6)
  for (n in c(0, 1, 50, 3000)) {
    data <- data.frame(a = sample(c("x", "\u00e9", NA), n, TRUE), i = sample(c(1:3, NA), n, TRUE),
                       d = sample(c(0.1, 100000, 1 / 3, NA), n, TRUE),
                       f = factor(sample(c("u", NA), n, TRUE), levels = "u"), day = as.Date("2025-03-01") +
                         sample(0:1, n, TRUE))
    texts <- list(data$a, as.character(data$i), c("0.1", "100000",
                                                  "0.333333333333333")[match(data$d, c(0.1, 100000, 1 / 3))],
                  as.character(data$f), as.character(data$day))
    unknown <- Reduce(`|`, lapply(texts, is.na), logical(n))
    found <- set_columns(data, {
      kept    <- join_text(a, i, d, f, day, with = "/")
      skipped <- join_text(a, i, d, f, day, "end", missing = "skip")
      empty   <- join_text(a, i, missing = "empty", with = "")
    })
    expect_identical(found$kept, as.character(ifelse(unknown, NA, do.call(paste, c(texts, sep = "/")))))
    expect_identical(found$skipped, vapply(seq_len(n),
                                           function(k) paste(c(stats::na.omit(vapply(texts, `[`, "", k)), "end"),
                                                             collapse = " "), ""))
    expect_identical(found$empty, gsub("NA", "", paste0(data$a, data$i), fixed = TRUE))
  }
  expect_error(join_text("a", with = NA), class = "rowanroot_bad_argument")
  expect_error(join_text("a", list(1)), class = "rowanroot_type_mismatch")
  expect_error(join_text(1:2, 1:3), class = "rowanroot_wrong_length")
})

test_that("title case knows apostrophes, hyphens, accents and capitals", {
  expect_identical(title_case(c("NORTH BANK", "anne-marie o'brien", "don't", "\u00e9LAN vital", "l\u2019aquila", NA,
                                "", "2nd hive")),
                   c("North Bank", "Anne-Marie O'Brien", "Don't", "\u00c9lan Vital", "L\u2019Aquila", NA, "",
                     "2nd Hive"))
  expect_identical(title_case(factor(c("a b", NA))), c("A B", NA))
})

test_that("parts are found between texts and by patterns", {
  x <- c("hive NB-01 (strong) (late)", "none", NA, "(\u00e9\U1f41d)")
  expect_identical(text_between(x, "(", ")"), c("strong", NA, NA, "\u00e9\U1f41d"))
  expect_identical(text_between(x, NULL, " "), c("hive", NA, NA, NA))
  expect_identical(text_between(x, "hive ", NULL), c("NB-01 (strong) (late)", NA, NA, NA))
  expect_identical(text_found(x, "[A-Z]+|\\p{L}(?=\\))"), c("NB", NA, NA, NA))
  expect_identical(text_found(rep(c("a12", "b"), 1000), pattern("[0-9]+")), rep(c("12", NA), 1000))
  expect_error(text_between("a", "", "b"), class = "rowanroot_bad_argument")
  expect_error(text_found("a", "["), "missing terminating", class = "rowanroot_bad_argument")
})

test_that("numbers are read with their marks and signs, and nothing else", {
  expect_identical(as_number(c("1.234,5", "-12", ",5", "", NA), decimal = ",", thousands = "."),
                   c(1234.5, -12, 0.5, NA, NA))
  expect_identical(as_number(c("EUR 8", "7.50 EUR", "-EUR 2", "3")  , signs = c("EUR", "\u20ac")), c(8, 7.5, -2, 3))
  set.seed(7)
  numbers <- c(rnorm(2000), 1e-300, 1e300, 2^53)
  expect_identical(as_number(sprintf("%.17g", numbers)), numbers)
  expect_identical(as_number(c(TRUE, NA)), c(1, NA))
  for (bad in c("8 EUR", "1,234", "1.2.3", "1e", "0x10", "Inf", "12 3", "--1")) {
    expect_error(as_number(c("1", bad)), "first is row 2", class = "rowanroot_unreadable", info = bad)
  }
  expect_error(as_number("12.34,5", decimal = ",", thousands = "."), class = "rowanroot_unreadable")
  expect_identical(as_number(c("x", "1"), unreadable = "missing"), c(NA, 1))
  data <- data.frame(x = rep(c("1", "two"), c(5000, 4)))
  expect_error(set_columns(data, { y <- as_number(x) }), "4 rows.*row 5001", class = "rowanroot_unreadable")
  expect_error(as_number("1", decimal = ",", thousands = ","), class = "rowanroot_bad_argument")
  expect_error(as_number("1", signs = ""), class = "rowanroot_bad_argument")
  expect_error(as_number(as.Date("2025-03-01")), class = "rowanroot_type_mismatch")
})

test_that("dates are read by their format, and nothing may follow them", {
  days <- as.Date("1900-01-01") + seq(0, 60000, by = 7)
  for (format in c("%Y-%m-%d", "%d/%m/%Y", "%Y%m%d")) expect_identical(as_date(format(days, format), format), days)
  expect_identical(as_date(c("29/02/2024", "", NA), "%d/%m/%Y"), as.Date(c("2024-02-29", NA, NA)))
  for (bad in c("2025-02-29", "2025-03-01x", "2025-13-01", "01/03/2025", "2025-03-01 10:00")) {
    expect_error(as_date(c(NA, bad)), "first is row 2", class = "rowanroot_unreadable", info = bad)
  }
  expect_identical(as_date(c("no", "2025-03-01"), unreadable = "missing"), as.Date(c(NA, "2025-03-01")))
  expect_identical(as_date(as.POSIXct("2025-03-01 23:30:00", tz = "Asia/Tokyo")), as.Date("2025-03-01"))
  expect_error(as_date("2025", 1), class = "rowanroot_bad_argument")
  expect_error(as_date(20250301), class = "rowanroot_type_mismatch")
})

test_that("categories have the levels that they are given", {
  expect_identical(as_category(c("b", "B", NA, "a")), factor(c("b", "B", NA, "a"), levels = c("B", "a", "b")))
  expect_identical(as_category(c(2, 1), levels = 1:2, ordered = TRUE),
                   factor(c("2", "1"), levels = c("1", "2"), ordered = TRUE))
  expect_identical(as_category(factor(c("x", "y")), "x", unreadable = "missing"), factor(c("x", NA), levels = "x"))
  expect_error(as_category(c("a", "z"), "a"), "row 2", class = "rowanroot_unreadable")
  expect_error(as_category("a", c("a", "a")), class = "rowanroot_bad_argument")
})

test_that("what is missing or empty is left out when texts are joined, with its separator", {
  a <- rep(c("a", "", NA), each = 9)
  b <- rep(rep(c("b", "", NA), each = 3), 3)
  c <- rep(c("c", "", NA), 9)
  slowly <- vapply(seq_along(a), function(i) {
    texts <- c(a[i], b[i], c[i])
    if (all(is.na(texts))) NA_character_ else paste(texts[!is.na(texts) & nzchar(texts)], collapse = "-")
  }, "")
  expect_identical(join_text(a, b, c, with = "-", missing = "skip"), slowly)
  expect_identical(join_text(rep(a, 100), rep(b, 100), rep(c, 100), with = "-", missing = "skip"), rep(slowly, 100))
})
