# Columns whose texts are made only when they are looked at: codes, pieces, written and joined texts.
deferred_strings <- function(rows = 1500) {
  set.seed(31)
  data <- data.frame(code = paste0(sample(c("NB", "SH", "OM"), rows, TRUE), "-", sample(9, rows, TRUE)),
                     id = sprintf("%06d \u00e9-x", sample(1e6, rows)))
  data$code[5] <- data$id[7] <- NA
  made <- set_columns(data, {
    c(coded, number) <- split_text(code, "-")
    c(cut, end) <- split_text(id, "-")
    written <- toupper(id)
    joined <- join_text(id, code)
  }, carry = c())
  list(data = data, columns = as.list(made)[c("coded", "cut", "written", "joined")])
}

plain_texts <- function(data) {
  list(coded = sub("-.*", "", data$code), cut = sub("-.*", "", data$id), written = toupper(data$id),
       joined = ifelse(is.na(data$id) | is.na(data$code), NA, paste(data$id, data$code)))
}

test_that("R sees ordinary texts, however it looks", {
  plain <- plain_texts(deferred_strings()$data)
  fresh <- function(name) deferred_strings()$columns[[name]]
  for (name in names(plain)) {
    x <- plain[[name]]
    expect_identical(fresh(name), x)
    expect_match(capture.output(.Internal(inspect(fresh(name))))[1], "_texts of rowanroot, not made")
    looks <- list(identity, rev, sort, order, unique, nchar, is.na, toupper, factor,
                  function(x) x[c(3, NA, 1, 2000)], function(x) x[-1], function(x) x[c(TRUE, FALSE)],
                  function(x) x[0], function(x) c(x, "end"), function(x) match("OM", x), function(x) rep(x, 2),
                    function(x) head(x, 3), function(x) x == "NB",
                  function(x) unserialize(serialize(x, NULL)), function(x) vapply(x, identity, ""),
                    function(x) as.vector(as.matrix(data.frame(x))),
                  function(x) { names(x) <- seq_along(x); x["4"] }, function(x) { x[2] <- "new"; x },
                    function(x) { x[[2000]] <- "far"; x })
    for (look in looks) expect_identical(look(fresh(name)), look(x), info = paste(name, deparse1(look)))
  }
})

test_that("to write to a copy leaves the column as it is", {
  late <- deferred_strings()
  for (name in names(late$columns)) {
    x <- late$columns[[name]]
    before <- x[1:3]
    y <- x
    y[1:3] <- c("p", NA, "q")
    expect_identical(x[1:3], before)
    expect_identical(y[1:4], c("p", NA, "q", x[4]))
  }
})

test_that("they are saved, and go through the table's verbs", {
  late <- deferred_strings()
  plain <- plain_texts(late$data)
  table <- structure(late$columns, row.names = .set_row_names(1500), class = "data.frame")
  file <- withr::local_tempfile()
  saveRDS(table, file)
  expect_identical(as.list(readRDS(file)), plain)
  kept <- set_columns(table, { label <- if (coded == "NB") "north" else coded }) |> keep_rows(coded != "SH") |>
    sort_rows(descending(coded), cut)
  expected <- as.data.frame(plain)
  expected$label <- ifelse(expected$coded == "NB", "north", expected$coded)
  expected <- expected[which(expected$coded != "SH"), ]
  expected <- expected[order(expected$coded, expected$cut, decreasing = c(TRUE, FALSE), method = "radix"), ]
  expect_identical(as.list(kept), as.list(expected))
})

test_that("they are written to a file as they are", {
  local_folder()
  late <- deferred_strings()
  plain <- plain_texts(late$data)
  quietly(save_table(structure(late$columns, row.names = 1:1500, class = "data.frame"), "late.csv"))
  quietly(save_table(data.frame(coded = factor(plain$coded), plain[-1]), "plain.csv"))
  expect_identical(readLines("late.csv"), readLines("plain.csv"))
  for (x in late$columns) expect_match(capture.output(.Internal(inspect(x)))[1], "not made")
})

test_that("R's collector may come at any time", {
  late <- deferred_strings(1100)
  gctorture2(11)
  looked <- lapply(late$columns, function(x) { y <- x[1:40]; y[2] <- "b"; list(x[41:44], y, paste(x)[1:2], rev(x)[1]) })
  gctorture2(0)
  plain <- lapply(plain_texts(late$data), function(x) { y <- x[1:40]; y[2] <- "b";
                                                        list(x[41:44], y, paste(x)[1:2], rev(x)[1]) })
  expect_identical(looked, plain)
})

test_that("words of texts take texts that are yet to be made as they are, and pieces of pieces too", {
  local_folder()
  set.seed(8)
  n <- 150000
  notes <- paste0(sample(c("Queen, seen ", "brood\u00e9-", "", " calm\u20ac "), n, TRUE),
                  sprintf("%d-x", sample(1e7, n)))
  notes[sample(n, 900)] <- NA
  quietly(save_table(data.frame(note = notes), "notes.csv"))
  read <- function() as.data.frame(open_table("notes.csv"))$note
  words <- list(
    upper = function(x) toupper(x), size = function(x) nchar(x), part = function(x) substr(x, 2, 7),
    trimmed = function(x) trimws(x), changed = function(x) gsub("e", "_", x, fixed = TRUE),
    begins = function(x) startsWith(x, "Queen"), has = function(x) grepl("calm", x, fixed = TRUE),
    twice = function(x) substr(substr(x, 2, 9), 3, 5), upper_part = function(x) substr(toupper(x), 3, 8)
  )
  for (name in names(words)) {
    word <- words[[name]]
    note <- read()
    x <- set_columns(data.frame(note = note), { found <- word(note) })
    expect_true(are_deferred_cpp(note), info = name)
    rm(note)
    gc()
    expect_identical(x$found, set_columns(data.frame(note = notes), { found <- word(note) })$found, info = name)
    expect_identical(x$note, notes, info = name)
  }
  split <- function(x) {
    set_columns(data.frame(note = x), { c(a, b) <- split_text(note, at = "-", short = "missing", long = "drop") })
  }
  expect_identical(split(read()), split(notes))
  # What is written to the column later changes none of its pieces.
  note <- read()
  part <- set_columns(data.frame(note = note), { part <- substr(note, 1, 3) })$part
  note[1:10] <- "other"
  expect_identical(part, substr(notes, 1, 3))
})

test_that("texts that have codes are grouped by these as the same strings are", {
  withr::local_seed(31)
  latin <- iconv("M\u00fcller", "UTF-8", "latin1")
  for (texts in list(c("a", "b", "c"), c("a", "b", "a"), c("a", NA, "b", NA), c("M\u00fcller", latin, "a"))) {
    codes <- sample(c(seq_along(texts), NA), 500, TRUE)
    other <- sample(c(1:3, NA), 500, TRUE)
    for (columns in list(list(codes), list(codes, other), list(other, codes), list(codes, rev(codes)))) {
      as_texts <- function(make) lapply(columns, function(x) if (identical(x, other)) x else make(x))
      plain <- group_rows_cpp(as_texts(function(x) texts[x]), 500, 2L)
      coded <- group_rows_cpp(as_texts(function(x) coded_texts_cpp(x, texts)), 500, 2L)
      expect_identical(coded, plain)
    }
  }
})
