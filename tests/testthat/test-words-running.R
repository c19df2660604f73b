running_data <- function(n) {
  set.seed(n + 1)
  pick <- function(values) sample(values, n, replace = TRUE)
  data.frame(d = pick(c(NA, NaN, 1.25, -2, 1e10, 0.1)), w = stats::rnorm(n), i = pick(c(NA, -3L, 5L, 7L)),
             l = pick(c(TRUE, FALSE, NA)),
             t = as.Date("2025-01-01") + pick(c(NA, 0:5)), day = as.Date("2025-05-01") + pick(0:9),
               hour = stats::runif(n), s = pick(c("a", "b", "\u00e6")),
             g = pick(c("x", "y", NA)), h = pick(c(1, NaN, NA)))
}

# What each group's rows come to when they are taken in the order of these columns.
in_order <- function(data, within, along, f) {
  if (!nrow(data)) return(f(data))
  key <- group_key(data, within)
  order <- if (length(along)) do.call(order, c(unname(as.list(along)), method = "radix")) else seq_len(nrow(data))
  parts <- split(order, factor(key[order], unique(key)))
  values <- do.call(c, unname(lapply(parts, function(rows) f(data[rows, , drop = FALSE]))))
  values[order(unlist(parts))]
}

# Missing and not a number are not told apart here.
known <- function(x) replace(as.numeric(x), is.na(x), NA)

orders <- list(quote(NULL), quote(day), quote(descending(day)), quote(c(s, hour)), quote(c(descending(s), day)))
orders_of_r <- function(data) {
  s <- match(data$s, sort(unique(data$s), method = "radix"))
  list(NULL, list(data$day), list(-as.numeric(data$day)), list(s, data$hour), list(-s, data$day))
}

test_that("running words are what each row and those before it come to, in every order and group", {
  for (n in c(0, 1, 60)) {
    data <- running_data(n)
    for (word in c("running_total", "running_mean", "running_count", "running_min", "running_max", "running_product"))
      for (missing in c("skip", "carry", "stop")) for (column in c("d", "w", "i", "l",
          if (word %in% c("running_min", "running_max")) "t")) {
        k <- sample(length(orders), 1)
        for (within in list(NULL, c("g", "h"))) {
          code <- as.call(c(as.name(word), as.name(column), missing = missing, if (k > 1) list(along = orders[[k]]),
                            if (length(within)) list(within = quote(c(g, h)))))
          found <- eval(bquote(set_columns(data, { new <- .(code) })))$new
          expected <- in_order(data, within, orders_of_r(data)[[k]],
                               function(part) running_by_r(word, part[[column]], missing))
          expect_equal(known(found), known(expected), tolerance = 1e-14, info = paste(n, deparse1(code)))
        }
      }
  }
  expect_s3_class(set_columns(data, { a <- running_min(t) })$a, "Date")
})

test_that("a running total without missing values is cumsum(), bit for bit, and whole numbers stay whole", {
  data <- running_data(3000)
  found <- set_columns(data, { w <- running_total(w); i <- running_total(i, missing = "stop");
                               share <- running_total(hour) / sum(hour) })
  expect_identical(found$w, cumsum(data$w))
  expect_identical(found$i, cumsum(data$i))
  expect_equal(found$share[3000], 1)
  expect_warning(found <- running_total(c(2147483647L, 1L, 2L)), class = "rowanroot_overflow")
  expect_identical(found, c(2147483647L, NA, NA))
})

test_that("results do not depend on the number of threads, nor on how rows are shared out", {
  data <- running_data(30000)
  data$hive <- sample(9000L, 30000, TRUE)
  calculate <- function(threads) {
    old <- options(rowanroot.threads = threads)
    on.exit(options(old))
    set_columns(data, {
      a <- running_total(w, along = day, within = hive)
      b <- running_total(i, along = c(hour, day), within = hive)
      r <- ranking(w, best = "lowest", ties = "first", within = hive)
    }, carry = c())
  }
  one <- calculate(1L)
  expect_identical(calculate(2L), one)
  expect_identical(one$a, in_order(data, "hive", list(data$day), function(part) cumsum(part$w)))
})

