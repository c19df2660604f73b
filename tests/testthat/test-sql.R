# Steps that run in a database give what they give here: tables, formulas and steps made at random run in both.
# ROWANROOT_SECONDS says for how long, ROWANROOT_SEED with which numbers.

# A table in a database, with a key, and the same here, in the order of the key.
table_there <- function(kind, rows, env = parent.frame()) {
  connection <- if (kind == "PostgreSQL") local_postgres(env) else local_sqlite(env)
  data <- random_table(rows)
  data$time <- NULL
  # SQLite has no NaN and no sign of zero.
  if (kind == "SQLite") data$d <- replace(data$d, is.nan(data$d) | data$d %in% 0, NA)
  # Rows of SQLite come in the order in which they were put there.
  if (kind == "PostgreSQL") data$id <- sample(rows)
  data$eve <- structure(as.numeric(data$eve), class = "Date")
  types <- if (kind == "SQLite") c(l = "BOOLEAN", m = "BOOLEAN")
  DBI::dbExecute(connection, DBI::SQL(paste0("CREATE TABLE rows (", paste(
    DBI::dbQuoteIdentifier(connection, names(data)),
    replace(DBI::dbDataType(connection, data), match(names(types), names(data)), types),
    ifelse(names(data) == "id", "PRIMARY KEY", ""), collapse = ", "), ")")))
  sent <- if (kind == "PostgreSQL") sendable_columns(connection, data, NULL) else data
  if (kind == "PostgreSQL") sent$d[is.nan(data$d)] <- "NaN"
  DBI::dbAppendTable(connection, "rows", sent)
  list(connection = connection, table = open_table(connection, table = "rows"), data = data[order(data$id), ])
}

is_there <- function(table) {
  found <- pushed_steps(current_table(table, NULL), NULL)
  is.null(found$reason)
}

# What the code gives of a table, and NULL where it fails, which both must do.
value_of <- function(code, table, env) {
  env$.table <- table
  tryCatch(suppressWarnings(suppressMessages(as.data.frame(eval(code, env)))), error = function(e) NULL)
}

# Whether the database ran all of it, and whether it gave the same.
in_both <- function(code, there, same, env) {
  withr::local_options(rowanroot.in_database = "sums")
  env$.table <- there$table
  pushed <- tryCatch(suppressWarnings(is_there(eval(code, env))), error = function(e) FALSE)
  found <- value_of(code, there$table, env)
  expected <- value_of(code, there$data, env)
  list(pushed = pushed, same = is.null(expected) && is.null(found) ||
         !is.null(expected) && !is.null(found) && identical(names(found), names(expected)) && same(found, expected))
}

bit_by_bit <- function(found, expected) all(mapply(same_values, unclass(found), unclass(expected)))

expect_both <- function(kind, rounds, same, code_of, least) {
  there <- table_there(kind, 60)
  env <- list2env(list(two_ways = two_ways, three_ways = three_ways, named = named,
                       sizes = data.frame(g = c("x", "z", ""), size = c(1.5, NA, 3), note = c("a", "'b'", NA))))
  pushed <- 0
  for (k in seq_len(rounds)) {
    code <- code_of()
    found <- in_both(code, there, same, env)
    if (!found$same) expect_identical(paste(deparse(code), collapse = " "), "the same in both")
    pushed <- pushed + found$pushed
  }
  # Else nothing would be compared.
  expect_gt(pushed, least * rounds)
}

kinds <- c("SQLite", "PostgreSQL")

# Of NaN and a missing value R itself gives one or the other, and a database what is missing.
bit_by_bit_or_missing <- function(found, expected) {
  all(mapply(same_values, unclass(found), unclass(expected), either = TRUE))
}

test_that("row-wise formulas give the same bits", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "11")))
  for (kind in kinds) {
    expect_both(kind, 150, bit_by_bit_or_missing, least = 0.1, function() {
      formula <- random_formula(sample(c("whole", "real", "logical", "text", "date"), 1), 2)
      bquote(set_columns(.table, { new <- .(formula) }))
    })
  }
})

# Whether the database runs all of each formula, or some of them if not `all`, and gives what memory gives.
expect_each <- function(kind, formulas, in_code, same, all = TRUE) {
  there <- table_there(kind, 60)
  for (formula in formulas) for (code in in_code) {
    found <- in_both(do.call(substitute, list(code, list(FORMULA = formula))), there, same, new.env())
    expect_identical(list(formula, same = found$same), list(formula, same = TRUE))
    if (all) expect_identical(list(formula, pushed = found$pushed), list(formula, pushed = TRUE))
  }
}

test_that("words of texts and dates give the same bits", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "14")))
  both <- alist(
    nchar(t), paste0(g, "-", h), paste(t, g), paste0(g, i), paste(g, l, day, sep = "/"), paste("NA", 3L, NA, g),
    join_text(g, t, with = "; "), join_text(g, i, missing = "empty"), as.character(i), as.character(l),
    as.character(day),
    substr(t, 2, 3), substring(long, 2), substring(t, 2, 4), trimws(long), trimws(long, "left"), startsWith(long, "a"),
    startsWith(t, g), endsWith(long, "kg"), endsWith(t, ""), grepl("a", t), grepl("-.", long, fixed = TRUE),
    grepl("[ab]", t), gsub("-", "<->", long), sub("-", "", long), sub("o", "", t, fixed = TRUE),
    text_between(long, "b", "-"), text_between(long, NULL, "-"), text_between(long, "a", NULL),
    bands(e, low = 0, high = Inf), bands(j, 2, 5, Inf, ends = "out"), bands(j, low = 1e9), bands(i, a = 0L, b = 10L),
    bands(day, old = as.Date("2024-01-01"), new = Inf), date_part(day, "year"), date_part(day, "weekday"),
    date_part(day, "month"), date_part(day, "quarter"), start_of(day, "month"), start_of(day, "week"),
    start_of(day, "year"), add_time(day, 3, "days"), add_time(day, j, "weeks"), day > as.Date("2024-02-29"),
    time_between(day, as.Date("2024-01-01"), "days"), time_between(as.Date("2024-01-01"), day, "weeks"),
    as_date(as.character(day)), as_date(paste0("2024", "-02-", substr("29 June", 1, 2))),
    as_date(paste0(g, "x"), "%d.%m.%Y"), if (day > as.Date("2020-01-01")) day else as.Date("2000-12-31")
  )
  of_one <- alist(
    date_part(day, "week"), toupper(t), tolower(long), start_of(day, "quarter"), end_of(day, "month"),
    end_of(day, "quarter"), end_of(day, "week"), end_of(day, "day"), add_time(day, j, "months"),
    add_time(day, -1, "quarters"), add_time(day, 1L, "years")
  )
  for (kind in kinds) {
    expect_each(kind, c(both, if (kind == "PostgreSQL") of_one), alist(set_columns(.table, { new <- FORMULA })),
                bit_by_bit, all = FALSE)
    expect_each(kind, c(both[c(1:22, 24)], if (kind == "PostgreSQL") of_one),
                alist(set_columns(.table, { new <- FORMULA })), bit_by_bit)
  }
})

