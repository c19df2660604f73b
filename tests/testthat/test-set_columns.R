visits <- data.frame(
  hive = c("NB-01", "NB-02", "SH-01", NA),
  gross_kg = c(31, 28.5, NA, 20),
  tare_kg = c(6, 6.2, 5.9, NaN),
  frames = c(3L, 6L, 9L, NA)
)

test_that("lines are run from top to bottom, and later ones see earlier ones", {
  result <- visits |> set_columns({
    net_kg <- gross_kg - tare_kg
    net_lb = net_kg * 2.20462
    net_kg <- round(net_kg)
    twice <- net_kg * 2
  })
  net <- visits$gross_kg - visits$tare_kg
  expect_identical(result, cbind(visits, net_kg = round(net), net_lb = net * 2.20462, twice = round(net) * 2))
})

test_that("names are looked up among the columns first, then where the block was written", {
  tare_kg <- 1000
  factor <- 2
  by_function <- function(x) {
    bonus <- 5
    set_columns(x, { a <- tare_kg * factor; b <- gross_kg + bonus })
  }
  result <- by_function(visits)
  expect_identical(result$a, visits$tare_kg * 2)
  expect_identical(result$b, visits$gross_kg + 5)
})

test_that("a word that the script defines anew is the script's", {
  sqrt <- function(x) x + 100
  expect_identical(set_columns(visits, { a <- sqrt(gross_kg) })$a, visits$gross_kg + 100)
})

test_that("constants, one value a row, and one value from a function fill a column", {
  result <- visits |> set_columns({
    season <- "summer"
    seen_by <- c("Ada", "Ivo", "Ada", "Per")
    mean_kg <- mean(gross_kg, na.rm = TRUE)
    share <- gross_kg / sum(gross_kg, na.rm = TRUE)
    opened <- as.Date("2025-06-01")
    nothing <- NA
    number <- .row
    of <- .rows
  })
  expect_identical(result$season, rep("summer", 4))
  expect_identical(result$seen_by, c("Ada", "Ivo", "Ada", "Per"))
  expect_identical(result$mean_kg, rep(26.5, 4))
  expect_identical(result$share, visits$gross_kg / 79.5)
  expect_identical(result$opened, rep(as.Date("2025-06-01"), 4))
  expect_identical(result$nothing, rep(NA, 4))
  expect_identical(result$number, 1:4)
  expect_identical(result$of, rep(4L, 4))
})

test_that("if and else work row by row, and a missing condition gives missing", {
  result <- visits |> set_columns({
    strength <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
    only <- if (frames > 4) gross_kg
    either <- ifelse(is.na(gross_kg), tare_kg, gross_kg)
    inner <- if (frames < 4) { half <- gross_kg / 2; half + 1 } else 0L
  })
  expect_identical(result$strength, c("weak", "fair", "strong", NA))
  expect_identical(result$only, c(NA, 28.5, NA, NA))
  expect_identical(result$either, c(31, 28.5, 5.9, 20))
  expect_identical(result$inner, c(16.5, 0, 0, NA))
})

test_that("only the rows that a condition picks are set, and a new column is missing elsewhere", {
  result <- visits |> set_columns({
    gross_kg[.row <= 2] <- gross_kg - 1
    gross_kg[frames > 8] <- 0
    note[is.na(frames)] <- "count again"
    hive[hive == "NB-02"] <- NA
  })
  expect_identical(result$gross_kg, c(30, 27.5, 0, 20))
  expect_identical(result$note, c(NA, NA, NA, "count again"))
  expect_identical(result$hive, c("NB-01", NA, "SH-01", NA))
})

test_that("a column that was set to NA takes any type later", {
  result <- visits |> set_columns({
    note <- NA
    note[frames > 4] <- "many"
    first <- if (is.na(hive)) note else "none"
    empty <- NA
    sum <- empty + 1L
  })
  expect_identical(result$note, c(NA, "many", "many", NA))
  expect_identical(result$first, c("none", "none", "none", NA))
  expect_identical(result$empty, rep(NA, 4))
  expect_identical(result$sum, rep(NA_integer_, 4))
})

test_that("what several lines use is calculated, and warned of, once", {
  data <- data.frame(x = c(2147483647L, 5L))
  times <- 0
  withCallingHandlers(set_columns(data, {
    a <- x + 1L
    b <- identity(a + 2L)
    c <- a
  }), rowanroot_overflow = function(w) {
    times <<- times + 1
    invokeRestart("muffleWarning")
  })
  expect_identical(times, 1)
})