test_that("moving windows are what their rows come to, for every length", {
  for (n in c(1, 2, 50)) {
    data <- running_data(n)
    for (word in c("moving_total", "moving_mean", "moving_min",
                   "moving_max")) for (rows in unique(c(1, 2, 3, 7, n))) for (short in c("missing", "fewer"))
      for (column in c("d", "w", "i")) for (within in list(NULL, "g")) {
        if (rows > n) next
        of <- list(moving_total = sum, moving_mean = mean, moving_min = min, moving_max = max)[[word]]
        code <- as.call(c(as.name(word), as.name(column), rows = rows, short = short, along = quote(day),
                          if (length(within)) list(within = as.name(within))))
        expected <- in_order(data, within, list(data$day), function(part) vapply(seq_len(nrow(part)), function(k) {
          if (short == "missing" && k < rows) NA_real_ else as.numeric(of(part[[column]][max(1, k - rows + 1):k]))
        }, 0))
        expect_equal(known(eval(bquote(set_columns(data, { new <- .(code) })))$new), known(expected),
                     tolerance = 1e-14, info = paste(n, deparse1(code)))
      }
  }
})

test_that("windows over many rows carry no error on", {
  x <- c(1e16, rep(c(0.1, 0.2, -0.3), 1e5))
  expect_identical(moving_total(x, rows = 3)[-(1:3)], moving_total(x[-1], rows = 3)[-(1:2)])
})

test_that("windows of every kind are what their rows come to", {
  set.seed(21)
  n <- 120
  data <- data.frame(g = sample(c("a", "b", "c"), n, replace = TRUE), id = sample(n),
                     x = sample(c(round(stats::rnorm(20), 2), NA, Inf), n, replace = TRUE),
                     day = as.Date("2024-01-25") + sample(c(0:60, 90, NA), n, replace = TRUE))
  data$time <- as.POSIXct("2024-03-30", tz = "Europe/Oslo") + sample(1:40, n, replace = TRUE) * 3600
  of <- list(moving_total = sum, moving_mean = mean, moving_min = min, moving_max = max, moving_sd = stats::sd,
             moving_median = stats::median)
  by_hand <- function(word, align, short, missing, key, member, cut_off) {
    values <- rep(NA_real_, n)
    for (rows in split(seq_len(n), data$g)) {
      rows <- rows[order(key[rows], na.last = NA)]
      for (at in seq_along(rows)) {
        if (short == "missing" && cut_off(rows, at)) next
        window <- data$x[rows[member(rows, at)]]
        if (word == "moving_count") {
          values[rows[at]] <- sum(!is.na(window))
          next
        }
        if (missing == "skip") window <- window[!is.na(window)]
        if (length(window)) values[rows[at]] <- suppressWarnings(of[[word]](window))
      }
    }
    values
  }
  same <- function(found, expected) {
    expect_identical(is.na(found), is.na(expected))
    expect_equal(found[!is.na(found)], expected[!is.na(expected)], tolerance = 1e-12)
  }
  reach <- list(end = function(k) c(k - 1, 0), centre = function(k) c(floor(k / 2), k - 1 - floor(k / 2)),
                start = function(k) c(0, k - 1))
  for (word in c(names(of), "moving_count")) for (align in names(reach)) {
    for (k in c(1, 5, 30)) {
      short <- sample(c("missing", "fewer"), 1)
      missing <- sample(c("stop", "skip"), 1)
      options <- list(quote(x), rows = k, align = align, short = short)
      if (word != "moving_count") options$missing <- missing
      call <- as.call(c(as.name(word), options, alist(along = id, within = g)))
      found <- eval(bquote(set_columns(data, { new <- .(call) })))$new
      around <- reach[[align]](k)
      expected <- by_hand(word, align, short, missing, data$id, function(rows, at) {
        max(1, at - around[1]):min(length(rows), at + around[2])
      }, function(rows, at) at <= around[1] || at + around[2] > length(rows))
      same(as.numeric(found), expected)
    }
  }
  bounds <- list(
    end = function(key, from, to) key > from & key <= to, start = function(key, from, to) key >= from & key < to,
    centre = function(key, from, to) key >= from & key < to
  )
  cases <- list(list(quote(day), 7, "days"), list(quote(day), 2, "weeks"), list(quote(day), 1, "months"),
                list(quote(time), 5, "hours"), list(quote(time), 1, "days"))
  for (case in cases) for (align in names(bounds)) {
    short <- sample(c("missing", "fewer"), 1)
    if (align == "centre" && case[[3]] == "months") next
    along <- data[[case[[1]]]]
    key <- as.numeric(along)
    length <- case[[2]] * c(days = 86400, weeks = 604800, hours = 3600, months = NA)[[case[[3]]]]
    if (inherits(along, "Date")) length <- length / 86400
    from <- switch(align, end = as.numeric(add_time(along, -case[[2]], case[[3]])), start = key, key - length / 2)
    to <- switch(align, end = key, start = as.numeric(add_time(along, case[[2]], case[[3]])), key + length / 2)
    step <- if (inherits(along, "Date")) 1 else 0
    for (word in sample(c("moving_total", "moving_median", "moving_sd", "moving_count"), 2)) {
      options <- list(quote(x), rows = call("time_window", case[[2]], case[[3]]), align = align, short = short)
      if (word != "moving_count") options$missing <- "skip"
      call <- as.call(c(as.name(word), options, list(along = case[[1]], within = quote(g))))
      found <- suppressWarnings(eval(bquote(set_columns(data, { new <- .(call) }))))$new
      same(as.numeric(found), by_hand(word, align, short, "skip", key, function(rows, at) {
        which(bounds[[align]](key[rows], from[rows[at]], to[rows[at]]))
      }, function(rows, at) {
        from[rows[at]] < min(key[rows]) - step || to[rows[at]] > max(key[rows]) + step
      }))
    }
  }
})

