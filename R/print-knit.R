# In notebooks and R Markdown what is looked at is a real table, in the format of the document.

#' @exportS3Method knitr::knit_print
knit_print.rooted_table <- function(x, ...) knit_print.table_view(peek(x))

#' @exportS3Method knitr::knit_print
knit_print.table_view <- function(x, ...) {
  made <- unique(c(x$leads, unlist(x$derived)))
  columns <- x$columns[match(c(made, x$rest), x$columns$name), , drop = FALSE]
  from <- vapply(columns$name, function(name) {
    of <- Find(function(derived) derived[1] == name, x$derived)
    paste(of[-1], collapse = ", ")
  }, "")
  about <- data.frame(column = columns$name, type = columns$type, missing = shown_count(columns$missing))
  if (length(x$derived)) about$`comes from` <- from
  head <- as_table_like(x$head, lapply(unclass(x$head)[columns$name], shown_cells), NULL)
  title <- paste0(x$title, ": ", counted_rows(x$rows), ", ", counted(nrow(x$columns), "column"))
  knit_tables(list(about, if (x$rows > 0) head), c(title, "First rows"),
              list("missing", names(x$head)[vapply(x$head, is.numeric, NA)]))
}

#' @exportS3Method knitr::knit_print
knit_print.column_summary <- function(x, ...) {
  parts <- summary_parts(x)
  if (!length(parts)) return(knit_output(knit_text(no_columns)))
  knit_tables(parts, rep("", length(parts)), rep(list(summary_numbers), length(parts)))
}

#' @exportS3Method knitr::knit_print
knit_print.table_comparison <- function(x, ...) {
  texts <- c(rows_text(x), columns_text(x))
  knit_output(c(knit_text(comparison_title(x), strong = TRUE), knit_text(texts),
                knit_table(changed_part(x), "", "rows"), knit_text(same_text(x))))
}

knit_tables <- function(tables, titles, numbers) knit_output(unlist(Map(knit_table, tables, titles, numbers)))

# Pages take HTML as it stands; for other formats Markdown is written.
in_page <- function() knitr::is_html_output(excludes = c("markdown", "gfm", "commonmark"))

knit_output <- function(parts) {
  text <- paste(parts, collapse = "\n\n")
  # A fence that is longer than any in the text.
  ticks <- strrep("`", max(12, attr(gregexpr("`+", text)[[1]], "match.length") + 1))
  if (in_page()) text <- paste0(ticks, "{=html}\n", text, "\n", ticks)
  knitr::asis_output(paste0("\n\n", text, "\n\n"))
}

knit_text <- function(text, strong = FALSE) {
  if (in_page()) {
    return(if (length(text)) paste0("<p>", if (strong) "<strong>", escape_html(text), if (strong) "</strong>",
                                    "</p>"))
  }
  if (length(text)) paste0(if (strong) "**", escape_markdown(text), if (strong) "**")
}

# In a page a wide table can be scrolled sideways by itself.
knit_table <- function(table, title, numbers) {
  if (is.null(table) || !length(table)) return(character())
  named <- is.character(attr(table, "row.names"))
  if (!is.data.frame(table)) table <- as.data.frame(table, optional = TRUE, row.names = seq_along(table[[1]]))
  align <- ifelse(names(table) %in% numbers, "r", "l")
  in_text <- function(values) if (is.character(values)) shown(values) else values
  table[] <- lapply(table, in_text)
  names(table) <- shown_cell(names(table))
  caption <- if (nzchar(title)) title
  if (in_page()) {
    shown <- knitr::kable(table, format = "html", align = align, caption = caption, row.names = named,
                          table.attr = "class=\"table table-condensed\"")
    return(paste0("<div style=\"overflow-x: auto\">\n", paste(shown, collapse = "\n"), "\n</div>"))
  }
  escaped <- as.data.frame(lapply(table, escape_markdown), optional = TRUE)
  names(escaped) <- escape_markdown(names(table))
  if (named) row.names(escaped) <- escape_markdown(row.names(table))
  paste(knitr::kable(escaped, format = "pipe", align = align, caption = caption, row.names = named), collapse = "\n")
}

escape_html <- function(text) {
  text <- shown_cell(text)
  text <- gsub("&", "&amp;", text, fixed = TRUE)
  gsub("\"", "&quot;", gsub(">", "&gt;", gsub("<", "&lt;", text, fixed = TRUE), fixed = TRUE), fixed = TRUE)
}

# Signs of Markdown by their numbers: a backslash before a bracket would be a formula to some programs.
escape_markdown <- function(text) {
  text <- gsub("&", "&#38;", shown_cell(text), fixed = TRUE)
  for (sign in strsplit("\\`*_{}[]<>$~^|!:@()", "")[[1]]) {
    text <- gsub(sign, sprintf("&#%d;", utf8ToInt(sign)), text, fixed = TRUE)
  }
  # That of a number is none.
  gsub("(?<!&)#", "&#35;", text, perl = TRUE)
}

shown_cells <- function(column) {
  if (is.list(column)) return(rep("...", length(column)))
  cells <- format_column(column)
  cells[is.na(column)] <- "NA"
  cells
}
