test_that("checks of tables that no output takes in are run at the end of the script", {
  local_project()
  script <- c("library(rowanroot)", "visits <- open_table('visits/*.csv')",
              "visits |> must_hold(\"heavy\" = gross_kg > 100)", "visits |> should_hold(tare_kg > 100)")
  write_text(script, "yield.R")
  expect_warning(error <- expect_error(quietly(run_script("yield.R")), class = "rowanroot_script_failed"),
                 class = "rowanroot_broken_condition")
  expect_identical(error$line, 3L)
  expect_s3_class(error$parent, "rowanroot_broken_condition")
  write_text(sub("100", "1", script[-4]), "yield.R")
  expect_error(quietly(run_script("yield.R")), "heavy")
  write_text(sub("> 100", "> 1 || is.na(gross_kg)", script[-4]), "yield.R")
  expect_silent(quietly(run_script("yield.R")))
  # What an output takes in is checked when it is made, and once.
  write_text(c(script[1:2], "checked <- visits |> should_hold(tare_kg > 100)",
               "save_table(checked |> set_columns({ a <- 1 }), 'out.csv')"), "yield.R")
  warnings <- 0
  withCallingHandlers(quietly(run_script("yield.R")), rowanroot_broken_condition = function(w) {
    warnings <<- warnings + 1
    invokeRestart("muffleWarning")
  })
  expect_identical(warnings, 1)
  expect_silent(quietly(run_script("yield.R")))
})

test_that("an output that fails leaves those alone that don't depend on it", {
  local_project()
  write_text(c("library(rowanroot)", "visits <- open_table('visits/*.csv')",
               "save_table(visits |> must_hold(gross_kg > 100), 'bad.csv')", "save_table(visits, 'good.csv')",
               "save_table(open_table('bad.csv'), 'after.csv')"), "yield.R")
  write_text(c("gross_kg", "1"), "bad.csv")
  error <- expect_error(quietly(run_script("yield.R")), class = "rowanroot_script_failed")
  expect_identical(error$outputs[c("output", "state")],
                   data.frame(output = c("bad.csv", "good.csv", "after.csv"), state = c("failed", "made", "failed")))
  expect_match(conditionMessage(error), "line 3.*line 5")
  expect_identical(readLines("bad.csv"), c("gross_kg", "1"))
  expect_false(file.exists("after.csv"))
  expect_identical(nrow(as.data.frame(open_table("good.csv"))), 4L)
})

test_that("a warning is given once a run", {
  local_project()
  write_text(c("library(rowanroot)", "checked <- open_table('visits/*.csv') |> should_hold(tare_kg > 100)",
               "save_table(checked, 'a.csv')", "save_table(checked, 'b.csv')"), "yield.R")
  warnings <- 0
  withCallingHandlers(quietly(run_script("yield.R")), warning = function(w) {
    warnings <<- warnings + 1
    invokeRestart("muffleWarning")
  })
  expect_identical(warnings, 1)
})

test_that("an output that is a symbolic link is written where it points", {
  local_project()
  dir.create("store")
  file.symlink("store/real.csv", "yield.csv")
  file.symlink("yield.csv", "again.csv")
  quietly(save_table(open_table("visits/*.csv"), "again.csv"))
  expect_identical(unname(Sys.readlink(c("yield.csv", "again.csv"))), c("store/real.csv", "yield.csv"))
  expect_identical(nrow(as.data.frame(open_table("store/real.csv"))), 4L)
  expect_message(save_table(open_table("visits/*.csv"), "again.csv"), "up to date")
  file.symlink("round.csv", "round.csv")
  expect_error(quietly(save_table(open_table("visits/*.csv"), "round.csv")), class = "rowanroot_cannot_write")
})

test_that("changes and why know outputs in SQLite, and a failed write leaves no empty file", {
  local_project()
  script <- c("library(rowanroot)", "pounds <- 2.2",
              "yield <- open_table('visits/*.csv') |> set_columns({ net_lb <- (gross_kg - tare_kg) * pounds })",
              "save_table(yield, 'yield.sqlite', table = 'net')")
  write_text(script, "yield.R")
  quietly(run_script("yield.R"))
  write_text(sub("2.2", "3", script, fixed = TRUE), "yield.R")
  quietly(run_script("yield.R"))
  found <- as.data.frame(changes("yield.sqlite"))
  expect_identical(found$column[found$status == "changed"], "net_lb")
  expect_identical(as.data.frame(changes("yield.sqlite, table net")), found)
  expect_match(paste(utils::capture.output(rowanroot:::cli_main(c("why", "yield.sqlite", "--row", "1", "--column",
                                                                  "net_lb"))), collapse = "\n"),
               "net_lb, row 1, is 75")
  write_text(c(script, "save_table(yield, 'yield.sqlite', table = 'other')"), "yield.R")
  quietly(run_script("yield.R"))
  expect_error(changes("yield.sqlite"), class = "rowanroot_unknown_output", "table other")
  expect_error(quietly(save_table(open_table(data.frame(a = I(list(1)))), "new.sqlite", table = "t")),
               class = "rowanroot_cannot_write")
  expect_error(quietly(save_table(data.frame(a = c(1, NaN)), "new.sqlite", table = "t")),
               class = "rowanroot_cannot_write")
  expect_false(file.exists("new.sqlite"))
})

test_that("very many columns are read, calculated, shown and saved, and the journal stays short", {
  local_folder()
  names <- paste0("V", 1:3000)
  write_text(c(paste(names, collapse = ","), paste(1:3000, collapse = ",")), "wide.csv")
  for (k in 1:2) {
    wide <- open_table("wide.csv") |> set_columns({ sum <- V1 + V3000 })
    if (k == 2) wide <- wide |> set_columns({ more <- sum * 2 })
    quietly(save_table(wide, "out.csv"))
    expect_lt(file.size(".rowanroot/journal.jsonl"), 2000)
    expect_message(save_table(wide, "out.csv"), "up to date")
  }
  expect_identical(length(list.files(".rowanroot/records")), 2L)
  write_text(paste0("rowanroot::save_table(rowanroot::set_columns(rowanroot::open_table('wide.csv'), ",
                    "{ sum <- V1 + V2 }), 'out.csv')"), "a.R")
  expect_identical(script_status("a.R")$why, "sum <- V1 + V2 (was sum <- V1 + V3000); gone: more <- sum * 2")
  expect_lt(length(utils::capture.output(print(wide))), 60)
})