test_that("running and moving words take durations and whole numbers of 64 bits", {
  skip_if_not_installed("bit64")
  set.seed(8)
  n <- 60
  data <- data.frame(g = sample(c("a", "b"), n, replace = TRUE), id = sample(n))
  data$gap <- as.difftime(replace(round(stats::rnorm(n), 1), 7, NA), units = "hours")
  big <- bit64::as.integer64("4611686018427387") * bit64::as.integer64(sample(-40:40, n, replace = TRUE))
  data$x <- big + bit64::as.integer64(sample(1e6, n))
  data$x[c(3, 20)] <- bit64::as.integer64(NA)
  got <- set_columns(data, {
    total <- running_total(x, missing = "carry")
    least <- running_min(x, missing = "carry")
    mean <- running_mean(x, missing = "carry")
    window <- moving_total(x, rows = 4, short = "fewer", missing = "skip")
    greatest <- moving_max(x, rows = 4, short = "fewer", missing = "skip")
    gap_total <- running_total(gap, missing = "carry")
    gap_mean <- moving_mean(gap, rows = 3, short = "fewer", missing = "skip")
    gap_most <- running_max(gap, missing = "carry")
  }, within = g, along = id)
  by_hand <- function(x, of, first = function(at) 1) {
    values <- vector("list", n)
    for (rows in split(order(data$id), data$g[order(data$id)])) {
      for (at in seq_along(rows)) {
        window <- x[rows[first(at):at]]
        values[[rows[at]]] <- of(window[!is.na(window)])
      }
    }
    do.call(c, values)
  }
  of_four <- function(at) max(1, at - 3)
  same_long <- function(found, expected) expect_identical(as.character(found), as.character(expected))
  same_long(got$total, by_hand(data$x, sum))
  same_long(got$least, by_hand(data$x, min))
  same_long(got$window, by_hand(data$x, sum, of_four))
  same_long(got$greatest, by_hand(data$x, max, of_four))
  expect_equal(got$mean, by_hand(data$x, function(x) mean(suppressWarnings(as.double(x)))))
  hours <- function(x) as.difftime(x, units = "hours")
  gap <- as.numeric(data$gap)
  expect_equal(got$gap_total, hours(by_hand(gap, sum)))
  expect_equal(got$gap_mean, hours(by_hand(gap, mean, function(at) max(1, at - 2))))
  expect_equal(got$gap_most, hours(by_hand(gap, max)))
  expect_warning(total <- running_total(bit64::as.integer64(c("9223372036854775800", "5", "3"))),
                 class = "rowanroot_overflow")
  same_long(total, c("9223372036854775800", "9223372036854775805", NA))
  expect_error(running_product(data$gap), class = "rowanroot_type_mismatch")
})

