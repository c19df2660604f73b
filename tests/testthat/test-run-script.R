test_that("an output is made once, and again only if what it is made from changed", {
  local_project()
  expect_identical(state_of_project()$state, "missing")
  expect_identical(quietly(run_script("yield.R"))$state, "made")
  expect_identical(as.data.frame(open_table("out/yield.csv"))$net_kg, c(25, 22.3, 14))
  written <- file.mtime("out/yield.csv")
  expect_identical(quietly(run_script("yield.R"))$state, "up to date")
  expect_identical(file.mtime("out/yield.csv"), written)

  Sys.setFileTime("visits/2025-01.csv", Sys.time() + 5)
  expect_identical(state_of_project()$state, "up to date")

  write_text(c("# A comment", sub("net_kg <-", "net_kg   <-", project_script)), "yield.R")
  expect_identical(state_of_project()$state, "up to date")

  write_text(sub("2.2", "2.20462", project_script), "yield.R")
  expect_identical(state_of_project()[2:3],
                   data.frame(state = "out of date", why = "net_lb: pounds is 2.20462, was 2.2"))
  quietly(run_script("yield.R"))

  write_text(c("hive,gross_kg,tare_kg", "SH-01,22,6"), "visits/2025-02.csv")
  expect_identical(state_of_project()$why, "visits/2025-02.csv changed")
  write_text(c("hive,gross_kg,tare_kg", "OM-01,22,6"), "visits/2025-03.csv")
  unlink("visits/2025-01.csv")
  expect_identical(state_of_project()$why,
                   "visits/2025-02.csv changed; visits/2025-03.csv is new; visits/2025-01.csv is gone")
  expect_identical(quietly(run_script("yield.R"))$rows, 2)
})

test_that("every change of the steps is named", {
  local_project()
  quietly(run_script("yield.R"))
  why <- function(pattern, by) {
    write_text(sub(pattern, by, project_script), "yield.R")
    state_of_project()$why
  }
  expect_identical(why("gross_kg - tare_kg", "gross_kg - 1"),
                   "net_kg <- gross_kg - 1 (was net_kg <- gross_kg - tare_kg)")
  expect_identical(why("^  net_lb.*", ""), "gone: net_lb <- net_kg * pounds")
  expect_identical(why("^}[)].*", "season <- 'summer' })"), "new: season <- \"summer\"; gone: keep_rows(net_kg > 0)")
})

test_that("another separator makes an output stale", {
  local_folder()
  write_text(c("a;b,c", "1;2,3"), "in.csv")
  script <- "rowanroot::save_table(rowanroot::open_table('in.csv', separator = ','), 'out.csv')"
  write_text(script, "yield.R")
  quietly(run_script("yield.R"))
  write_text(sub("','", "';'", script), "yield.R")
  expect_identical(state_of_project()$state, "out of date")
})

test_that("a file that something else wrote is reported, not overwritten", {
  local_project()
  quietly(run_script("yield.R"))
  cat("an edit\n", file = "out/yield.csv", append = TRUE)
  edited <- readLines("out/yield.csv")
  expect_identical(state_of_project()$state, "foreign")
  error <- expect_error(quietly(run_script("yield.R")), class = "rowanroot_script_failed")
  expect_s3_class(error$parent, "rowanroot_foreign_output")
  expect_identical(readLines("out/yield.csv"), edited)
  expect_identical(quietly(run_script("yield.R", force = TRUE))$state, "made")
  expect_identical(state_of_project()$state, "up to date")
  # Without its journal an output is known again by its content.
  unlink(".rowanroot", recursive = TRUE)
  expect_identical(state_of_project()$state, "foreign")
  quietly(run_script("yield.R"))
  expect_identical(state_of_project()$state, "up to date")
})

test_that("a run that was killed between the journal and the output is mended", {
  local_project()
  quietly(run_script("yield.R"))
  old <- readLines("out/yield.csv")
  write_text(sub("2.2", "3", project_script), "yield.R")
  quietly(run_script("yield.R"))
  write_text(old, "out/yield.csv")
  write_text("half", "out/.yield.csv.123.unfinished")
  expect_identical(state_of_project()$state, "out of date")
  quietly(run_script("yield.R"))
  expect_identical(state_of_project()$state, "up to date")
  expect_identical(list.files("out", all.files = TRUE, no.. = TRUE), "yield.csv")
})

test_that("a script that fails half way leaves old outputs as they were, and says where it failed", {
  local_project()
  quietly(run_script("yield.R"))
  old <- readLines("out/yield.csv")
  write_text(c(sub("2.2", "3", project_script), "save_table(yield |> set_columns({ a <- net_gk }), 'out/b.csv')"),
             "yield.R")
  error <- expect_error(quietly(run_script("yield.R")), class = "rowanroot_script_failed")
  expect_identical(error$line, 9L)
  expect_s3_class(error$parent, "rowanroot_unknown_column")
  expect_false(file.exists("out/b.csv"))
  write_text(c("stop('no')", project_script), "yield.R")
  old <- readLines("out/yield.csv")
  expect_error(quietly(run_script("yield.R")), class = "rowanroot_script_failed")
  expect_identical(readLines("out/yield.csv"), old)
})

