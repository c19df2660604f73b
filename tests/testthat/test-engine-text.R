# Texts of all sorts, as they come in files.
random_texts <- function(rows, different) {
  signs <- c("a", "B", "z", " ", "\t", "-", "0", "\u00e9", "\u00df", "\u0416", "\u5b57", "\U0001F41D", "e\u0301",
             "\u05d0")
  texts <- replicate(different, paste(sample(signs, sample(0:7, 1), TRUE), collapse = ""))
  sample(c(texts, NA), rows, TRUE)
}

test_that("R's words for texts give what R gives, on few different texts and on many", {
  set.seed(21)
  latin <- "caf\xe9 B"
  Encoding(latin) <- "latin1"
  for (different in c(20, 5000)) {
    data <- data.frame(x = random_texts(4000, different), n = sample(5, 4000, TRUE))
    for (x in list(data$x, data$x[1:30], data$x[0], c(data$x, latin))) for (formula in expression(
      toupper(x), tolower(x), nchar(x), nchar(x, "bytes"), substr(x, 2, 4), substr(x, -1, 2.7), substr(x, 3, 1),
        substring(x, 2), substring(x, 0, 3), trimws(x),
      trimws(x, "left"), trimws(x, which = "right"), startsWith(x, "a"), endsWith(x, "\u00e9"), startsWith(x, ""),
        grepl("\u0416", x), grepl("a.", x, fixed = TRUE),
      grepl("[a-z]0", x), sub("a", "<>", x), gsub("\u00e9", "", x), gsub("a", "aa", x, fixed = TRUE),
        sub("(a)", "\\1!", x), gsub("-", "\\", x, fixed = TRUE),
      sub("A", "q", x, ignore.case = TRUE), paste(x, "k"), paste0(x, collapse = "+")
    )) {
      found <- eval(bquote(set_columns(data.frame(x), { new <- .(formula) })))$new
      expected <- rep_len(eval(formula), length(x))
      expect_identical(found, expected, info = paste(deparse1(formula), length(x)))
    }
  }
})

test_that("functions of several columns see each combination once, or all rows", {
  set.seed(22)
  data <- data.frame(a = random_texts(3000, 8), k = sample(c(1.5, NA, -2), 3000, TRUE), day = as.Date("2025-01-30") +
                     sample(0:3, 3000, TRUE), all = sprintf("%05d", 1:3000))
  found <- set_columns(data, {
    b <- paste(a, k, day)
    c <- sprintf("%s has %.1f", a, k)
    d <- paste0(all, a)
    e <- as.character(day)
    f <- months(day)
  })
  expect_identical(found$b, paste(data$a, data$k, data$day))
  expect_identical(found$c, sprintf("%s has %.1f", data$a, data$k))
  expect_identical(found$d, paste0(data$all, data$a))
  expect_identical(found$e, as.character(data$day))
  expect_identical(found$f, months(data$day))
})

test_that("arguments that R refuses are refused in R's words, and any type can be pasted", {
  data <- data.frame(x = rep(c("a", "b"), 1000), z = rep(c(1i, 2), 1000))
  data$r <- as.raw(rep(1:2, 1000))
  expect_error(set_columns(data, { new <- substr(x, 2) }), "stop", class = "rowanroot_formula_failed")
  expect_error(set_columns(data, { new <- toupper(x, 2) }), "unused", class = "rowanroot_formula_failed")
  expect_identical(set_columns(data, { new <- paste(x, z, r) })$new, paste(data$x, data$z, data$r))
  expect_identical(set_columns(data, { new <- join_text(x, r) })$new, paste(data$x, data$r))
})

test_that("text that is not UTF-8 is refused with its row, Latin-1 is translated", {
  data <- data.frame(x = c("a", "a", "\xff"), y = c("a", "\u00e9", "b"))
  expect_error(set_columns(data, { new <- toupper(x) }), "row 3", class = "rowanroot_bad_text")
  expect_error(set_columns(data, { new <- nchar(x) }), "row 3", class = "rowanroot_bad_text")
  expect_identical(set_columns(data, { new <- nchar(x, type = "bytes") })$new, c(1L, 1L, 1L))
  latin <- data
  latin$y <- iconv(data$y, "UTF-8", "latin1")
  expect_identical(set_columns(latin, { new <- toupper(y) })$new, c("A", "\u00c9", "B"))
})

test_that("texts of which many combinations come are pasted once for each, if the columns say that these are few", {
  local_folder()
  set.seed(12)
  n <- 60000
  data <- data.frame(apiary = sample(c("NB", "SH", NA), n, TRUE), hive = sprintf("%04d", sample(9000, n, TRUE)))
  quietly(save_table(data, "visits.csv"))
  read <- as.data.frame(open_table("visits.csv"))
  expect_gt(length(unique(paste(data$apiary, data$hive)[1:20000])), 10000)
  expect_false(is.null(rowanroot:::few_combinations(as.list(read), n, NULL)))
  expect_identical(set_columns(read, { hive <- paste0(apiary, "/", hive) })$hive, paste0(data$apiary, "/", data$hive))
})