test_that("texts are split there as they are here", {
  splits <- expand.grid(short = c("error", "missing"), long = c("error", "missing", "drop", "join"),
                        at = c("-", "b-", " "), stringsAsFactors = FALSE)
  for (kind in kinds) {
    there <- table_there(kind, 60)
    for (k in seq_len(nrow(splits))) {
      code <- bquote(set_columns(.table, {
        c(a, .b, c) <- split_text(long, .(splits$at[k]), short = .(splits$short[k]), long = .(splits$long[k]))
        b <- .b
      }))
      expect_identical(in_both(code, there, bit_by_bit, new.env()), list(pushed = TRUE, same = TRUE))
    }
    expect_false(is_there(set_columns(there$table, { c(a, b) <- split_text(long, pattern("-")) })))
  }
})

# An explanation without the places that values come from, and those alone.
parts_of <- function(explanation, places = FALSE) {
  from <- lapply(explanation$from, parts_of, places)
  if (places) return(c(explanation$place, unlist(from)))
  c(unclass(explanation)[c("column", "value", "formula", "filled", "notes")], list(from = from))
}

test_that("a value is explained by its own row, which alone is fetched, if no other went into it", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "17")))
  steps <- function(x) {
    x |> set_columns({ n <- e * 2; place <- ranking(e, best = "highest", ties = "first"); .part <- n + j }) |>
      keep_rows(place > 5) |> sort_rows(g, descending(e)) |> rename_columns(double = n) |>
      set_columns({ text <- if (double > 0) paste0(g, "+") else t; m <- mean(e, na.rm = TRUE) }) |>
      keep_columns(-h)
  }
  for (kind in kinds) {
    there <- table_there(kind, 60)
    found <- steps(there$table)
    here <- steps(open_table(there$data))
    for (row in c(1, 7, 30)) for (column in c("text", "double", "g")) {
      there_is <- why(found, column, row = row)
      expect_identical(parts_of(there_is), parts_of(why(here, column, row = row)), info = paste(kind, row, column))
      expect_identical(there_is$row, as.integer(row))
    }
    id <- as.data.frame(here)$id[9]
    by_key <- eval(bquote(why(found, text, where = id == .(id))))
    expect_identical(by_key$row, 9L)
    if (kind == "PostgreSQL") expect_match(parts_of(by_key, TRUE)[1], paste0(", row \\d+, id ", id, "$"))
    expect_error(why(found, text, row = 1000), class = "rowanroot_no_such_row")
    expect_error(why(found, text, where = id > 3), class = "rowanroot_no_such_row")
    expect_null(rowanroot:::rooted(found)$source$cache$data)
    # Others went into this one.
    expect_identical(parts_of(why(found, m, row = 2)), parts_of(why(here, m, row = 2)))
  }
})

test_that("aggregates of rows in order, and of what is distinct, give the same", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "15")))
  formulas <- alist(
    median(e), median(e, na.rm = TRUE), median(d, na.rm = TRUE), count_distinct(g), count_distinct(e),
    count_distinct(d), count_distinct(l), count_distinct(day), first_value(e), last_value(e), first_value(g),
    last_value(day), first_value(l), last_value(j), max(e) - median(e), quantile(d, 0.3, na.rm = TRUE),
    quantile(e, 0.35, na.rm = TRUE), quantile(j, 0.9, na.rm = TRUE), quantile(h, 0),
    max(e) - quantile(e, 1, na.rm = TRUE)
  )
  steps <- alist(set_columns(.table, { new <- FORMULA }), set_columns(.table, { new <- FORMULA }, within = c(g, h)),
                 set_columns(.table, { new <- FORMULA }, along = e, within = g),
                 one_row_per(.table, g, { new <- FORMULA; n <- length(e) }),
                 one_row_per(.table, c(h, l), { new <- FORMULA }))
  for (kind in kinds) expect_each(kind, formulas, steps, all_nearly)
})

test_that("a recurrence goes along in a database whose sessions have functions", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "17")))
  formulas <- alist(
    running(.above * 0.9 + e, start = 0), running(if (is.na(e)) .above else .above + e, start = 10L),
    running(if (j > 0L) .above + 1L else 0L, start = 0L, along = id), running(row_max(0, .above + e), start = 0),
    running(if (l) e else .above, start = e, within = g), running(pmin(.above, d), start = 100, within = h),
    running(if (.above < j) j else .above, start = j, within = c(g, h), along = descending(id)),
    running(if (t == "b\t" || g == "{1}$row$") t else .above, start = "x"),
    running(first_known(.above, e) + 1, start = NA)
  )
  steps <- alist(set_columns(.table, { new <- FORMULA }),
                 keep_rows(set_columns(.table, { new <- FORMULA }), known(new)))
  expect_each("PostgreSQL", formulas, steps, bit_by_bit)
  several <- alist(
    running(list(.above$new + .above$other - j, if (.above$new < 5) 10 else 0), start = list(10, 0)),
    running(list(other = .above$other + 1L, new = if (is.na(e)) .above$new else .above$new * 0.9 + e),
            start = list(new = 0L, other = j), along = descending(id), within = g),
    running(list(if (l) .above$other else t, if (l) g else .above$new), start = list("a", g), within = c(g, h))
  )
  expect_each("PostgreSQL", several, alist(set_columns(.table, { c(new, other) <- FORMULA })), bit_by_bit)
  local_folder()
  there <- table_there("PostgreSQL", 30)
  table <- set_columns(keep_columns(there$table, id, e), { level <- running(.above * 0.9 + e, start = 0) })
  expect_error(suppressMessages(save_table(table, there$connection, table = "level", as = "view")), "session",
               class = "rowanroot_not_in_database")
  quietly(save_table(table, there$connection, table = "level"))
  found <- as.data.frame(open_table(there$connection, table = "level"))
  expected <- set_columns(there$data, { level <- running(.above * 0.9 + e, start = 0) })
  expect_identical(found$level[order(found$id)], expected$level)
})