test_that("windows are explained, and mistakes with them told", {
  data <- data.frame(day = as.Date("2025-03-01") + c(0, 1, 1, 8), x = c(1, NA, 3, 4))
  table <- open_table(data) |> set_columns({
    week <- moving_total(x, rows = time_window(7, "days"), along = day, short = "fewer", missing = "skip")
    middle <- moving_median(x, rows = 3, align = "centre", short = "fewer", missing = "skip")
  })
  expect_snapshot({
    print(why(table, week, 3))
    print(why(table, middle, 3))
  })
  expect_snapshot(error = TRUE, {
    moving_mean(1:3, rows = time_window(0, "days"))
    moving_mean(1:3, rows = time_window(2, "fortnights"))
    moving_mean(1:3, rows = time_window(2, "days"))
    moving_mean(1:3, rows = time_window(2, "days"), along = 3:1)
    moving_mean(1:3, rows = time_window(2, "months"), align = "centre", along = as.Date("2025-01-01") + 0:2)
    moving_mean(1:3, rows = time_window(2, "days"), along = descending(as.Date("2025-01-01") + 0:2))
    moving_mean(1:3, 2, align = "middle")
    moving_mean(1:3, 2, missing = "drop")
    moving_median(c("a", "b"), 1)
  })
})

test_that("neighbours are found in every order and group, for every type", {
  for (n in c(0, 1, 40)) {
    data <- running_data(n)
    data$kind <- factor(data$s)
    for (column in c("d", "i", "s", "t", "kind")) for (by in c(1, 3)) for (within in list(NULL, "g")) {
      shift <- function(direction) function(part) {
        rows <- seq_len(nrow(part)) - direction * by
        part[[column]][ifelse(rows < 1 | rows > nrow(part), NA, rows)]
      }
      code <- function(word) as.call(c(as.name(word), as.name(column), rows = by, along = quote(c(s, hour)),
                                       if (length(within)) list(within = as.name(within))))
      found <- eval(bquote(set_columns(data, { before <- .(code("previous")); after <- .(code("following")) })))
      along <- orders_of_r(data)[[4]]
      expect_identical(as.character(found$before), as.character(if (n) in_order(data, within, along, shift(1))),
                       info = paste(n, column, by))
      expect_identical(as.character(found$after), as.character(if (n) in_order(data, within, along, shift(-1))),
                       info = paste(n, column, by))
      expect_identical(class(found$before), class(data[[column]]))
    }
  }
  expect_identical(change(c(3L, NA, 5L, 9L)), c(NA, NA, NA, 4L))
  expect_identical(previous(1:3, default = 0L), c(0L, 1L, 2L))
  expect_error(previous(1:3, default = "none"), class = "rowanroot_type_mismatch")
})

