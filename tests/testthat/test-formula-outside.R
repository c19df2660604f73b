run_quietly <- function(...) suppressWarnings(quietly(run_script(...)))

test_that("a formula that draws random numbers or looks outside is reported, and its output made at each run", {
  local_folder()
  write_text(c("x", "1", "2"), "in.csv")
  helper <- "noise <- function(n) stats::rnorm(n)"
  formulas <- c("rnorm(.rows)", "noise(length(x))", "x + as.numeric(Sys.time()) * (x > 0)",
                "do.call('sample', list(x))", "nchar(Sys.getenv(paste0('HOME', x)))",
                "sapply(x, function(k) runif(1))",
                "file.exists(paste0(x, '.csv'))", "all_at_once(noise, .rows)", "x + rnorm(1)")
  for (formula in formulas) {
    write_text(c("library(rowanroot)", helper, paste0("save_table(set_columns(open_table('in.csv'), { y <- ",
                                                      formula, " }), 'out.csv')")), "a.R")
    expect_warning(quietly(run_script("a.R", force = TRUE)), class = "rowanroot_made_anew")
    expect_identical(script_status("a.R")$state, "out of date", info = formula)
    if (formula != "x + rnorm(1)") {
      expect_match(script_status("a.R")$why, "draws random numbers|asks for the|looks at a file", info = formula)
    }
    expect_identical(run_quietly("a.R")$state, "made", info = formula)
  }
  # A function of which one does not know that it draws is found out when it does.
  script <- c("library(rowanroot)",
              paste0("save_table(set_columns(open_table('in.csv'), ",
                     "{ y <- stats::kmeans(c(x, x + 10), 2)$cluster[1:2] + 0L * x }), 'out.csv')"))
  write_text(script, "c.R")
  expect_warning(quietly(run_script("c.R", force = TRUE)), "draws random numbers", class = "rowanroot_made_anew")
  expect_match(script_status("c.R")$why, "draws random numbers")
  write_text(append(script, "set.seed(1)", 1), "c.R")
  expect_silent(quietly(run_script("c.R")))
  expect_identical(script_status("c.R")$state, "up to date")
  # A value of the script is known by what it is.
  write_text(c("library(rowanroot)", "today <- Sys.Date()",
               paste0("save_table(set_columns(open_table('in.csv'), ",
                      "{ y <- x + as.numeric(today - as.Date('2020-01-01')) }), 'out.csv')")), "b.R")
  expect_silent(quietly(run_script("b.R", force = TRUE)))
  expect_identical(script_status("b.R")$state, "up to date")
})

test_that("a seed at the top of the script makes random numbers a function of the inputs", {
  local_folder()
  write_text(c("x", 1:5), "in.csv")
  script <- c("library(rowanroot)", "set.seed(7)",
              "drawn <- open_table('in.csv') |> set_columns({ y <- rnorm(.rows) })", "save_table(drawn, 'out.csv')",
              "save_table(drawn, 'more.csv')")
  write_text(script, "a.R")
  expect_silent(quietly(run_script("a.R")))
  expect_identical(script_status("a.R")$state, rep("up to date", 2))
  first <- readLines("out.csv")
  expect_identical(readLines("more.csv"), first)
  unlink("out.csv")
  quietly(run_script("a.R"))
  expect_identical(readLines("out.csv"), first)
  write_text(sub("7", "8", script), "a.R")
  expect_identical(script_status("a.R")$state, rep("out of date", 2))
  quietly(run_script("a.R"))
  expect_false(identical(readLines("out.csv"), first))
})

test_that("functions named by text, methods for classes, and settings of R count", {
  local_folder()
  write_text(c("x", "1.23456789", "2"), "in.csv")
  script <- c("library(rowanroot)", "f <- function(x) x * 2", "format.coin <- function(x, ...) 'one'",
              "g <- function(x) format(structure(x, class = 'coin'))",
              paste0("save_table(set_columns(open_table('in.csv'), ",
                     paste0("{ a <- do.call('f', list(x)); b <- sapply(x, 'f'); c <- paste(x, format(x)); d <- ",
                            "rep(all_at_once(g, x), 1) }), 'out.csv')")))
  state <- function(changed, ...) {
    write_text(changed, "a.R")
    withr::with_options(list(...), script_status("a.R"))
  }
  write_text(script, "a.R")
  quietly(run_script("a.R"))
  expect_identical(state(script)$state, "up to date")
  expect_identical(state(sub("x \\* 2", "x * 3", script))$state, "out of date")
  expect_identical(state(sub("'one'", "'two'", script))$state, "out of date")
  expect_identical(state(script, digits = 3)$why, "options(digits) is 3, was 7")
  expect_identical(state(script, OutDec = ",")$why, "options(OutDec) is ,, was .")
  expect_match(withr::with_envvar(c(TZ = "Asia/Tokyo"), state(script)$why), "the time zone is Asia/Tokyo")
  expect_identical(withr::with_locale(c(LC_COLLATE = "C"), state(script)$state),
                   if (Sys.getlocale("LC_COLLATE") == "C") "up to date" else "out of date")
  # Where R's functions are not called, settings do not matter.
  plain <- "rowanroot::save_table(rowanroot::set_columns(rowanroot::open_table('in.csv'), { a <- x * 2 }), 'plain.csv')"
  write_text(plain, "a.R")
  quietly(run_script("a.R"))
  expect_identical(state(plain, digits = 3)$state, "up to date")
})

test_that("a file with another name makes a column of file names stale", {
  local_project()
  write_text(c("library(rowanroot)", "save_table(open_table('visits/*.csv', file_column = 'month'), 'out.csv')",
               "save_table(open_table('visits/*.csv'), 'plain.csv')"), "yield.R")
  quietly(run_script("yield.R"))
  file.rename("visits/2025-02.csv", "visits/2025-03.csv")
  expect_identical(state_of_project()$state, c("out of date", "up to date"))
  expect_match(state_of_project()$why[1], "visits/2025-03.csv is new; visits/2025-02.csv is gone")
  quietly(run_script("yield.R"))
  expect_identical(unique(as.data.frame(open_table("out.csv", types = c(month = "text")))$month),
                   c("2025-01", "2025-03"))
})

test_that("dots and arguments that are missing around a formula are no part of it", {
  local_folder()
  visits <- data.frame(kg = 1:3)
  saved <- function(..., with.dot, kilos = 2) {
    table <- set_columns(open_table(visits), { double <- kg * kilos })
    suppressMessages(save_table(table, "out.csv"))
    open_table("out.csv")$double
  }
  expect_equal(saved(), c(2, 4, 6))
  expect_equal(saved(kilos = 3), c(3, 6, 9))
})
