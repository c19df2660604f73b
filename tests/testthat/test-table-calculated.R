# Steps that several tables share are run once, as long as the table that they share has a name.

script_of_visits <- function(lines, env = parent.frame()) {
  local_folder(env)
  write_text(c("hive,gross_kg,tare_kg", "NB-01,31,6", "NB-02,28.5,6.2", "NB-01,30,6"), "visits.csv")
  write_text(c("heavy <- function(x) { message(\"weighed\"); warning(\"rounded\"); x }", lines), "yield.R")
  "yield.R"
}

# How often a run calls heavy(), and what it warns of.
calls_in_run <- function(script) {
  told <- character()
  warned <- character()
  withCallingHandlers(utils::capture.output(run_script(script, force = TRUE)), message = function(m) {
    told <<- c(told, conditionMessage(m))
    invokeRestart("muffleMessage")
  }, warning = function(w) {
    warned <<- c(warned, conditionMessage(w))
    invokeRestart("muffleWarning")
  })
  list(calls = sum(told == "weighed\n"), warned = warned)
}

test_that("outputs of one table run its steps once, and its warnings are given once", {
  script <- script_of_visits(c(
    "visits <- open_table(\"visits.csv\") |> set_columns({ net_kg <- heavy(gross_kg) - tare_kg })",
    "visits |> keep_columns(net_kg) |> save_table(\"net.csv\")",
    "visits |> keep_rows(net_kg > 23) |> save_table(\"heavy.csv\")",
    "visits |> one_row_per(hive, { kg <- sum(net_kg) }) |> save_table(\"hives.csv\")",
    "save_table(visits, \"all.csv\")"
  ))
  expect_equal(calls_in_run(script), list(calls = 1L, warned = "rounded"))
  read <- utils::read.csv
  visits <- read("visits.csv")
  visits$net_kg <- visits$gross_kg - visits$tare_kg
  expect_equal(read("net.csv"), visits["net_kg"])
  expect_equal(read("heavy.csv"), visits[visits$net_kg > 23, ], ignore_attr = TRUE)
  expect_equal(read("hives.csv")$kg, as.vector(tapply(visits$net_kg, visits$hive, sum)))
  expect_equal(read("all.csv"), visits)
  # An output that only copied columns from the one before would not warn in the next run.
  records <- rowanroot:::output_records("all.csv")
  expect_true(records[[length(records)]]$warned)
})

test_that("what draws random numbers is drawn for each table", {
  script <- script_of_visits(c(
    "visits <- open_table(\"visits.csv\") |> set_columns({ x <- heavy(gross_kg); drawn <- runif(.rows) })",
    "visits |> keep_columns(drawn) |> save_table(\"a.csv\")",
    "visits |> keep_columns(c(x, drawn)) |> save_table(\"b.csv\")"
  ))
  expect_equal(suppressWarnings(calls_in_run(script))$calls, 2L)
})

test_that("a table that has changed is calculated again for all that go on from it", {
  local_folder()
  file <- "visits.csv"
  writeLines(c("hive,kg", "NB-01,1", "NB-02,2"), file)
  visits <- set_columns(open_table(file), { double <- 2 * kg; half <- kg / 2 })
  first <- keep_columns(visits, double)
  second <- keep_rows(visits, half > 0.5)
  expect_equal(first$double, c(2, 4))
  expect_equal(second$hive, "NB-02")
  writeLines(c("hive,kg", "NB-01,3", "NB-02,2"), file)
  expect_message(expect_equal(second$half, c(1.5, 1)), "changed", class = "rowanroot_recalculated")
  expect_message(expect_equal(first$double, c(6, 4)), "changed", class = "rowanroot_recalculated")
  expect_equal(visits$double, c(6, 4))
})