test_that("a running formula is R's loop, with conditions, types and orders", {
  cap <- function(above, x) {
    y <- above * 0.9 + x
    if (y > 3) return(3)
    y
  }
  by_loop <- function(f, start) function(part) {
    above <- start
    vapply(seq_len(nrow(part)), function(k) above <<- f(above, part[k, ]), start)
  }
  for (n in c(1, 80)) {
    data <- running_data(n)
    data$d[is.na(data$d)] <- 0.5
    data$i[is.na(data$i)] <- 1L
    cases <- list(
      list(quote(.above * 0.99 + w), 0, function(above, row) above * 0.99 + row$w),
      list(quote(w - .above), 2, function(above, row) row$w - above),
      list(quote(.above + w), 0, function(above, row) above + row$w),
      list(quote(2 / (.above - 7)), 1, function(above, row) 2 / (above - 7)),
      list(quote(cap(.above, d)), 0, function(above, row) cap(above, row$d)),
      list(quote(if (i > 3) 0 else .above + i), 0, function(above, row) if (row$i > 3) 0 else above + row$i),
      list(quote(.above + i), 0L, function(above, row) above + row$i),
      list(quote(pmax(.above, w * 2)), -Inf, function(above, row) max(above, row$w * 2)),
      list(quote(if (s == "a") .above else s), "none", function(above, row) if (row$s == "a") above else row$s)
    )
    for (case in cases) for (within in list(NULL, "g")) for (k in c(1, 2, 4)) {
      code <- as.call(c(quote(running), case[[1]], start = case[[2]], if (k > 1) list(along = orders[[k]]),
                        if (length(within)) list(within = as.name(within))))
      expected <- in_order(data, within, orders_of_r(data)[[k]], by_loop(case[[3]], case[[2]]))
      expect_identical(eval(bquote(set_columns(data, { new <- .(code) })))$new, expected, info = deparse1(code))
    }
  }
})

test_that("a running formula is R's loop for every type, by group and in order", {
  set.seed(11)
  n <- 200
  pick <- function(x) sample(c(x, NA), n, replace = TRUE)
  data <- data.frame(g = sample(c("a", "b", "c"), n, replace = TRUE), id = sample(n), x = round(stats::runif(n), 2))
  data$day <- as.Date("2024-01-01") + pick(c(0, 5, 9.5))
  data$time <- as.POSIXct("2024-01-01", tz = "UTC") + pick(c(0, 3600))
  data$gap <- data$day - as.Date("2023-12-31")
  data$text <- pick(c("a", "b"))
  data$kind <- factor(pick(c("a", "b")), levels = c("b", "a"))
  loop <- function(step, start) {
    values <- vector("list", n)
    for (rows in split(order(data$id), data$g[order(data$id)])) {
      above <- start(data[rows[1], ])
      for (row in rows) values[[row]] <- above <- step(above, data[row, ])
    }
    do.call(c, values)
  }
  last_of <- function(name, start) loop(function(above, row) if (is.na(row[[name]])) above else row[[name]], start)
  got <- set_columns(data, {
    day_known <- running(if (is.na(day)) .above else day, start = NA)
    time_known <- running(if (is.na(time)) .above else time, start = as.POSIXct("2000-01-01", tz = "UTC"))
    gap_known <- running(if (is.na(gap)) .above else gap, start = gap)
    text_known <- running(if (is.na(text)) .above else text, start = text)
    kind_known <- running(if (is.na(kind)) .above else kind, start = "b")
    due <- running(if (x > 0.5) .above + 7 else .above, start = as.Date("2024-02-01"))
    latest <- running(if (is.na(day) || !is.na(.above) && .above > day) .above else day, start = day)
    smooth <- running(.above * 0.5 + x, start = x * 10)
  }, within = g, along = id)
  expect_identical(got$day_known, last_of("day", function(row) as.Date(NA)))
  expect_identical(got$time_known, last_of("time", function(row) as.POSIXct("2000-01-01", tz = "UTC")))
  expect_identical(got$gap_known, last_of("gap", function(row) row$gap))
  expect_identical(got$text_known, last_of("text", function(row) row$text))
  expect_identical(got$kind_known, last_of("kind", function(row) factor("b", levels = c("b", "a"))))
  expect_identical(got$due, loop(function(above, row) if (row$x > 0.5) above + 7 else above,
                                 function(row) as.Date("2024-02-01")))
  expect_identical(got$latest, loop(function(above, row) {
    if (is.na(row$day) || !is.na(above) && above > row$day) above else row$day
  }, function(row) row$day))
  expect_identical(got$smooth, loop(function(above, row) above * 0.5 + row$x, function(row) row$x * 10))
})

