pictures_in <- function(html) lengths(regmatches(html, gregexpr("data:image/png;base64,", html, fixed = TRUE)))

test_that("a report is one whole page with all its parts, and nothing of the data becomes a tag", {
  local_folder()
  hostile <- "<script>alert('x')</script>"
  write_text(c(paste0("hive,", "gross_kg,tare_kg,note"),
               paste0("NB-0", 1:6, ",", 30:35, ",6,", "\"", hostile, " & \"\"more\"\"\"")), "visits/<b>.csv")
  yield <- open_table("visits/*.csv") |>
    set_columns({
      net_kg <- gross_kg - tare_kg
      `<i>odd</i>` <- paste0(note, "<u>")
      place <- ranking(net_kg, best = "highest")
      so_far <- running_total(net_kg)
    }) |>
    must_hold("<em>positive</em>" = net_kg > 0) |>
    should_hold("heavy" = net_kg > 26)
  report(yield, "report.html", title = "Yield & <more>")
  html <- paste(readLines("report.html", encoding = "UTF-8"), collapse = "\n")
  expect_match(html, "^<!DOCTYPE html>")
  expect_match(html, "<html lang=\"en\">", fixed = TRUE)
  expect_match(html, "<title>Yield &amp; &lt;more&gt;</title>", fixed = TRUE)
  for (part in c("Inputs", "Steps", "Lineage", "New columns", "Checks", "Times and versions")) {
    expect_match(html, paste0(">", part, "</h2>"), fixed = TRUE)
  }
  for (tag in c("<script", "<b>", "<i>", "<u>", "<em>")) expect_no_match(html, tag, fixed = TRUE)
  expect_match(html, "broken in 3 rows")
  expect_match(html, "holds")
  # The lineage, the spread of four columns, bars of ranks, and lines.
  expect_identical(pictures_in(html), 7L)
  pictures <- regmatches(html, gregexpr("<img [^>]*>", html))[[1]]
  expect_true(all(grepl("alt=\"[^\"]+\"", pictures)))
  expect_no_match(html, "(src|href)=\"(https?:|//)")
})

test_that("a report of a script explains its outputs and what changed in them", {
  local_project()
  write_text(c(project_script, "save_table(visits, 'out/visits.csv')"), "yield.R")
  quietly(run_script("yield.R"))
  write_text(c("hive,gross_kg,tare_kg", "SH-01,22,6", "SH-02,,6.1"), "visits/2025-02.csv")
  quietly(run_script("yield.R"))
  report_script("yield.R", "page.html")
  html <- paste(readLines("page.html", encoding = "UTF-8"), collapse = "\n")
  expect_match(html, "out/yield.csv</h2>", fixed = TRUE)
  expect_match(html, "out/visits.csv</h2>", fixed = TRUE)
  expect_match(html, "Columns that differ from the previous output")
  ids <- regmatches(html, gregexpr(" id=\"[^\"]+\"", html))[[1]]
  expect_false(anyDuplicated(ids) > 0)
})

test_that("reports that can't be written are refused before anything is done", {
  local_folder()
  yield <- open_table(data.frame(a = 1))
  expect_error(report(yield, "nowhere/report.html"), class = "rowanroot_cannot_write")
  expect_error(report(yield, "report.txt"), class = "rowanroot_bad_argument")
  expect_error(report(yield), class = "rowanroot_bad_argument")
  dir.create("taken.html")
  expect_error(report(yield, "taken.html"), class = "rowanroot_cannot_write")
  expect_error(report(data.frame(a = 1), "report.html"), class = "rowanroot_not_a_table")
  write_text("library(rowanroot)", "none.R")
  expect_error(report_script("none.R", "report.html"), class = "rowanroot_unknown_output")
  expect_false(file.exists("report.html"))
})

test_that("tables without rows or values have reports", {
  local_folder()
  for (data in list(data.frame(hive = character(), kg = numeric()),
                    data.frame(hive = c(NA_character_, NA), kg = c(NA_real_, NA)))) {
    yield <- open_table(data) |> set_columns({
      place <- ranking(kg, best = "highest")
      so_far <- running_total(kg, within = hive)
      day <- as.Date(hive)
      twice <- kg * 2
    })
    report(yield, "report.html")
    expect_match(paste(readLines("report.html"), collapse = " "), "twice &lt;- kg", fixed = TRUE)
  }
})

test_that("ids are unique for any names, headings come in order, and many new columns are all there", {
  local_folder()
  write_text(c("kg,frames", "1.5,3", "2,4", ",5"), "in.csv")
  formulas <- paste0("new_", 1:30, " <- kg * ", 1:30, collapse = "\n")
  write_text(c("library(rowanroot)", "visits <- open_table('in.csv')", "many <- visits |> set_columns({", formulas,
               "})", paste0("save_table(", c("many", "visits", "visits"), ", '", c("\u00fc", "\u00f6", "a b"),
                            ".csv')")), "s.R")
  suppressWarnings(report_script("s.R", "page.html"))
  html <- paste(readLines("page.html", encoding = "UTF-8"), collapse = "\n")
  found <- function(pattern) regmatches(html, gregexpr(pattern, html, perl = TRUE))[[1]]
  ids <- found(" id=\"\\K[^\"]+")
  expect_identical(anyDuplicated(ids), 0L)
  for (target in found("href=\"#\\K[^\"]+")) expect_true(target %in% ids, info = target)
  levels <- as.integer(found("<h\\K[1-6]"))
  expect_true(all(diff(levels) <= 1) && levels[1] == 1)
  for (k in 1:30) expect_match(html, paste0("new_", k, "<"), fixed = TRUE)
  expect_match(html, "The other 24 new columns", fixed = TRUE)
  expect_lt(nchar(html), 1e6)
})

test_that("figures of what has no single values are refused in words", {
  data <- data.frame(kg = 1:2)
  data$list <- list(1, 2)
  data$complex <- complex(2)
  data$matrix <- matrix(1:4, 2)
  for (name in c("list", "complex", "matrix")) {
    expect_error(plot_column(data, name), "can't be drawn", class = "rowanroot_type_mismatch")
  }
})