test_that("words of groups and orders give the same", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "12")))
  words <- c("sum", "mean", "min", "max", "sd", "var", "any", "all", "length", "count_known", "ranking", "equal_parts",
             "running_total", "running_mean", "running_count", "running_min", "running_max", "moving_total",
             "moving_mean", "moving_sd", "moving_min", "moving_max", "moving_count", "previous", "following",
             "last_known", "next_known", "change", "z_score", "share", "min_max")
  exact <- c("min", "max", "length", "count_known", "ranking", "equal_parts", "running_count", "running_min",
             "running_max", "moving_count", "previous", "following", "last_known", "next_known")
  for (kind in kinds) {
    expect_both(kind, 150, all_nearly, least = 0.4, function() {
      word <- sample(words, 1)
      formula <- word_cases[[word]]()$call
      # Sums of numbers of all sizes have few right digits.
      if (!word %in% exact) formula <- do.call(substitute, list(formula, list(d = quote(e))))
      if (!"within" %in% names(formula)) formula$within <- sample(list(NULL, quote(g), quote(c(h, g))), 1)[[1]]
      bquote(set_columns(.table, { new <- .(formula) }))
    })
  }
})

test_that("windows of rows and of time give the same, with what is infinite and what is not a number", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "18")))
  words <- c("moving_total", "moving_mean", "moving_sd", "moving_min", "moving_max", "moving_count")
  spans <- alist(1, 4, 5, time_window(1, "days"), time_window(7, "days"), time_window(6, "days"),
                 time_window(30, "days"), time_window(2, "weeks"), time_window(1, "months"), time_window(2, "quarters"),
                 time_window(3, "years"))
  for (kind in kinds) {
    there <- table_there(kind, 120)
    env <- new.env()
    pushed <- 0
    rounds <- 0
    # SQLite has no windows of time, nor standard deviations.
    of_kind <- if (kind == "SQLite") spans[1:4] else spans
    for (word in words) for (span in of_kind) for (align in c("end", "start", "centre")) {
      if (is.call(span) && align == "centre" && !span[[3]] %in% c("days", "weeks")) next
      # Of numbers of all sizes a sum has few right digits.
      x <- if (word %in% c("moving_min", "moving_max", "moving_count")) sample(c("d", "e", "j"), 1) else "e"
      infinite <- bquote(if (.row %% 7L == 0L) Inf else if (.row %% 11L == 0L) -Inf else .(as.name(x)))
      options <- list(as.name(word), if (rounds %% 2) infinite else as.name(x), rows = span, align = align,
                      short = sample(c("missing", "fewer"), 1))
      if (word != "moving_count") options$missing <- sample(c("stop", "skip"), 1)
      options$along <- if (is.call(span)) quote(near) else quote(id)
      options$within <- sample(list(NULL, quote(g)), 1)[[1]]
      code <- bquote(set_columns(.table, {
        near <- add_time(as.Date("2024-02-20"), j, "days")
        new <- .(as.call(options))
      }))
      found <- in_both(code, there, all_nearly, env)
      expect_identical(list(code, same = found$same), list(code, same = TRUE))
      pushed <- pushed + found$pushed
      rounds <- rounds + 1
    }
    # What is no window is the same error in both.
    for (rows in alist(time_window(5, "hours"), time_window(0, "days"), 99999, 0, "a week")) {
      code <- bquote(set_columns(.table, { new <- moving_mean(e, rows = .(rows), along = day) }))
      classes <- lapply(there[c("table", "data")], function(table) {
        env$.table <- table
        tryCatch(suppressWarnings(as.data.frame(eval(code, env))), error = function(e) class(e)[1])
      })
      expect_identical(list(rows, classes$table), list(rows, classes$data))
      expect_identical(classes$data, "rowanroot_bad_argument")
    }
    expect_gt(pushed, (if (kind == "SQLite") 0.5 else 0.99) * rounds)
  }
})

test_that("running words begin alike where nothing is known yet", {
  data <- data.frame(id = 1:4, x = c(NA, NA, 2, NA), k = c(NA, 3L, NA, 1L))
  for (kind in kinds) {
    connection <- if (kind == "PostgreSQL") local_postgres() else local_sqlite()
    DBI::dbWriteTable(connection, "rows", data)
    if (kind == "PostgreSQL") DBI::dbExecute(connection, "ALTER TABLE rows ADD PRIMARY KEY (id)")
    there <- list(table = open_table(connection, table = "rows"), data = data)
    for (word in paste0("running_", c("total", "mean", "count", "min", "max"))) {
      for (missing in c("carry", "skip")) for (x in list(quote(x), quote(k))) {
        code <- bquote(set_columns(.table, { new <- .(as.name(word))(.(x), missing = .(missing)) }))
        expect_identical(list(code, in_both(code, there, bit_by_bit, new.env())),
                         list(code, list(pushed = TRUE, same = TRUE)))
      }
    }
  }
})

test_that("the sum of Inf and -Inf is NaN in SQLite, too", {
  withr::local_options(rowanroot.in_database = "sums")
  connection <- local_sqlite()
  data <- data.frame(id = 1:6, x = c(1, Inf, 3, -Inf, 1e20, 1))
  DBI::dbWriteTable(connection, "rows", data)
  table <- open_table(connection, table = "rows")
  for (formula in alist(running_total(x), sum(x), mean(x, na.rm = TRUE), running_mean(x))) {
    code <- bquote(set_columns(.table, { new <- .(formula) }))
    found <- in_both(code, list(table = table, data = data), bit_by_bit, new.env())
    expect_identical(list(formula, found$same), list(formula, TRUE))
  }
})