test_that("several columns can use each other's row above", {
  set.seed(5)
  n <- 100
  data <- data.frame(g = sample(c("a", "b"), n, replace = TRUE), sold = sample(0:9, n, replace = TRUE), first = 20)
  got <- set_columns(data, {
    c(stock, ordered, day) <- running(
      list(ordered = if (.above$stock < 10) 15 else 0, stock = .above$stock + .above$ordered - sold,
           day = .above$day + 1),
      start = list(stock = first + 1, ordered = 0, day = as.Date("2024-01-01")), within = g
    )
  })
  for (rows in split(seq_len(n), data$g)) {
    stock <- 21
    ordered <- 0
    for (row in rows) {
      now <- stock + ordered - data$sold[row]
      ordered <- if (stock < 10) 15 else 0
      stock <- now
      expect_identical(c(got$stock[row], got$ordered[row]), c(stock, ordered))
    }
    expect_identical(got$day[rows], as.Date("2024-01-01") + seq_along(rows))
  }
  local_folder()
  save_table(data, "sold.csv")
  steps <- function(x) set_columns(x, {
    c(stock, ordered) <- running(list(.above$stock + .above$ordered - sold, if (.above$stock < 10) 15 else 0),
                                 start = list(first, 0), within = g)
  })
  expect_identical(as.data.frame(steps(open_table("sold.csv")))$stock, steps(data)$stock)
  withr::with_options(list(rowanroot.chunks_from = 0, rowanroot.chunk_bytes = 200), {
    save_table(steps(open_table("sold.csv")), "out.csv")
  })
  expect_equal(as.data.frame(open_table("out.csv"))$ordered, steps(data)$ordered)
  expect_snapshot({
    print(why(steps(open_table(utils::head(data, 5))), stock, 4))
    print(lineage(steps(open_table(utils::head(data, 3)))))
  })
  expect_snapshot(error = TRUE, {
    set_columns(data, { c(a, b) <- running(list(.above + 1, .above$a), start = list(1, 1)) })
    set_columns(data, { c(a, b) <- running(list(.above$z, .above$a), start = list(1, 1)) })
    set_columns(data, { c(a, b) <- running(list(.above$a), start = list(1, 1)) })
    set_columns(data, { c(a, b) <- running(list(.above$a, .above$b), start = 1) })
    set_columns(data, { c(a, b) <- running(list(a = .above$a, c = .above$b), start = list(1, 2)) })
    set_columns(data, { a <- running(.above$a + 1, start = 1) })
    set_columns(data, { a <- running(if (sold > 3) .above else factor(g), start = "z") })
    set_columns(data, { a <- running(if (sold > 3) .above else first, start = as.Date("2024-01-01")) })
  })
})

test_that("numbers come onto a common scale, over the column and in groups", {
  data <- running_data(50)
  found <- set_columns(data, {
    z <- z_score(w)
    p <- z_score(w, sd = "population")
    m <- min_max(i, ends = c(-1, 3))
    s <- share(i)
    g <- z_score(w, within = g)
  })
  expect_equal(found$z, as.numeric(scale(data$w)))
  expect_equal(found$p, as.numeric(scale(data$w)) / sqrt(49 / 50))
  expect_equal(range(found$m, na.rm = TRUE), c(-1, 3))
  expect_equal(found$s, data$i / sum(data$i, na.rm = TRUE))
  expect_equal(found$g, in_order(data, "g", NULL, function(part) as.numeric(scale(part$w))))
  expect_equal(z_score(data$w, within = data$g), found$g)
})

