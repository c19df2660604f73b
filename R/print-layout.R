# Text in columns, fit to the width of the console.

right <- function(cells) cli::ansi_align(cells, width = max(cli::ansi_nchar(cells, "width")), align = "right")

left <- function(cells) cli::ansi_align(cells, width = max(cli::ansi_nchar(cells, "width")), align = "left")

shown_count <- function(count) ifelse(is.na(count), "", format(count, big.mark = ",", trim = TRUE, scientific = FALSE))

# Columns of text with headings, the numbers aligned right; those that do not fit beside the others begin again
# below, after the first one. A last column of text is cut to fit where there is room for some of it.
format_side_by_side <- function(columns, numbers, width) {
  cells <- Map(function(column, name) {
    cells <- c(cli::style_bold(name), shown_cell(column))
    if (name %in% numbers) right(cells) else left(cells)
  }, columns, names(columns))
  cells[[1]] <- cli::ansi_strtrim(cells[[1]], 30, ellipsis = mark("\u2026", "..."))
  widths <- vapply(cells, function(cell) max(cli::ansi_nchar(cell, "width")), 0L) + 2
  last <- length(cells)
  if (!names(cells)[last] %in% numbers) widths[last] <- min(widths[last], 26)
  strips <- list()
  used <- width
  for (k in seq_along(cells)[-1]) {
    if (used + widths[k] > width && (k == 2 || used > widths[[1]])) {
      strips <- c(strips, list(cells[1]))
      used <- widths[[1]]
    }
    strips[[length(strips)]] <- c(strips[[length(strips)]], cells[k])
    used <- used + widths[k]
  }
  lines <- lapply(strips, function(strip) c(cut_to(do.call(paste, c(unname(strip), sep = "  ")), width), ""))
  utils::head(unlist(lines), -1)
}

cut_to <- function(lines, width) cli::ansi_strtrim(cli::ansi_trimws(lines, "right"), width,
                                                   ellipsis = mark("\u2026", "..."))

# Text over as many lines as it needs, those after the first one set in.
wrapped <- function(text, width) strwrap(text, width = width, exdent = 2)