test_that("one formula can give several columns", {
  spread <- function(x) list(low = x - 1, high = x + 1)
  result <- visits |> set_columns({
    c(low, high) <- spread(gross_kg)
    c(a, frames) <- list(frames * 2L, 0L)
    c(first, second) <- data.frame(x = tare_kg, y = "y")
    c(m, n) <- cbind(tare_kg, tare_kg + 1)
  })
  expect_identical(result$high, visits$gross_kg + 1)
  expect_identical(result$a, visits$frames * 2L)
  expect_identical(result$frames, rep(0L, 4))
  expect_identical(result$n, visits$tare_kg + 1)
})

test_that("the same formula runs for a list of columns", {
  weights <- data.frame(honey_g = c(1500, 250), wax_g = c(80, NA), hive = "a")
  result <- set_columns(weights, {
    for (name in names_like("*_g")) column_named(sub("_g$", "_kg", name)) <- column_named(name) / 1000
    for (name in c("honey_g", "wax_g")) {
      .half <- column_named(name) / 2
      column_named(name) <- .half
    }
  })
  expect_identical(result$honey_kg, c(1.5, 0.25))
  expect_identical(result$wax_g, c(40, NA))
  expect_named(result, c("honey_g", "wax_g", "hive", "honey_kg", "wax_kg"))
})

test_that("switch chooses by name or number, falls through, and has a default", {
  data <- data.frame(code = c("NB", "SH", "OM", "XX", NA), n = c(1, 2, 3, 4, NA), f = factor(c("b", "a", "b", NA, "c")))
  result <- set_columns(data, {
    region <- switch(code, NB = "North Bank", SH = , OM = "South", "elsewhere")
    altitude <- switch(code, NB = 12L, SH = 240L)
    size <- switch(n, "small", "medium", "large")
    kind <- switch(f, a = "first", b = "second", "other")
  })
  expect_identical(result$region, c("North Bank", "South", "South", "elsewhere", NA))
  expect_identical(result$altitude, c(12L, 240L, NA, NA, NA))
  expect_identical(result$size, c("small", "medium", "large", NA, NA))
  expect_identical(result$kind, c("second", "first", "second", NA, "other"))
})

test_that("choices between dates and categories keep their class", {
  data <- data.frame(day = as.Date("2025-01-01") + 0:2, known = c(TRUE, FALSE, NA), kind = factor(c("a", "b", "a")))
  result <- set_columns(data, {
    day <- if (known) day else as.Date("2024-01-01")
    kind <- if (known) kind
  })
  expect_identical(result$day, as.Date(c("2025-01-01", "2024-01-01", NA)))
  expect_identical(result$kind, factor(c("a", NA, NA), levels = c("a", "b")))
})

test_that("what the language does not know is called once with whole columns", {
  calls <- 0
  counted <- function(x, plus) {
    calls <<- calls + 1
    x + plus
  }
  result <- visits |> set_columns({
    upper <- toupper(substr(hive, 1, 2))
    added <- counted(gross_kg - tare_kg, plus = 1)
    fitted <- predict(lm(gross_kg ~ frames, na.action = na.exclude))
    by_element <- vapply(frames, function(f) f + tare_kg[1], 0)
    day <- as.Date("01/06/2025", "%d/%m/%Y") + frames
    rest <- lm(gross_kg ~ tare_kg, na.action = na.exclude)$coefficients[1]
    parts <- vapply(strsplit(hive, "-", fixed = TRUE), `[`, "", 1)
  })
  expect_identical(calls, 1)
  expect_identical(result$upper, c("NB", "NB", "SH", NA))
  expect_identical(result$added, visits$gross_kg - visits$tare_kg + 1)
  expect_equal(result$fitted, c(31, 28.5, NA, NA), ignore_attr = TRUE)
  expect_identical(result$by_element, visits$frames + 6)
  expect_identical(result$day, as.Date("2025-06-01") + visits$frames)
  expect_identical(result$parts, c("NB", "NB", "SH", NA))
})