test_that("steps after each other give the same rows in the same order", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "13")))
  steps <- list(
    function(x) bquote(keep_rows(.(x), .(random_formula("logical", 1)))),
    function(x) bquote(keep_rows(.(x), g %in% c("x", "", NA) || j %in% c(1.5, 2) || day %in% as.Date("2024-02-29"))),
    function(x) bquote(drop_rows(.(x), j > mean(j))),
    function(x) bquote(sort_rows(.(x), .(sample(list(quote(g), quote(descending(e)), quote(t)), 1)[[1]]), j)),
    function(x) bquote(top_rows(.(x), .(sample(5, 1)), by = .(sample(list(quote(e), quote(j)), 1)[[1]]), within = g)),
    function(x) bquote(bottom_rows(.(x), 4, by = j, ties = "cut")),
    function(x) bquote(set_columns(.(x), { j <- j + 1L; .half <- e / 2; e <- .half * 3; n <- .row })),
    function(x) bquote(set_columns(.(x), { e[j > 0] <- 0; big <- if (e > 1) "yes" else "no" }, within = g)),
    function(x) bquote(move_columns(.(x), j, after = 0)),
    function(x) bquote(rename_columns(rename_columns(.(x), k = i), i = k)),
    function(x) bquote(set_columns(.(x), { size <- look_up(g, sizes, take = size, unknown = "missing") })),
    function(x) bquote(set_columns(.(x), { i <- NULL; i <- ranking(e, best = "highest", ties = "first") }))
  )
  last <- list(identity, function(x) bquote(keep_columns(.(x), e, j, g)),
               function(x) bquote(one_row_per(.(x), c(g, h), { n <- length(e); low <- min(j); span <- max(j) - low })))
  for (kind in kinds) {
    expect_both(kind, 60, all_nearly, least = 0.5, function() {
      code <- quote(.table)
      for (step in sample(steps, sample(3, 1))) code <- step(code)
      sample(last, 1)[[1]](code)
    })
  }
})

test_that("rows are picked, joined, put below each other and made of columns as they are here", {
  withr::local_seed(as.integer(Sys.getenv("ROWANROOT_SEED", "16")))
  small <- quote(keep_columns(.table, id, e, g))
  codes <- list(
    quote(one_of_each(.table, g)), quote(one_of_each(.table, g, h, keep = "last")),
    quote(one_of_each(.table, g, along = e)), quote(one_of_each(.table, g, l, keep = "last", along = descending(j))),
    quote(one_of_each(.table)), quote(must_hold(.table, !is.na(id), id > 0)),
    bquote(rows_from_columns(.(small), id, e, name = "what", value = "n")),
    quote(set_columns(rows_from_columns(rows_from_columns(keep_columns(.table, id, g, t, day, eve), g, t, name = "what",
                                                          value = "n"), day, eve, name = "w", value = "d"), {
      place <- ranking(id, best = "highest", ties = "first", within = n)
    })),
    bquote(append_rows(.(small), data.frame(g = c("x'", NA), id = 101:102, e = c(2L, NA)), .(small))),
    bquote(append_rows(.(small), list(g = "x", id = 101.5, e = 2.5))),
    bquote(append_rows(.(small), keep_rows(.(small), e > 1e9))),
    bquote(set_columns(append_rows(.(small), keep_rows(.(small), e > 0)), {
      place <- ranking(e, best = "highest", ties = "first")
      n <- .row
    })),
    quote(join_rows(.table, sizes, by = g)), quote(join_rows(.table, sizes, by = g, unmatched = "keep")),
    bquote(join_rows(.(small), rename_columns(keep_columns(.table, id, j, l), k = id), by = c(id = k))),
    quote(set_columns(join_rows(keep_columns(.table, id, h, g), keep_columns(keep_rows(.table, id < 40L), id, j, l),
                                by = c(h = id), unmatched = "keep"), { z <- j + h; w <- running_count(j) })),
    quote(join_rows(.table, two_keys, by = c(h, g))),
    quote(join_rows(.table, sizes, by = g, unmatched = "keep both")),
    bquote(join_rows(.(small), rename_columns(keep_columns(.table, id, j, l), k = id), by = c(id = k),
                     unmatched = "keep both")),
    bquote(set_columns(join_rows(.(small), others, by = g, several = "all"), { place <- .row; n <- running_count(e) })),
    bquote(join_rows(.(small), others, by = g, several = "all", unmatched = "keep")),
    bquote(join_rows(.(small), others, by = g, several = "all", unmatched = "keep both")),
    bquote(set_columns(.(small), { a <- ranking(e, best = "lowest", as = "share")
                                   b <- ranking(e, best = "highest", as = "share", ties = "average", within = g)
                                   c <- ranking(id, best = "lowest", as = "share", ties = "first", within = g) })),
    quote(columns_from_rows(keep_columns(keep_rows(.table, known(t)), g, t, e), name = t, value = min(e))),
    quote(columns_from_rows(keep_columns(keep_rows(.table, known(t)), g, t, e), name = t, value = length(e),
                            absent = 0L)),
    quote(columns_from_rows(keep_columns(keep_rows(.table, known(t)), g, t, j), name = t,
                            value = max(j, na.rm = TRUE))),
    quote(columns_from_rows(keep_columns(keep_rows(one_of_each(.table, g, t), known(t)), g, t, e), name = t,
                            value = e)),
    quote(columns_from_rows(keep_columns(keep_rows(one_of_each(.table, h, t), t %in% c("a", "b")), h, t, j, s),
                            name = t, value = j, absent = 7L))
  )
  env <- list2env(list(
    sizes = data.frame(g = c("x", "z", ""), size = c(1.5, NA, 3), note = c("a", "'b'", NA)),
    others = data.frame(g = c("x", "x", "y", "none", NA, "x"), size = c(1.5, NA, 3, 4, 5, 6)),
    two_keys = data.frame(h = c(1, 2, 3), g = c("x", "y", NA), until = as.Date(c("2024-01-01", NA, "2020-01-01")))
  ))
  for (kind in kinds) {
    there <- table_there(kind, 60)
    for (code in codes) {
      expect_identical(c(code, in_both(code, there, bit_by_bit, env)), list(code, pushed = TRUE, same = TRUE))
    }
    twice <- data.frame(g = c("x", "x"), size = 1:2)
    joined <- join_rows(there$table, twice, by = g)
    expect_true(is_there(joined))
    expect_error(suppressMessages(as.data.frame(joined)), class = "rowanroot_several_matches")
    told <- lapply(there[c("table", "data")], function(table) {
      expect_message(as.data.frame(join_rows(table, twice, by = g, several = "all")),
                     class = "rowanroot_several_matches")
    })
    expect_identical(conditionMessage(told$table), conditionMessage(told$data))
  }
})

