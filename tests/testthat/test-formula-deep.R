chain <- function(op, part, n) Reduce(function(a, b) call(op, a, b), rep(list(part), n))
nested <- function(n, column) {
  code <- 0
  for (k in n:1) code <- call("if", call("==", column, k), k * 2, code)
  code
}
calculate <- function(code, env = parent.frame()) eval(bquote(set_columns(data.frame(x = c(1, 2, 999), l = FALSE),
    { y <- .(code) })), env)$y

test_that("formulas of thousands of levels are calculated, and beyond that refused in words", {
  expect_identical(calculate(chain("+", quote(x), 2000)), c(1, 2, 999) * 2000)
  expect_identical(calculate(chain("||", quote(l), 300)), rep(FALSE, 3))
  expect_identical(calculate(nested(1000, quote(x))), c(2, 4, 1998))
  expect_identical(calculate(call("sum", chain("+", quote(x), 500))), rep(1002 * 500, 3))
  expect_identical(nrow(eval(bquote(keep_rows(data.frame(x = 1:3), .(chain("||", quote(x > 2), 300)))))), 1L)
  f <- eval(call("function", as.pairlist(alist(x = )), chain("-", quote(x), 400)))
  expect_identical(calculate(quote(f(x))), c(1, 2, 999) * -398)
  expect_error(calculate(chain("+", quote(x), 20000)), class = "rowanroot_bad_formula", "5,000 levels")
})

test_that("such a formula has a key, lines and origins like any other", {
  local_folder()
  write_text(c("x", "1", "2"), "in.csv")
  table <- function(n) eval(bquote(set_columns(open_table("in.csv"), { y <- .(chain("+", quote(x), n)) })))
  quietly(save_table(table(1000), "out.csv"))
  expect_message(save_table(table(1000), "out.csv"), "up to date")
  expect_message(save_table(table(1001), "out.csv"), "made")
  expect_identical(as.data.frame(open_table("out.csv"))$y, c(1001L, 2002L))
  expect_identical(as.data.frame(lineage(table(300)))$from, c("x", "in.csv")[1:2][c(2, 1)])
})

test_that("parts that a formula uses again and again are looked at once", {
  local_folder()
  write_text(c("x", "1", "2"), "in.csv")
  double <- function(y) { y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y; y <- y + y;
                          y <- y + y; y <- y + y; y <- y + y; y }
  found <- set_columns(open_table("in.csv"), { z <- double(double(double(x / 1))) })
  quietly(save_table(found, "out.csv"))
  expect_identical(as.data.frame(one_row_per(found, x, { z <- double(double(max(z))) }))$z, c(1, 2) * 2^50)
  expect_identical(as.data.frame(open_table("out.csv"))$z, c(1, 2) * 2^30)
  # With 2^30 looks this would not have come to its end.
})

test_that("helpers that call each other are not taken for endless ones", {
  step <- function(k) if (k == 0) function(x) x + 1 else { inner <- step(k - 1); function(x) inner(x) + 1 }
  f <- step(25)
  expect_identical(set_columns(data.frame(x = 1), { y <- f(x) })$y, 27)
  endless <- function(x) if (x > 0) endless(x - 1) else 0
  expect_error(set_columns(data.frame(x = 1:2), { y <- endless(x) }), class = "rowanroot_endless_recursion")
})
