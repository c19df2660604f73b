data <- data.frame(temp = c(20, 30), s = c("a", "b"), t = c("x", "y"))

message_of <- function(code) gsub("\\s+", " ", conditionMessage(expect_error(code, class = "rowanroot_error")))

test_that("messages name what the user typed and a way out that works", {
  expect_match(message_of(data |> must_hold("x" = temp > 0)), "is the table argument of `must_hold()`",
               fixed = TRUE)
  expect_match(message_of(data |> set_columns(x = temp * 2)), "set_columns({ x <- temp * 2 })", fixed = TRUE)
  expect_match(message_of(set_columns(visists, { a <- 1 })), "no object `visists`", fixed = TRUE)
  expect_match(message_of(set_columns(data, { temp[-1] <- 5 })), "[.row != 1]", fixed = TRUE)
  expect_match(message_of(set_columns(data, { temp[2] <- 5 })), "[.row == 2]", fixed = TRUE)
  expect_match(message_of(set_columns(data, { a <- s + t })), "join_text(s, t)", fixed = TRUE)
  expect_match(message_of(set_columns(data, { a <- s + 1 })), "as_number()", fixed = TRUE)
  expect_no_match(message_of(set_columns(data, { c(p) <- split_text(s, "-", type = "number") })),
                  "unreadable = \"missing\"`\\.|thousands")
  expect_match(message_of(keep_rows(data, temp)), "`temp > 0`", fixed = TRUE)
  expect_match(message_of(set_columns(data, { })), "has no lines", fixed = TRUE)
  expect_match(message_of(set_columns(data, { a[] <- 0L })), "`a <- ", fixed = TRUE)
})

test_that("a variable that does not name columns differs from a column that is not there", {
  chosen <- function(data, names) keep_columns(data, names)
  expect_identical(names(chosen(data, c("s", "t"))), c("s", "t"))
  expect_match(message_of(chosen(data, 1:2)), "`names` in the script is 2 whole numbers", fixed = TRUE)
  expect_match(message_of(keep_columns(data, names)), "a function, not names of columns", fixed = TRUE)
})

test_that("messages about files say where", {
  local_folder()
  write_text(c("a;b", "1;2"), "semicolons.csv")
  expect_match(message_of(set_columns(open_table("semicolons.csv"), { c <- a + 1 })), "Is the separator `\";\"`",
               fixed = TRUE)
  write_text(c("w,g", "1,2", "n/a,3", "5,6"), "t.csv")
  weighed <- open_table("t.csv") |> set_columns({ heavy <- w > 3 })
  expect_match(message_of(as.data.frame(weighed)), "\"n/a\", in t.csv, line 3", fixed = TRUE)
  expect_match(message_of(quietly(save_table(weighed, "o.csv"))), "line 3", fixed = TRUE)
  error <- expect_error(print(weighed))
  expect_null(conditionCall(error))
})

test_that("an output that is stale for an option's sake says so, and nobody asked who did not", {
  local_folder()
  write_text(c("a,b", "1,2"), "in.csv")
  script <- "rowanroot::save_table(rowanroot::open_table('in.csv'), 'out.csv')"
  write_text(script, "a.R")
  quietly(run_script("a.R"))
  write_text(sub("'in.csv'", "'in.csv', missing = '2'", script), "a.R")
  expect_identical(script_status("a.R")$why, "how the input is read changed")
  write_text(sub("'out.csv'", "'out.csv', guard_formulas = TRUE", script), "a.R")
  expect_identical(script_status("a.R")$why, "guard_formulas changed")
  write_text(script, "a.R")
  unlink(".rowanroot", recursive = TRUE)
  expect_identical(quietly(run_script("a.R"))$why, "it was not made by rowanroot")
  expect_identical(quietly(run_script("a.R", force = TRUE))$why, "asked for")
})

test_that("a summary shows whole numbers as they are", {
  shown <- paste(utils::capture.output(print(column_summary(data.frame(n = c(11111103L, 22222207L, 5L))))),
                 collapse = "\n")
  expect_match(shown, "11,111,103", fixed = TRUE)
  expect_match(shown, "22,222,207", fixed = TRUE)
})

test_that("tables whose only column has the name of a function are put below each other", {
  for (name in c("c", "sum", "names", "length")) {
    one <- stats::setNames(data.frame(1:2), name)
    expect_identical(append_rows(one, one)[[name]], c(1:2, 1:2))
  }
})

test_that("64-bit keys below zero are found", {
  k <- bit64::as.integer64(c(-1, 2, -3, NA))
  table <- data.frame(k = bit64::as.integer64(c(-3, -1, 2)), v = c("three", "one", "two"))
  expect_identical(set_columns(data.frame(k = k), { v <- look_up(k, table, by = "k", take = v,
                                                                 unknown = "missing") })$v,
                   c("one", "two", "three", NA))
})

test_that("numbers are not quietly made texts", {
  for (formula in expression(pmin(temp, "a"), pmax(s, 3, na.rm = TRUE), row_max(temp, s, missing = "skip"), temp %in%
                             c("20", "30"), s %in% 1:3)) {
    expect_error(eval(bquote(set_columns(data, { a <- .(formula) }))), class = "rowanroot_type_mismatch",
                 info = deparse1(formula))
  }
  expect_identical(set_columns(data, { a <- s %in% NA; b <- temp %in% c(20, NA) })[c("a", "b")],
                   data.frame(a = c(FALSE, FALSE), b = c(TRUE, FALSE)))
})

test_that("the range of whole numbers may be too large for one", {
  x <- c(-2147483647L, 0L, 2147483647L)
  expect_silent(found <- set_columns(data.frame(x), { m <- min_max(x) }))
  expect_equal(found$m, c(0, 0.5, 1))
})

test_that("an if whose branches are the same is missing where its condition is", {
  same <- function(l, x) if (l) x else x
  returns <- function(l, x) { if (l) return(x); x }
  known <- data.frame(l = c(TRUE, NA, FALSE), x = 1:3)
  expect_identical(set_columns(known, { a <- same(l, x); b <- returns(l, x);
                                        c <- if (l) x else x })[c("a", "b", "c")],
                   data.frame(a = c(1L, NA, 3L), b = c(1L, NA, 3L), c = c(1L, NA, 3L)))
})

test_that("functions of spreadsheets and SQL name what to write here, and that exists", {
  for (code in rowanroot:::functions_elsewhere) {
    called <- setdiff(all.names(str2lang(code)), all.vars(str2lang(code)))
    expect_true(all(vapply(called, exists, NA, envir = asNamespace("rowanroot"), mode = "function")), info = code)
  }
  expect_match(message_of(set_columns(data, { a <- IF(temp > 20, 1, 2) })), "`if (condition) a else b`", fixed = TRUE)
  expect_match(message_of(set_columns(data, { a <- VLOOKUP(s, t) })), "look_up(", fixed = TRUE)
  expect_match(message_of(set_columns(data, { a <- LAG(temp) })), "`previous(x)`", fixed = TRUE)
})

test_that("an error of another package keeps its words, and none of its fields", {
  local_folder()
  fields <- "list(message = 'no bees', call = NULL, kind = 1, class = 'x')"
  write_text(sprintf("stop(structure(class = c('other', 'error', 'condition'), %s))", fields), "s.R")
  expect_match(message_of(run_script("s.R")), "stopped at line 1. found no bees", fixed = TRUE)
})