test_that("checks are made there, and say the same", {
  for (kind in kinds) {
    there <- table_there(kind, 60)
    said <- function(verb, x) {
      tryCatch({
        set_columns(x, { f <- e * 2 }) |>
          verb("f is positive" = f > 0, !is.na(g), known(id), g == "x", within = l) |>
          as.data.frame()
      }, error = conditionMessage, warning = conditionMessage)
    }
    expect_type(said(must_hold, there$data), "character")
    expect_identical(said(must_hold, there$table), said(must_hold, there$data))
    expect_identical(said(should_hold, there$table), said(should_hold, there$data))
    checked <- must_hold(there$table, e > 0)
    expect_true(is_there(checked))
    expect_error(dim(checked), class = "rowanroot_broken_condition")
    expect_null(rooted(checked)$cache$data)
    connection <- there$connection
    if (kind == "PostgreSQL") {
      expect_error(save_table(checked, connection, table = "checked"), class = "rowanroot_broken_condition")
      expect_false(DBI::dbExistsTable(connection, "checked"))
    }
  }
})

test_that("sums whose rows come here are calculated here, and there if they stay there", {
  there <- table_there("PostgreSQL", 60)
  table <- set_columns(there$table, { s <- running_total(e); up <- e * 2 })
  expect_identical(pushed_steps(current_table(table, NULL), NULL)$fetched$count, 0)
  expect_true(is_there(table))
  expect_match(show_steps(table)$where, "running_total", fixed = TRUE, all = FALSE)
  expect_match(show_steps(set_columns(table, { word <- sprintf("%d", id) }))$where, "Steps 1 and 2 run here: in the")
  fewer <- one_row_per(table, g, { total <- max(s) })
  expect_identical(pushed_steps(current_table(fewer, NULL), NULL)$fetched$count, 2)
  expect_identical(as.data.frame(table)$s, running_total(there$data$e))
})

test_that("rows without a key have an order if one is given", {
  connection <- local_postgres()
  DBI::dbWriteTable(connection, "rows", data.frame(day = c(2L, 1L, 2L, 2L, 1L), kg = c(3, 1, 3, 2, NA)))
  table <- open_table(connection, table = "rows")
  expect_error(dim(set_columns(table, { n <- .row })), "`.row` needs an order", class = "rowanroot_no_order")
  expect_error(show_steps(set_columns(table, { n <- previous(kg) })), "previous()", class = "rowanroot_no_order")
  found <- set_columns(table, {
    n <- running_count(kg)
    place <- ranking(kg, best = "lowest", ties = "first")
  }, along = day)
  sorted <- data.frame(day = c(1L, 1L, 2L, 2L, 2L), kg = c(1, NA, 2, 3, 3))
  expect_true(is_there(found))
  expect_equal(as.data.frame(found), cbind(sorted, n = c(1L, NA, 2:4), place = c(1L, NA, 2:4)))
  expect_identical(as.data.frame(set_columns(sort_rows(table, kg), { n <- .row }))$n, 1:5)
})

test_that("a view follows its table, and is made anew if it is defined in another way", {
  local_folder()
  for (kind in kinds) {
    there <- table_there(kind, 20)
    connection <- there$connection
    save <- function(x, ...) {
      paste(testthat::capture_messages(save_table(x, connection, table = "seen", ...)), collapse = "")
    }
    half <- set_columns(keep_columns(there$table, id, e, g), { half <- e / 2 })
    expect_match(save(half, as = "view"), "made: 20 rows")
    DBI::dbExecute(connection, "DELETE FROM rows WHERE id > 15")
    expect_no_match(save(half, as = "view"), "made")
    expect_identical(nrow(as.data.frame(open_table(connection, table = "seen"))), 15L)
    expect_match(save(set_columns(half, { third <- e / 3 }), as = "view"), "made: 15 rows")
    expect_error(save(half), class = "rowanroot_foreign_output")
    expect_error(save(set_columns(half, { word <- sprintf("%d", id) }), as = "view"), "sprintf",
                 class = "rowanroot_not_in_database")
    expect_error(save(open_table(there$data), as = "view"), class = "rowanroot_not_in_database")
    DBI::dbExecute(connection, "DROP VIEW seen")
    DBI::dbExecute(connection, "CREATE TABLE seen (a INTEGER)")
    expect_error(save(half, as = "view"), class = "rowanroot_foreign_output")
    expect_match(save(half, as = "view", force = TRUE), "made: 15 rows")
  }
  expect_error(save_table(half, "seen.csv", as = "view"), class = "rowanroot_bad_argument")
  # The last is PostgreSQL.
  DBI::dbExecute(connection, "CREATE TEMP TABLE passing (id int PRIMARY KEY)")
  passing <- open_table(connection, table = "passing")
  expect_error(save_table(passing, connection, table = "gone", as = "view"), "session",
               class = "rowanroot_not_in_database")
  expect_false(DBI::dbExistsTable(connection, "gone"))
})

test_that("names and texts stay names and texts", {
  hostile <- c("a\"; DROP TABLE rows; --", "it's `b` {1}", "\u00e6 column", "\\", "step_1", ".item 1")
  texts <- c("x'); DROP TABLE rows; --", "\"q\" {2} \\", NA)
  data <- data.frame(id = 1:3, rep(list(texts), 6))
  names(data) <- c("id", hostile)
  for (kind in kinds) {
    connection <- if (kind == "PostgreSQL") local_postgres() else local_sqlite()
    name <- DBI::dbQuoteIdentifier(connection, hostile[1])
    DBI::dbWriteTable(connection, hostile[1], data)
    if (kind == "PostgreSQL") DBI::dbExecute(connection, DBI::SQL(paste("ALTER TABLE", name, "ADD PRIMARY KEY (id)")))
    code <- bquote(set_columns(.table, {
      same <- .(as.name(hostile[2])) == .(texts[2])
      either <- .(as.name(hostile[2])) == "{2}" || .(as.name(hostile[3])) == "{1}" || id == 3L
      .(as.name(hostile[1])) <- if (id == 1L) "o'clock" else .(as.name(hostile[4]))
      place <- ranking(.(as.name(hostile[6])), best = "lowest", within = .(as.name(hostile[5])))
    }))
    there <- list(table = open_table(connection, table = hostile[1]), data = data)
    expect_identical(in_both(code, there, bit_by_bit, new.env()), list(pushed = TRUE, same = TRUE))
  }
})