test_that("R's functions are called as they were typed", {
  label <- function(x, y = 1) rep(deparse(substitute(x)), length(x))
  data <- data.frame(sum = c(1, 2), b = 3)
  result <- set_columns(data, { a <- label(sum); c <- label(sum - b, y = b); d <- sum(sum);
                                e <- base::round(sum / b, digits = 1) })
  expect_identical(result$a, c("sum", "sum"))
  expect_identical(result$c, rep("sum - b", 2))
  expect_identical(result$d, c(3, 3))
  expect_identical(result$e, c(0.3, 0.7))
  triple <- function(x) x * 3
  expect_identical(set_columns(data.frame(triple = c(1, 2)), { a <- vapply(triple, triple, 0) })$a, c(3, 6))
  expect_warning(set_columns(data, { f <- as.integer(letters[sum]) }), "NAs introduced")
})

test_that("columns are removed, scratch names are not kept, and what was derived stays", {
  result <- visits |> set_columns({
    .net <- gross_kg - tare_kg
    net_lb <- .net * 2
    tare_kg <- NULL
    frames <- NULL
    frames <- 1L
  })
  expect_named(result, c("hive", "gross_kg", "frames", "net_lb"))
  expect_identical(result$net_lb, (visits$gross_kg - visits$tare_kg) * 2)
})

test_that("carry and after choose and place columns", {
  block <- function(...) names(set_columns(visits, { net_kg <- gross_kg - tare_kg; frames <- frames + 1L }, ...))
  expect_identical(block(), c("hive", "gross_kg", "tare_kg", "frames", "net_kg"))
  expect_identical(block(after = tare_kg), c("hive", "gross_kg", "tare_kg", "net_kg", "frames"))
  expect_identical(block(after = 0), c("net_kg", "hive", "gross_kg", "tare_kg", "frames"))
  expect_identical(block(carry = hive), c("hive", "frames", "net_kg"))
  expect_identical(block(carry = -names_like("*_kg"), after = hive), c("hive", "net_kg", "frames"))
  expect_identical(block(carry = c(hive, gross_kg:tare_kg, -gross_kg)), c("hive", "tare_kg", "frames", "net_kg"))
  wanted <- c("hive", "tare_kg")
  expect_identical(block(carry = wanted), c("hive", "tare_kg", "frames", "net_kg"))
})

test_that("the input is not changed, and unchanged columns are shared", {
  before <- visits
  addresses <- vapply(before, rlang::obj_address, "")
  result <- set_columns(before, { frames <- frames * 2L; copy <- hive })
  expect_identical(before, visits)
  expect_identical(vapply(before, rlang::obj_address, ""), addresses)
  expect_identical(rlang::obj_address(result$hive), addresses[["hive"]])
  expect_identical(rlang::obj_address(result$copy), addresses[["hive"]])
  expect_identical(rlang::obj_address(result$gross_kg), addresses[["gross_kg"]])
})

test_that("class, row names and attributes of the table stay", {
  table <- structure(visits, class = c("weighing", "data.frame"), row.names = letters[1:4], place = "North Bank")
  result <- set_columns(table, { a <- frames })
  expect_s3_class(result, c("weighing", "data.frame"), exact = TRUE)
  expect_identical(attr(result, "place"), "North Bank")
  expect_identical(row.names(result), letters[1:4])
})

test_that("no rows, one row and no columns work", {
  none <- set_columns(visits[0, ], { a <- gross_kg * 2; b <- if (frames > 1L) "x" else "y"; c <- 1L;
                                     d <- as.Date("2025-01-01") })
  expect_identical(dim(none), c(0L, 8L))
  expect_identical(none$b, character())
  expect_s3_class(none$d, "Date")
  expect_identical(set_columns(visits[1, ], { a <- mean(gross_kg) })$a, 31)
  expect_identical(set_columns(data.frame(row.names = 1:3), { a <- .row })$a, 1:3)
})

test_that("whole numbers that overflow are missing, counted where they are used", {
  big <- data.frame(x = c(2147483647L, 1L, NA, 2147483647L), y = c(TRUE, FALSE, TRUE, FALSE))
  expect_warning(result <- set_columns(big, { a <- x + 1L }), class = "rowanroot_overflow",
                 "2 rows now missing, row 1 first")
  expect_identical(result$a, c(NA, 2L, NA, NA))
  expect_warning(set_columns(big, { a <- if (y) x + 1L else 0L }), class = "rowanroot_overflow",
                 "1 row now missing, row 1 first")
  expect_no_warning <- function(code) expect_warning(code, NA)
  expect_no_warning(set_columns(big, { a <- FALSE && x + 1L > 0L; b <- is.na(y) && x * 2L > 0L }))
  expect_no_warning(set_columns(big, { a <- if (x < 10L) x + 1L else 0L }))
})

