# What a document shows of a value: in a page, and elsewhere.
knitted <- function(x, to) {
  old <- knitr::opts_knit$get("rmarkdown.pandoc.to")
  on.exit(knitr::opts_knit$set(rmarkdown.pandoc.to = old))
  knitr::opts_knit$set(rmarkdown.pandoc.to = to)
  as.character(knitr::knit_print(x))
}

test_that("documents show tables, with nothing in them that the document would run", {
  hostile <- data.frame(kg = c(1.5, NA), text = c("<script>alert(1)</script>", "a|b *c* \\ `d` $e$"))
  names(hostile)[2] <- "<b>text</b>"
  live <- open_table(hostile) |> set_columns({ double_kg <- kg * 2 })
  looks <- list(live, peek(hostile), column_summary(live),
                compare_tables(hostile, open_table(hostile) |> set_columns({ kg <- 2 * kg })))
  for (look in looks) {
    page <- knitted(look, "html")
    expect_match(page, "<table class=\"table table-condensed\">", fixed = TRUE)
    expect_no_match(page, "<script>|<b>")
    text <- knitted(look, "gfm")
    expect_match(text, "|:-", fixed = TRUE)
    expect_no_match(text, "[^\\\\]<script>|[^\\\\]<b>|[^\\\\][*]c[*]")
  }
  cells <- strsplit(knitted(peek(hostile), "gfm"), "\n")[[1]]
  expect_match(knitted(peek(hostile), "gfm"), "a&#124;b", fixed = TRUE)
  expect_identical(knitted(live, "latex"), knitted(live, "gfm"))
  expect_true("|1.5|&#60;script&#62;alert&#40;1&#41;&#60;/scr...|" %in% gsub(" ", "", cells))
  expect_match(knitted(live, "html"), "comes from", fixed = TRUE)
  expect_match(knitted(peek(data.frame()), "html"), "0 rows, 0 columns")
  expect_match(knitted(peek(data.frame(a = 1)[0, , drop = FALSE]), "gfm"), "0 rows, 1 column")
  expect_match(knitted(compare_tables(data.frame(), data.frame()), "html"), "no columns")
  expect_match(knitted(column_summary(data.frame()), "html"), "no columns")
})