test_that("a key that a table has not is the same error", {
  there <- table_there("SQLite", 20)
  sizes <- c(x = 1, y = 2)
  table <- set_columns(there$table, { size <- look_up(g, sizes) })
  expect_true(is_there(table))
  expect_error(suppressMessages(as.data.frame(table)), class = "rowanroot_unknown_key")
  expect_false(is_there(set_columns(there$table, { size <- look_up(g, c(x = 1, x = 2)) })))
})

test_that("tables that are there are looked up there, and a view follows them", {
  local_folder()
  for (kind in kinds) {
    there <- table_there(kind, 30)
    connection <- there$connection
    sizes <- data.frame(g = c("x", "y", "z", ""), big = c(1.5, NA, 3, 4), at = as.Date("2024-01-01") + 0:3)
    DBI::dbWriteTable(connection, "sizes", sizes)
    sizes_there <- open_table(connection, table = "sizes")
    code <- quote(set_columns(.table, {
      size <- look_up(g, sizes, take = big, unknown = "missing")
      more <- look_up(g, keep_rows(sizes, known(big)), take = big, by = g, unknown = "missing") + 1
    }))
    env <- list2env(list(sizes = sizes_there))
    expect_identical(in_both(code, there, bit_by_bit, env), list(pushed = TRUE, same = TRUE))
    table <- keep_columns(eval(code, list(.table = there$table, sizes = sizes_there)), id, size)
    quietly(save_table(table, connection, table = "seen", as = "view"))
    DBI::dbExecute(connection, "UPDATE sizes SET big = 10 WHERE g = 'x'")
    seen <- as.data.frame(open_table(connection, table = "seen"))
    expect_setequal(seen$size[seen$id %in% there$data$id[there$data$g %in% "x"]], 10)
    unknown <- set_columns(there$table, { size <- look_up(paste0(g, "?"), sizes_there, take = big, by = g) })
    expect_error(suppressMessages(as.data.frame(unknown)), class = "rowanroot_unknown_key")
    DBI::dbAppendTable(connection, "sizes", sizes[1, ])
    twice <- set_columns(there$table, { size <- look_up(g, sizes_there, take = big, unknown = "missing") })
    expect_error(suppressMessages(as.data.frame(twice)), class = "rowanroot_duplicate_key")
  }
})

test_that("what a database can't do as it is done here is done here, and told", {
  there <- table_there("SQLite", 20)
  table <- set_columns(set_columns(there$table, { a <- e * 2 }), { b <- sprintf("%d", j) })
  expect_match(show_steps(table)$where, "Step 1 runs in the database|Step 2 runs here.*sprintf", all = TRUE)
  expect_identical(as.data.frame(table)$b, sprintf("%d", there$data$j))
  table <- set_columns(there$table, { a <- 2147483647L + abs(j) + 1L })
  expect_match(show_steps(table)$where, "Step 1 runs in the database")
  expect_warning(expect_message(as.data.frame(table), "can't do this in", class = "rowanroot_calculated_here"),
                 class = "rowanroot_overflow")
  expect_error(in_sql(there$data), class = "rowanroot_not_a_table")
  expect_error(in_sql(open_table(there$data)), class = "rowanroot_not_in_database")
  expect_output(print(in_sql(keep_rows(there$table, j > 0L))), "WHERE", fixed = TRUE)
})

test_that("nothing is fetched when a table of a database is opened, peeked at or asked for its size", {
  for (kind in kinds) {
    there <- table_there(kind, 60)
    table <- keep_rows(open_table(there$connection, table = "rows"), !is.na(j))
    kept <- there$data[!is.na(there$data$j), ]
    expect_identical(dim(table), c(nrow(kept), ncol(kept)))
    expect_identical(head(table, 3)$id, head(kept$id, 3))
    view <- peek(table, rows = 2)
    expect_equal(view$columns$missing, unname(vapply(kept, function(column) sum(is.na(column)), 0)))
    expect_identical(view$rows, as.numeric(nrow(kept)))
    expect_null(rooted(table)$source$cache$data)
    expect_null(rooted(table)$cache$data)
    # A summary of some columns fetches these.
    expect_equal(as.data.frame(column_summary(table, e, g)), as.data.frame(column_summary(kept, e, g)))
    expect_named(rooted(rooted(current_table(table, NULL))$cache$pushed$table)$source$cache$data, c("e", "g"))
  }
})

test_that("an output is up to date as long as the table there is the same, in whatever order", {
  local_folder()
  connection <- local_postgres()
  data <- data.frame(id = 1:5, kg = c(3, 1, 2, NA, 5))
  DBI::dbWriteTable(connection, "visits", data)
  save <- function(...) {
    table <- set_columns(open_table(connection, table = "visits", ...), { lb <- kg * 2.2 })
    testthat::capture_messages(save_table(table, "out.csv"))
  }
  expect_match(save(), "made", all = FALSE)
  expect_length(grep("made", save()), 0)
  DBI::dbExecute(connection, "DELETE FROM visits WHERE id = 2")
  DBI::dbExecute(connection, "INSERT INTO visits VALUES (2, 1)")
  expect_length(grep("made", save()), 0)
  DBI::dbExecute(connection, "UPDATE visits SET kg = 4 WHERE id = 4")
  expect_match(save(), "made", all = FALSE)
  sign <- "SELECT max(id) FROM visits"
  expect_match(save(changes_with = sign), "made", all = FALSE)
  DBI::dbExecute(connection, "UPDATE visits SET kg = 7 WHERE id = 4")
  expect_length(grep("made", save(changes_with = sign)), 0)
  DBI::dbExecute(connection, "INSERT INTO visits VALUES (6, 1)")
  expect_match(save(changes_with = sign), "made", all = FALSE)
  expect_error(save(changes_with = "SELECT * FROM visits"), class = "rowanroot_bad_argument")
  expect_error(open_table("out.csv", changes_with = sign), class = "rowanroot_bad_argument")
})

