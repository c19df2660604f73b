# Names and values that are made to mislead: to a terminal, a page, a document, a spreadsheet, or to ourselves.
hostile <- c("\u001b[2J\u001b[31mred", "a\nb", "```\n<img src=http://x.example/p.png>", "<script>alert(1)</script>",
             "[x](http://x.example)", "![](http://x.example/p.png)", "=cmd()", "`", "\u202erev",
             "{stop('let in')}", "`````````````\n<b>bold</b>", "http://x.example", "\u0007\u009b31m", "plain")

hostile_table <- function() {
  data <- stats::setNames(as.data.frame(rep(list(hostile), length(hostile))), hostile)
  data$n <- seq_along(hostile)
  data
}

misleads <- function(text) any(grepl("[\u0001-\u0008\u000b-\u001f\u007f-\u009f\u202a-\u202e]", text, perl = TRUE))

# What is printed, and said, whatever comes of the code.
said <- function(code) {
  messages <- character()
  keep <- function(condition) messages <<- c(messages, conditionMessage(condition))
  out <- utils::capture.output(tryCatch(withCallingHandlers(code, message = function(m) {
    keep(m)
    invokeRestart("muffleMessage")
  }, warning = function(w) {
    keep(w)
    invokeRestart("muffleWarning")
  }), error = keep))
  expect_false(any(grepl("let in", messages, fixed = TRUE) & !grepl("{stop('let in')}", messages, fixed = TRUE)))
  c(out, messages)
}

test_that("no view and no message is a sign to a terminal, or runs code", {
  local_folder()
  withr::local_options(cli.num_colors = 1L, width = 100)
  data <- hostile_table()
  for (name in c("\u001b[2Jvisits", "{stop('let in')}", "plain")) {
    file <- paste0(name, ".csv")
    quietly(save_table(data, file))
    table <- open_table(file)
    made <- eval(bquote(set_columns(table, { .(as.name("\u001b]0;new")) <- n * 2;
                                             place <- ranking(n, best = "highest",
                                                              within = .(as.name(hostile[1]))) })))
    changed <- data
    changed[[1]][1] <- "\u001bother"
    changed[["\u001badded"]] <- 1
    shown <- list(print(peek(table)), print(made), print(column_summary(made)), print(compare_tables(data, changed)),
                  print(compare_tables(data, changed, by = n)), print(lineage(made)), print(show_steps(made)),
                  print(why(made, "\u001b]0;new", 1)), print(why(made, "place", 2)), said(NULL)) |> substitute()
    for (view in as.list(shown)[-1]) expect_false(misleads(said(eval(view))), info = deparse(view)[1])
    for (wrong in expression(set_columns(data, { q <- `\033nosuch` + 1 }), open_table("\033nosuch.csv"),
                             must_hold(data, "\033{stop('let in')}" = n > 5), save_table(data, "\033.xyz"),
                             save_table(made, "\033out.csv"),
                             save_table(made, "{stop('let in')}.csv"), keep_columns(data, `\033q`),
                               look_up("\033a", data, by = "plain", take = n),
                               must_hold(table, "{stop('let in')}" = n > 99),
                             set_columns(data, { k <- as_number(`plain`) }),
                               as.data.frame(open_table("\033bad.csv")), open_table(data.frame(a = 1)) |>
                               set_columns({ `{stop('let in')}` <- as_number("x") }))) {
      write_text(c("a,b", "1"), "\u001bbad.csv")
      expect_false(misleads(said(eval(wrong))), info = deparse(wrong)[1])
    }
  }
  write_text(c("library(rowanroot)", "save_table(open_table('plain.csv'), '\\033out.csv')",
               "save_table(open_table('plain.csv'), '{stop(1)}.csv')"), "s.R")
  expect_false(misleads(said(run_script("s.R"))))
})

test_that("documents have no links, pictures or tags of the data", {
  skip_if_not(rmarkdown::pandoc_available("2.0"))
  local_folder()
  data <- hostile_table()
  write.csv(data, "visits.csv", row.names = FALSE, fileEncoding = "UTF-8")
  changed <- data
  changed[[2]][3] <- hostile[3]
  saveRDS(list(data, changed), "tables.rds")
  write_text(c("---", "title: hostile", "---", "", "```{r, echo = FALSE}", "library(rowanroot)",
               "tables <- readRDS('tables.rds')", "open_table('visits.csv') |> set_columns({ twice <- n * 2 })",
               "column_summary(tables[[1]])",
               "compare_tables(tables[[1]], tables[[2]], by = n)", "peek(tables[[1]])", "```"), "page.Rmd")
  for (format in c("html_document", "md_document")) {
    file <- quietly(rmarkdown::render("page.Rmd", format, quiet = TRUE,
                                      output_options = if (format == "html_document") list(self_contained = FALSE,
                                          theme = NULL) else list(variant = "gfm")))
    html <- if (format == "html_document") file else {
      rmarkdown::pandoc_convert(normalizePath(file), to = "html", from = "gfm",
                                output = file.path(getwd(), "again.html"))
      "again.html"
    }
    text <- paste(readLines(html, encoding = "UTF-8", warn = FALSE), collapse = "\n")
    # Some programs make a link of any address: it leads where it says.
    text <- gsub("<a\\s+href=\"([^\"]*)\">\\1</a>", "\\1", text, perl = TRUE)
    expect_false(grepl("<[^>]*(href|src)=\"?http://x.example", text), info = format)
    expect_false(grepl("<(script>alert|b>bold|img src=http)", text), info = format)
  }
})

test_that("reports, JSON, SQL and spreadsheets take names and values as what they are", {
  local_folder()
  data <- hostile_table()
  made <- open_table(data) |> set_columns({ twice <- n * 2; `<i>x</i>` <- n })
  suppressWarnings(report(made, "report.html"))
  html <- paste(readLines("report.html", encoding = "UTF-8"), collapse = "\n")
  expect_false(grepl("<(script|i>|b>|img src=http)", html))
  # A spreadsheet would run a header as well as a value.
  risky <- stats::setNames(data.frame(1:2, c("=1+1", "fine")), c("=cmd()", "@x"))
  for (file in c("risky.csv", "risky.xlsx")) {
    quietly(save_table(risky, file, guard_formulas = TRUE))
    expect_identical(names(open_table(file)), c("'=cmd()", "'@x"))
    quietly(save_table(risky, file, force = TRUE))
    expect_identical(names(open_table(file)), names(risky))
  }
  quietly(save_table(data, "data.jsonl"))
  expect_identical(as.data.frame(open_table("data.jsonl")), data)
  for (line in readLines("data.jsonl")) expect_length(jsonlite::parse_json(line), length(data))
  quietly(save_table(data, "data.sqlite", table = "\"; DROP TABLE x; --"))
  expect_identical(as.data.frame(open_table("data.sqlite")), data)
})
