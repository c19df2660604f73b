# Puts the table of a run into docs/performance.md, with what it was run on.
table <- readLines(commandArgs(TRUE)[1])
page <- "docs/performance.md"
lines <- readLines(page, encoding = "UTF-8")
marks <- match(c("<!-- table -->", "<!-- end of table -->"), lines)
machine <- sprintf("Measured on %s, R %s, %d cores.", Sys.Date(), getRversion(), parallel::detectCores())
writeLines(c(lines[seq_len(marks[1])], table, "", machine, lines[marks[2]:length(lines)]), page, useBytes = TRUE)