test_that("a table of SQLite is only fetched again if its file changed, or a transaction is open", {
  local_folder()
  connection <- local_sqlite()
  DBI::dbWriteTable(connection, "visits", data.frame(id = 1:5, kg = c(3, 1, 2, NA, 5)))
  fetched <- function() {
    source <- rooted(open_table(connection, table = "visits"))$source
    hash <- source_parts(source, NULL)$hash
    list(hash = hash, is_fetched = !is.null(source$cache$data))
  }
  Sys.sleep(0.1)
  first <- fetched()
  expect_true(first$is_fetched)
  expect_identical(fetched(), list(hash = first$hash, is_fetched = FALSE))
  other <- DBI::dbConnect(RSQLite::SQLite(), connection@dbname)
  withr::defer(DBI::dbDisconnect(other))
  DBI::dbExecute(other, "UPDATE visits SET kg = 7 WHERE id = 1")
  second <- fetched()
  expect_true(second$is_fetched && second$hash != first$hash)
  DBI::dbBegin(connection)
  DBI::dbExecute(connection, "UPDATE visits SET kg = 3 WHERE id = 1")
  expect_identical(fetched(), first)
  DBI::dbRollback(connection)
  expect_identical(fetched(), list(hash = second$hash, is_fetched = FALSE))
  DBI::dbExecute(connection, "CREATE TEMP TABLE visits AS SELECT * FROM main.visits WHERE id < 3")
  expect_true(fetched()$is_fetched && fetched()$hash != second$hash)
})

test_that("the demo's output is byte for byte the same from files, SQLite, PostgreSQL and two servers", {
  local_folder()
  suppressMessages(make_demo("bees"))
  setwd("bees")
  quietly(run_script("yield.R"))
  bytes <- function() readBin("out/yield.csv", "raw", 1e7)
  from_files <- bytes()
  visits <- as.data.frame(open_table("visits/*.csv"))
  visits <- cbind(visit = seq_len(nrow(visits)), visits)
  for (kind in c(kinds, "two servers")) {
    if (kind == "two servers") {
      connection <- local_servers(visits, "hive_code")
      DBI::dbExecute(connection, "ALTER TABLE rows RENAME TO visits")
    } else {
      connection <- if (kind == "PostgreSQL") local_postgres() else local_sqlite()
      DBI::dbWriteTable(connection, "visits", visits)
    }
    if (kind == "PostgreSQL") DBI::dbExecute(connection, "ALTER TABLE visits ADD PRIMARY KEY (visit)")
    source <- "open_table(connection, table = \"visits\") |> drop_columns(visit)"
    script <- sub("open_table(\"visits/*.csv\")", source, readLines("yield.R", encoding = "UTF-8"), fixed = TRUE)
    unlink(c("out", ".rowanroot"), recursive = TRUE)
    suppressMessages(eval(parse(text = script), list2env(list(connection = connection), parent = globalenv())))
    expect_identical(bytes(), from_files)
  }
})

test_that("an output of a table in the same database is written there, and is what it is from here", {
  local_folder()
  there <- table_there("PostgreSQL", 60)
  save <- function(code, name) {
    table <- eval(code, list(.table = there$table))
    suppressMessages(save_table(table, there$connection, table = name))
    as.data.frame(open_table(there$connection, table = name))
  }
  code <- quote(set_columns(keep_columns(.table, id, e, g, day, l, j), {
    place <- ranking(e, best = "highest", within = g)
    big <- if (e > 0) "yes" else "no"
    k <- j * 2L
  }))
  found <- save(code, "from_there")
  withr::local_options(rowanroot.in_database = FALSE)
  from_here <- save(code, "from_here")
  by_id <- function(data) data[order(data$id), ]
  expect_identical(by_id(found), by_id(from_here), ignore_attr = "row.names")
  types <- function(name) table_about(there$connection, name)$columns
  expect_identical(types("from_there"), types("from_here"))
  withr::local_options(rowanroot.in_database = NULL)
  # What can't be held is refused as from here, and the table stays.
  nan <- quote(set_columns(.table, { z <- e * 0 / 0 }))
  expect_error(save(nan, "from_there"), class = "rowanroot_cannot_write")
  expect_identical(by_id(as.data.frame(open_table(there$connection, table = "from_there"))), by_id(found))
})

# A connection of its own to the same server.
another_connection <- function(connection, user = DBI::dbGetInfo(connection)$username, ..., env = parent.frame()) {
  other <- DBI::dbConnect(RPostgres::Postgres(), host = DBI::dbGetInfo(connection)$host, user = user,
                          dbname = "postgres", ...)
  withr::defer(DBI::dbDisconnect(other), env)
  other
}

test_that("what is checked is what is calculated, whatever others write meanwhile", {
  local_folder()
  one <- local_postgres()
  other <- another_connection(one)
  DBI::dbExecute(one, "CREATE TABLE visits AS SELECT n AS id, n::float8 AS kg FROM generate_series(1, 50) AS n")
  # Between the check and the statement.
  meanwhile <- function() DBI::dbExecute(other, "INSERT INTO visits VALUES (99, -1)")
  suppressMessages(trace("check_in_database", exit = bquote(.(meanwhile)()), print = FALSE,
                         where = asNamespace("rowanroot")))
  withr::defer(suppressMessages(untrace("check_in_database", where = asNamespace("rowanroot"))))
  checked <- open_table(one, table = "visits") |> must_hold(kg > 0) |> set_columns({ half <- kg / 2 })
  quietly(save_table(checked, one, table = "halves"))
  expect_identical(DBI::dbReadTable(one, "halves")$half, 1:50 / 2)
  expect_identical(nrow(DBI::dbReadTable(other, "visits")), 51L)
  expect_error(dim(checked), class = "rowanroot_broken_condition")
  DBI::dbExecute(one, "DELETE FROM visits WHERE kg < 0")
  expect_identical(dim(checked), c(50L, 3L))
  # Nothing is left locked or begun.
  expect_identical(nrow(DBI::dbGetQuery(one, "SELECT 1 FROM pg_locks WHERE locktype = 'advisory'")), 0L)
  expect_identical(DBI::dbWithTransaction(one, 1), 1)
})

