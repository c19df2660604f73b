sortable <- function(n) {
  set.seed(n)
  pick <- function(values) sample(values, n, replace = TRUE)
  data <- data.frame(d = pick(c(NA, NaN, Inf, -0, 0, 1.5, stats::rnorm(20))), i = pick(c(NA, -3:3)),
                     s = pick(c("b", "B", "\u00e6", NA, "", "ab")),
                     l = pick(c(TRUE, NA, FALSE)), day = as.Date("2025-01-01") + pick(c(NA, 0:3)),
                       kind = factor(pick(c("low", "high")), c("low", "high")),
                     row = seq_len(n))
  data$id <- bit64::as.integer64(pick(c("9223372036854775807", "-1", "0", "4611686018427387904")))
  data
}

numbers <- function(x) if (is.character(x)) match(x, sort(unique(x), method = "radix")) else if (inherits(x,
    "integer64")) rank(match(as.character(x), c("-1", "0", "4611686018427387904",
                                                "9223372036854775807"))) else as.numeric(x)

test_that("rows are in the order that R's radix order gives, for columns of every type and several", {
  for (n in c(0, 1, 2, 300, 9000)) {
    data <- sortable(n)
    for (by in list("d", "s", c("l", "d"), c("kind", "s", "d"), c("day", "i", "d", "s"), c("id", "d"),
                    c("d", "id", "i"))) for (missing in c("last", "first")) {
      down <- sample(c(TRUE, FALSE), length(by), TRUE)
      keys <- Map(function(x, down) if (down) -numbers(x) else numbers(x), unclass(data)[by], down)
      expected <- if (n) do.call(order, c(unname(keys), method = "radix", na.last = missing == "last")) else integer()
      code <- lapply(seq_along(by), function(k) if (down[k]) call("descending", as.name(by[k])) else as.name(by[k]))
      found <- eval(as.call(c(quote(sort_rows), quote(data), code, missing = missing)))
      info <- paste(n, deparse1(code), missing)
      expect_identical(found$row, data$row[expected], info = info)
      expect_identical(found$s, data$s[expected], info = info)
    }
  }
})

test_that("sorting keeps class, row names and columns of all sorts", {
  data <- structure(data.frame(x = c(3, 1, 2), row.names = c("a", "b", "c")), class = c("visits", "data.frame"))
  data$list <- list(1, "two", NULL)
  data$m <- matrix(1:6, 3)
  found <- sort_rows(data, x)
  expect_s3_class(found, "visits")
  expect_identical(row.names(found), c("b", "c", "a"))
  expect_identical(found$m[, 1], c(2L, 3L, 1L))
  expect_identical(found$list[[3]], 1)
  expect_identical(data$x, c(3, 1, 2))
})

test_that("top and bottom rows are those of a sorted table, overall and per group", {
  for (n in c(0, 1, 50, 5000)) {
    data <- sortable(n)
    for (by in list("d", c("i", "d"), "s")) for (count in c(0, 1, 3, n + 1)) for (within in list(NULL, "l",
        c("l", "s"))) for (ties in c("keep", "cut")) for (verb in c("top_rows", "bottom_rows")) {
      keys <- lapply(data[by], function(x) if (verb == "top_rows") -numbers(x) else numbers(x))
      sorted <- if (n) do.call(order, c(unname(keys), method = "radix")) else integer()
      sorted <- sorted[!is.na(keys[[1]][sorted])]
      group <- if (length(within)) do.call(paste, data[within]) else rep("", n)
      text <- do.call(paste, c(keys, list("")))
      expected <- unlist(lapply(unique(group), function(g) {
        rows <- sorted[group[sorted] == g]
        last <- rows[min(count, length(rows))]
        kept <- utils::head(rows, count)
        if (ties == "keep" && count > 0 && length(rows) > count) {
          kept <- c(kept, setdiff(rows[text[rows] == text[last]], kept))
        }
        kept
      }))
      code <- as.call(c(as.name(verb), quote(data), count, by = as.call(c(quote(c), lapply(by, as.name))),
                        if (length(within)) list(within = as.call(c(quote(c), lapply(within, as.name)))), ties = ties))
      expect_identical(eval(code)$row, data$row[expected], info = paste(n, deparse1(code)))
    }
  }
})

test_that("sorted and top rows of a rooted table follow its files", {
  local_project()
  visits <- open_table("visits/*.csv")
  heaviest <- visits |> sort_rows(descending(gross_kg)) |> top_rows(1, by = tare_kg)
  expect_identical(quietly(as.data.frame(heaviest))$hive, "NB-02")
  write_text(c("hive,gross_kg,tare_kg", "SH-01,20,7", "SH-02,,6.1"), "visits/2025-02.csv")
  expect_identical(quietly(as.data.frame(heaviest))$hive, "SH-01")
})

test_that("mistakes in sorting are reported with the way out", {
  data <- data.frame(net_kg = c(3, 1), hive = c("a", "b"))
  data$list <- list(1, 2)
  expect_snapshot(error = TRUE, {
    sort_rows(data)
    sort_rows(data, net_gk)
    sort_rows(data, -net_kg)
    sort_rows(data, net_kg, descending = TRUE)
    sort_rows(data, list)
    sort_rows(data, net_kg, missing = "frist")
    top_rows(data, by = net_kg)
    top_rows(data, 3)
    top_rows(data, -1, by = net_kg)
    top_rows(data, 1, by = descending(net_kg))
    top_rows(data, 1, by = net_kg, ties = "both")
  })
})