test_that("scripts, outputs and options that are wrong are refused by name", {
  local_project()
  expect_error(run_script("yeild.R"), class = "rowanroot_no_such_file", "yield.R")
  expect_error(quietly(run_script("yield.R", only = "out/x.csv")), class = "rowanroot_unknown_output")
  expect_error(run_script("yield.R", force = "yes"), class = "rowanroot_bad_argument")
  visits <- open_table("visits/2025-01.csv")
  expect_error(save_table(visits, "visits/2025-01.csv"), class = "rowanroot_output_is_input")
  expect_error(save_table(visits, "out/x.ods"), class = "rowanroot_unknown_format")
  expect_error(save_table(data.frame(a = I(list(1))), "x.csv"), class = "rowanroot_cannot_write", "column `a`")
  expect_false(file.exists("x.csv"))
  expect_error(save_table(visits, "yield.R/x.csv"), class = "rowanroot_cannot_write")
  write_text("1 +", "broken.R")
  expect_error(run_script("broken.R"), class = "rowanroot_script_failed", "valid R")
})

test_that("only the outputs that are asked for are written", {
  local_project()
  write_text(c(project_script, "save_table(visits, 'out/all.csv')"), "yield.R")
  expect_identical(quietly(run_script("yield.R", only = "out/all.csv"))$state, c("left out", "made"))
  expect_identical(state_of_project()$state, c("missing", "up to date"))
})

test_that("an output has one name, however its path is written, and is saved once", {
  folder <- local_project()
  write_text(sub("out/yield.csv", "./out/../out//yield.csv", project_script), "yield.R")
  expect_identical(quietly(run_script("yield.R"))$output, "out/yield.csv")
  write_text(sub("out/yield.csv", file.path(folder, "out/yield.csv"), project_script), "yield.R")
  expect_identical(state_of_project(), data.frame(output = "out/yield.csv", state = "up to date", why = ""))
  write_text(c(project_script, "save_table(visits, './out/yield.csv')"), "yield.R")
  error <- expect_error(quietly(run_script("yield.R")), class = "rowanroot_script_failed")
  expect_s3_class(error$parent, "rowanroot_output_saved_twice")
})

test_that("a script sees none of the objects of the session, and leaves none", {
  local_project()
  write_text(c(project_script, "left_over <- 1", "save_table(data.frame(a = left_over), 'a.csv')"), "yield.R")
  quietly(run_script("yield.R"))
  expect_false(exists("left_over"))
})

test_that("what a script sources counts by what it gives, and leaves nothing behind", {
  local_project()
  write_text(c("pounds <- 2.2 # of a kilogram"), "lib/constants.R")
  write_text(c("library(rowanroot)", "source('lib/constants.R')", project_script[-(1:2)]), "yield.R")
  quietly(run_script("yield.R"))
  expect_false(exists("pounds", globalenv()))
  expect_identical(state_of_project()$state, "up to date")
  write_text(c("# Another comment", "pounds <- 2.2"), "lib/constants.R")
  expect_identical(state_of_project()$state, "up to date")
  write_text(c("pounds <- 2.20462"), "lib/constants.R")
  expect_identical(state_of_project()$why, "net_lb: pounds is 2.20462, was 2.2")
})

test_that("odd names of files, folders and columns come through whole", {
  local_folder()
  odd <- c("plain", "with space", "quote's \"here\"", "$(touch hacked)", "caf\u00e9 \U1F41D", "star*[x]",
           "line\nbreak", "-n", "a;b&c|d", "<b>bold</b>")
  for (k in seq_along(odd)) {
    folder <- paste0("./", odd[k])
    write_text(c("hive,kg", paste0("NB-01,", k)), file.path(folder, paste0(odd[k], ".csv")))
    column <- gsub("\n", " ", odd[k])
    write_text(c("library(rowanroot)", sprintf("open_table(%s) |> set_columns({ `%s` <- kg * 2 }) |> save_table(%s)",
                                               deparse(paste0("./", odd[k], ".csv")), column,
                                               deparse(paste0("./out ", odd[k], ".csv")))),
                                                 file.path(folder, "script.R"))
    expect_identical(quietly(run_script(file.path(folder, "script.R")))$state, "made")
    expect_identical(names(as.data.frame(open_table(file.path(folder, paste0("out ", odd[k], ".csv")))))[3], column)
    expect_identical(quietly(run_script(file.path(folder, "script.R")))$state, "up to date")
  }
  expect_identical(list.files(recursive = TRUE, pattern = "^hacked$"), character())
})