test_that("texts are equal if they read the same, whatever their encoding", {
  latin <- iconv("Zo\u00eb", "UTF-8", "latin1")
  data <- data.frame(name = c("Zo\u00eb", latin, "Ada", NA))
  expect_identical(set_columns(data, { a <- name == "Zo\u00eb" })$a, c(TRUE, TRUE, FALSE, NA))
})

test_that("a block that was bound before is bound anew where it would mean something else", {
  data <- data.frame(a = c(4, 9), b = 1:2)
  block <- quote({ c <- sqrt(a) + b; d <- c > 3 })
  set <- function(data, env = parent.frame()) eval(bquote(set_columns(.(data), .(block))), env)
  expected <- transform(data, c = c(3, 5), d = c(FALSE, TRUE))
  for (k in 1:3) expect_identical(set(data), expected)
  # Another function of the name, other columns, and the first again.
  with_function <- list2env(list(sqrt = function(x) x * 2))
  expect_identical(set(data, with_function)$c, c(9, 20))
  expect_identical(set(data)$c, c(3, 5))
  expect_identical(set(data.frame(a = 4, b = 1L, c = "x"))$c, 3)
  expect_error(set(data[1]), class = "rowanroot_unknown_column")
  expect_identical(set(data), expected)
  # The script's own values.
  found <- sapply(1:3, function(by) set_columns(data, { c <- a * by })$c[1])
  expect_identical(found, c(4, 8, 12))
  found <- sapply(c(TRUE, FALSE), function(flag) set_columns(data, { c <- if (flag) a else b })$c[2])
  expect_identical(found, c(9, 2))
  found <- vapply(c("a", "b"), function(name) set_columns(data, { c <- column_named(name) + 1 })$c[1], 0,
                  USE.NAMES = FALSE)
  expect_identical(found, c(5, 2))
  found <- lapply(c("x", "y"), function(name) names(set_columns(data, { column_named(name) <- a })))
  expect_identical(found, list(c("a", "b", "x"), c("a", "b", "y")))
  found <- vapply(c("a", "*"), function(of) set_columns(data, { c <- row_total(names_like(of)) })$c[1], 0,
                  USE.NAMES = FALSE)
  expect_identical(found, c(4, 5))
  found <- lapply(list("a", c("a", "b")), function(of) {
    set_columns(data, { for (name in of) column_named(name) <- column_named(name) * 2 })$b
  })
  expect_identical(found, list(1:2, c(2, 4)))
  draws <- sapply(1:2, function(k) set_columns(data, { c <- a + runif(1) })$c[1])
  expect_false(draws[1] == draws[2])
  # Columns of other types.
  for (b in list(c(2.5, 3), c(TRUE, FALSE), 5:6)) expect_equal(set(data.frame(a = c(4, 9), b = b))$c, c(2, 3) + b)
  expect_error(set(data.frame(a = "x", b = 1)), class = "rowanroot_type_mismatch")
})

test_that("columns that only R knows are found wherever formulas use them", {
  data <- data.frame(a = c(4, 9), day = as.Date("2024-01-05") + 0:1, b = c(1, 2))
  expect_identical(set_columns(data, { c <- a + b })$c, c(5, 11))
  expect_identical(set_columns(data, { c <- day + 1 })$c, data$day + 1)
  name <- "day"
  expect_identical(set_columns(data, { c <- column_named(name) + 1; d <- a + 1 })$c, data$day + 1)
  moved <- set_columns(data, { for (one in "day") column_named(one) <- column_named(one) + 1 })
  expect_identical(moved$day, data$day + 1)
  expect_identical(set_columns(data, { c <- row_known(a:b) })$c, c(3L, 3L))
  expect_identical(set_columns(data, { c <- row_total(a:b) })$c, data$day + c(5, 11))
  late <- set_columns(data, { c <- if (day > as.Date("2024-01-05")) "late" else "early" })
  expect_identical(late$c, c("early", "late"))
  expect_identical(set_columns(data, { c <- a * 2; d <- first_known(day) })$d, data$day)
})