test_that("a user who may only read can do all but outputs", {
  local_folder()
  there <- table_there("PostgreSQL", 30)
  DBI::dbExecute(there$connection, "CREATE ROLE reader LOGIN")
  DBI::dbExecute(there$connection, "GRANT SELECT ON rows TO reader")
  reader <- another_connection(there$connection, "reader")
  table <- open_table(reader, table = "rows") |>
    keep_columns(id, e, j) |>
    set_columns({ half <- e / 2; place <- ranking(j, best = "highest") })
  expect_identical(nrow(as.data.frame(table)), 30L)
  expect_identical(peek(table)$rows, 30)
  suppressMessages(save_table(table, "half.csv"))
  expect_error(suppressMessages(save_table(table, reader, table = "half")), "permission denied",
               class = "rowanroot_database")
  DBI::dbExecute(there$connection, "REVOKE SELECT ON rows FROM reader")
  expect_error(suppressMessages(as.data.frame(table)), "permission denied", class = "rowanroot_database")
})

test_that("a timeout and a server that goes away are errors, and no table is lost", {
  local_folder()
  there <- table_there("PostgreSQL", 30)
  own <- another_connection(there$connection)
  DBI::dbExecute(there$connection, "CREATE VIEW slow AS SELECT id, e, pg_sleep(0.2) IS NULL AS l FROM rows")
  table <- set_columns(open_table(own, table = "slow", changes_with = "SELECT 1"), { half <- e / 2 })
  save <- function() suppressMessages(save_table(table, own, table = "half"))
  DBI::dbExecute(own, "SET statement_timeout = '300ms'")
  expect_error(save(), "statement timeout", class = "rowanroot_database")
  expect_false(DBI::dbExistsTable(there$connection, "half"))
  pid <- DBI::dbGetQuery(own, "SELECT pg_backend_pid() AS pid")$pid
  DBI::dbGetQuery(there$connection, "SELECT pg_terminate_backend($1)", params = list(pid))
  expect_error(suppressMessages(as.data.frame(table)), class = "rowanroot_database")
})

test_that("an interrupt stops the statement on the server within a second", {
  folder <- local_folder()
  connection <- local_postgres()
  DBI::dbExecute(connection, "CREATE TABLE rows (id int PRIMARY KEY)")
  DBI::dbExecute(connection, "INSERT INTO rows SELECT generate_series(1, 1000)")
  DBI::dbExecute(connection, "CREATE VIEW slow AS SELECT id, pg_sleep(0.1) IS NULL AS l FROM rows")
  about <- DBI::dbGetInfo(connection)
  for (how in c("as.data.frame(table)", "save_table(table, connection, table = \"out\")")) {
    writeLines(c(
      sprintf(".libPaths(c(%s))", paste(deparse(.libPaths()), collapse = "")), "library(rowanroot)",
      sprintf("connection <- DBI::dbConnect(RPostgres::Postgres(), host = %s, user = %s, dbname = \"postgres\",",
              deparse(about$host), deparse(about$username)), "check_interrupts = TRUE)",
      "table <- open_table(connection, table = \"slow\", changes_with = \"SELECT 1\")",
      "cat(Sys.getpid(), file = \"pid\")", "started <- Sys.time()",
      paste("found <- tryCatch(", how, ", interrupt = function(i) \"stopped\")"), "cat(found, file = \"found\")"
    ), "interrupted.R")
    unlink(c("pid", "found"))
    system2(file.path(R.home("bin"), "Rscript"), "interrupted.R", wait = FALSE, stdout = FALSE, stderr = "said")
    # Statements of clients alone: the server's own workers are active, too, when they like.
    running <- paste("SELECT count(*)::int AS n FROM pg_stat_activity WHERE state = 'active'",
                     "AND pid <> pg_backend_pid() AND backend_type = 'client backend' AND query LIKE '%slow%'")
    wait_for <- function(code, seconds) {
      code_is_true <- function() isTRUE(suppressWarnings(tryCatch(code(), error = function(e) FALSE)))
      until <- Sys.time() + seconds
      while (!code_is_true() && Sys.time() < until) Sys.sleep(0.05)
      code_is_true()
    }
    expect_true(wait_for(function() file.exists("pid") && DBI::dbGetQuery(connection, running)$n >= 1, 30),
                info = paste(readLines("said"), collapse = "\n"))
    Sys.sleep(0.5)
    tools::pskill(as.integer(readLines("pid", warn = FALSE)), tools::SIGINT)
    expect_true(wait_for(function() DBI::dbGetQuery(connection, running)$n == 0, 2))
    expect_true(wait_for(function() identical(readLines("found", warn = FALSE), "stopped"), 5),
                info = paste(readLines("said"), collapse = "\n"))
  }
  expect_false(DBI::dbExistsTable(connection, "out"))
})

test_that("names that a server takes for others, and texts that it takes for equal, change nothing", {
  long <- strrep("a_long_name_", 6)
  for (kind in kinds) {
    there <- table_there(kind, 30)
    code <- bquote(keep_columns(set_columns(.table, {
      J <- j * 10L
      .(as.name(paste0(long, "1"))) <- J + j
      .(as.name(paste0(long, "2"))) <- .(as.name(paste0(long, "1"))) - J
      E <- -e
      G <- ranking(E, best = "highest", within = g)
    }), id, j, J, E, G, .(as.name(paste0(long, "2")))))
    expect_identical(in_both(code, there, bit_by_bit, new.env()), list(pushed = TRUE, same = TRUE))
  }
  connection <- local_sqlite()
  DBI::dbExecute(connection, "CREATE TABLE names (hive TEXT COLLATE NOCASE, kg REAL)")
  DBI::dbExecute(connection, "INSERT INTO names VALUES ('a', 1), ('A', 2)")
  table <- one_row_per(open_table(connection, table = "names"), hive, { kg <- sum(kg) })
  expect_identical(as.data.frame(table), data.frame(hive = c("a", "A"), kg = c(1, 2)))
})