test_that("totals and the like go across columns", {
  data <- running_data(50)
  columns <- data[c("d", "w", "i")]
  for (missing in c("keep", "skip")) for (word in c("row_total", "row_mean", "row_min", "row_max")) {
    of <- list(row_total = sum, row_mean = mean, row_min = min, row_max = max)[[word]]
    expected <- apply(columns, 1, function(x) if (all(is.na(x))) NA else of(x, na.rm = missing == "skip"))
    found <- eval(bquote(set_columns(data, { new <- .(as.name(word))(d, w, i, missing = .(missing)) })))$new
    expect_equal(replace(found, is.na(found), NA), replace(unname(expected), is.na(expected), NA),
                 info = paste(word, missing))
  }
  expect_identical(row_max(c(1L, NA), c(3L, 2L), missing = "skip"), c(3L, 2L))
  expect_identical(row_min(data$t, data$day), pmin(data$t, data$day))
  expect_error(row_total(1:2, c("a", "b")), class = "rowanroot_type_mismatch")
})

test_that("the order of a block counts for all that depends on it", {
  data <- data.frame(day = c(3, 1, 2), g = c("a", "a", "b"), x = c(10, 20, 30))
  found <- set_columns(data, {
    number <- .row
    first <- first_value(x)
    sum <- cumsum(x)
    total <- running_total(x)
    before <- previous(x)
  }, along = day)
  expect_equal(found[4:8], data.frame(number = c(3, 1, 2), first = 20, sum = c(60, 20, 50), total = c(60, 20, 50),
                                      before = c(30, NA, 20)))
  grouped <- set_columns(data, { number <- .row; last <- last_value(x); sum <- cumsum(x) }, along = descending(day),
                         within = g)
  expect_equal(grouped[4:6], data.frame(number = c(1, 2, 1), last = c(20, 20, 30), sum = c(10, 30, 30)))
})

test_that("mistakes with order are reported with the way out", {
  data <- data.frame(net_kg = c(3, 1), s = c("a", "b"), day = as.Date(c("2025-01-01", NA)))
  expect_snapshot(error = TRUE, {
    set_columns(data, { a <- running_total(s) })
    set_columns(data, { a <- running_total(net_kg, missing = "zero") })
    set_columns(data, { a <- moving_mean(net_kg, rows = 0) })
    set_columns(data, { a <- moving_mean(net_kg, rows = 7) })
    set_columns(data, { a <- running_total(net_kg, along = -day) })
    set_columns(data, { a <- running_total(net_kg, along = dya) })
    set_columns(data, { a <- .above + 1 })
    set_columns(data, { a <- running(net_kg + 1, start = 0) })
    set_columns(data, { a <- running(.above + net_kg) })
    set_columns(data, { a <- running(if (net_kg > 2) "a" else .above, start = 0) })
    set_columns(data, { a <- running(mean(.above) + net_kg, start = 0) })
    set_columns(data, { a <- max(net_kg, day) })
  })
  for (rows in list(0, -2, 1.5, "a", NULL, 3)) {
    expect_error(set_columns(data, { a <- moving_total(net_kg, rows = rows) }), class = "rowanroot_bad_argument")
  }
  expect_error(set_columns(data, { a <- running(if (net_kg > 2) "a" else .above, start = 0) }),
               class = "rowanroot_type_mismatch")
  expect_error(set_columns(data, { a <- running(.above + s, start = 0) }), class = "rowanroot_type_mismatch")
  expect_error(set_columns(data, { a <- running_total(net_kg, along = dya) }), class = "rowanroot_unknown_column")
  expect_error(set_columns(data, { a <- .above }), class = "rowanroot_bad_formula")
  expect_warning(found <- set_columns(data, { a <- running_total(net_kg, along = day) }), "comes last",
                 class = "rowanroot_missing_order")
  expect_identical(found$a, c(3, 4))
})
