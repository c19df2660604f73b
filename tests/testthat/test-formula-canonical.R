key <- function(block, data = data.frame(a = 1, b = 2), env = parent.frame()) {
  step <- new_step_set_columns(block, NULL, NULL, quote(all_columns()), NULL, names(data), env, NULL)
  step_key(step)
}
new_step_set_columns <- rowanroot:::new_step_set_columns
step_key <- rowanroot:::step_key

test_that("spacing, comments, brackets and names of variables do not count", {
  factor <- 2
  multiplier <- 2
  usual <- key(quote({ c <- a * factor }))
  expect_identical(key(str2lang("{ c   <-  (a*factor) # twice\n }")), usual)
  expect_identical(key(quote({ c <- a * multiplier })), usual)
  expect_identical(key(quote({ c = a * 2 })), usual)
})

test_that("whatever changes a result counts", {
  usual <- key(quote({ c <- a * 2 }))
  for (block in expression({ c <- a * 3 }, { c <- a * 2L }, { c <- b * 2 }, { d <- a * 2 },
                           { c <- a * 2; b <- NULL }, { c <- 2 * a })) {
    expect_false(identical(key(block), usual))
  }
})

test_that("the functions of the script count by their code, and by what they take from the script", {
  rate <- 2
  helper <- function(x) x * rate
  f <- function(x) helper(x) + 1
  usual <- key(quote({ c <- f(a) }))
  f <- function(x)   helper(x) + 1 # the same
  expect_identical(key(quote({ c <- f(a) })), usual)
  rate <- 3
  expect_false(identical(key(quote({ c <- f(a) })), usual))
  rate <- 2
  helper <- function(x) x * rate + 0
  expect_false(identical(key(quote({ c <- f(a) })), usual))
  recursive <- function(x) if (length(x)) recursive(x[-1]) else 0
  expect_type(key(quote({ c <- recursive(a) })), "character")
})

test_that("values count by what they hold, not by how R keeps them", {
  compact <- 1:100
  plain <- as.integer(strsplit(paste(1:100, collapse = " "), " ")[[1]])
  block <- quote({ c <- compact })
  usual <- key(block)
  compact <- plain
  expect_identical(key(block), usual)
  compact <- as.numeric(plain)
  expect_false(identical(key(block), usual))
  compact <- c(paste(1:99), NA)
  with_missing <- key(block)
  compact <- c(paste(1:99), "NA")
  expect_false(identical(key(block), with_missing))
})

test_that("columns of a package's function are not taken for variables, nor the other way round", {
  a <- 5
  table <- data.frame(a = 1:3, b = 4:6)
  expect_false(identical(key(quote({ c <- table$a[match(b, table$b)] })), {
    table$a[2] <- 9L
    key(quote({ c <- table$a[match(b, table$b)] }))
  }))
})
