#' Look at a table
#'
#' Shows the size of a table, every column with its type and its number of missing values, and the
#' first rows. In a rooted table, the columns made by its steps come first, each beside the columns
#' it was made from, however wide the table is; columns that make groups come before them.
#'
#' @param x A data frame, a rooted table, or the path of a file, or of several by a pattern.
#' @param rows How many rows to show.
#' @param ... For a path, arguments of [open_table()], such as `table = "visits"`.
#' @return An object of class `table_view`, which prints to the width of the console. It is a list
#'   with `title`, `rows`, `columns` (a data frame of `name`, `type`, `missing`), `strips` (the
#'   columns shown side by side) and `head` (the first rows).
#' @section Errors:
#' `rowanroot_not_a_table`, and those of [open_table()].
#' @examples
#' visits <- data.frame(
#'   hive = c("NB-01", "NB-02", "SH-01"),
#'   gross_kg = c(31, 28.5, NA), tare_kg = c(6, 6.2, 5.9)
#' )
#' peek(visits)
#' peek(open_table(visits) |> set_columns({ net_kg <- gross_kg - tare_kg }))
#' @export
peek <- function(x, rows = 6, ...) {
  call <- quote(peek())
  if (!is.numeric(rows) || length(rows) != 1 || is.na(rows) || rows < 0) {
    stop_because("{.arg rows} must be a number of rows, 0 or more, not {.code {one_line(rows)}}.", "bad_argument", call)
  }
  if (is.character(x)) return(view_of(open_table(x, ...), rows, call))
  if (...length()) {
    stop_because(c("Only {.arg x} and {.arg rows} are used for a table.",
                   "try" = "Give the path of a file, such as {.code peek(\"hives.sqlite\", table = \"visits\")}."),
                 "bad_argument", call)
  }
  check_table(x, call)
  view_of(x, rows, call)
}

view_of <- function(x, rows, call) {
  view <- function(data, counts) new_table_view(data, table_title(x), table_origins(x), rows, table_leads(x), counts)
  there <- if (is_rooted_table(x)) looked_at_in_database(x, function(relation, connection) {
    view(first_in_database(relation, connection, rows), counts_in_database(relation, connection))
  }, call)
  if (!is.null(there)) return(there)
  data <- if (is_rooted_table(x)) table_data(x, call) else x
  view(data, list(rows = nrow(data), missing = vapply(data, count_missing, 0)))
}

# `counts` has how many rows there are, and in how many each column is missing; `data` the first of them, or all.
new_table_view <- function(data, title, origins, rows, leads, counts) {
  columns <- data.frame(name = names(data), type = vapply(data, type_name, ""), missing = unname(counts$missing),
                        row.names = NULL)
  derived <- Map(function(name, from) c(name, from), names(origins), origins)
  derived <- derived[!names(derived) %in% leads]
  rest <- setdiff(names(data), c(leads, unlist(derived)))
  structure(list(title = title, rows = counts$rows, columns = columns, leads = leads, derived = unname(derived),
                 rest = rest, head = utils::head(data, rows)), class = "table_view")
}

count_missing <- function(column) if (is.list(column)) 0 else as.numeric(sum(is.na(column)))

#' @export
format.table_view <- function(x, width = cli::console_width(), ...) {
  made <- match(c(x$leads, vapply(x$derived, `[`, "", 1)), x$columns$name)
  columns <- format_names(x$columns[c(made, setdiff(seq_len(nrow(x$columns)), made)), ])
  c(cli::style_bold(paste0(x$title, ": ", counted_rows(x$rows), ", ", counted(nrow(x$columns), "column"))),
    if (nrow(x$columns)) c("", at_most_lines(strwrap_cells(columns, width), 8)),
    if (x$rows > 0) cli::ansi_trimws(format_strips(x, width), "right"))
}

missing_note <- function(missing) {
  ifelse(missing > 0, cli::col_yellow(paste0(" (", format(missing, big.mark = ",", trim = TRUE), " missing)")), "")
}

# Each column with its type; of three or more numbered alike, one after the other, only the first and the last:
# `kg_1:kg_8`.
format_names <- function(columns) {
  if (!nrow(columns)) return(character())
  cells <- paste0(shown_cell(columns$name), " ", cli::col_grey(columns$type), missing_note(columns$missing))
  stem <- ifelse(columns$missing == 0 & grepl("[0-9]$", columns$name),
                 paste(sub("[0-9]+$", "", columns$name), columns$type), NA)
  begins <- c(TRUE, !(stem[-1] == utils::head(stem, -1)) %in% TRUE)[seq_along(stem)]
  runs <- cumsum(begins)
  unlist(lapply(unname(split(seq_along(cells), runs)), function(run) {
    if (length(run) < 3) return(cells[run])
    ends <- shown_cell(columns$name[range(run)])
    paste0(ends[1], ":", ends[2], " ", cli::col_grey(columns$type[run[1]]))
  }))
}

at_most_lines <- function(lines, most) {
  if (length(lines) <= most) return(lines)
  c(utils::head(lines, most - 1), paste0(mark("\u2026", "..."), " all of them: names(x), column_summary(x)"))
}

# Cells with commas between them, over as many lines as they need.
strwrap_cells <- function(cells, width) {
  widths <- cli::ansi_nchar(cells, "width") + 2
  line <- 1L
  used <- 0
  lines <- integer(length(cells))
  for (k in seq_along(cells)) {
    if (used > 0 && used + widths[k] > width) {
      line <- line + 1L
      used <- 0
    }
    used <- used + widths[k]
    lines[k] <- line
  }
  rows <- tapply(paste0(cells, ifelse(seq_along(cells) == length(cells), "", ",")), lines, paste, collapse = " ")
  as.vector(rows)
}

# Strips of columns side by side, each with the first rows. A derived column and those that it came from
# stay together; what does not fit beside the strip before begins the next.
format_strips <- function(x, width) {
  head <- unclass(x$head)
  numbers <- if (has_row_names(x$head)) left(cut_to(c("", shown_cell(row.names(x$head))), 20)) else right(c("",
      seq_len(nrow(x$head))))
  strips <- list()
  # What steps made is shown in full, of the others as much as fits in two strips more.
  most <- if (length(x$derived)) Inf else 3
  shown <- 0
  after_derived <- FALSE
  groups <- c(as.list(x$leads), x$derived, as.list(x$rest))
  for (names in groups) {
    is_derived <- shown >= length(x$leads) && shown < length(x$leads) + length(x$derived)
    if (shown >= length(x$leads) + length(x$derived) && is.infinite(most)) most <- length(strips) + 2
    group <- format_group(names, head, is_derived)
    last <- length(strips)
    between <- if (group$derived || after_derived) paste0(" ", mark("\u2502", "|"), " ") else "  "
    beside <- if (last) paste0(strips[[last]], between, group$lines)
    after_derived <- group$derived
    if (last && max(cli::ansi_nchar(beside, "width")) <= width) strips[[last]] <- beside
    else if (last < most) strips[[last + 1]] <- paste0(cli::col_grey(numbers), "  ", group$lines)
    else break
    shown <- shown + 1
  }
  lines <- unlist(lapply(strips, function(strip) c("", strip)))
  hidden <- utils::tail(x$rest, length(groups) - shown)
  c(lines, if (length(hidden)) c("", wrapped(paste0("Not shown: ", counted(length(hidden), "other column"),
                                                    ". To see some: peek(keep_columns(x, ", code_name(hidden[1]),
                                                    "))"), width)))
}

# A name as it stands in code.
code_name <- function(name) one_line(as.name(name), 60L)

# net_kg < gross_kg, tare_kg: the column, an arrow, and what it came from.
format_group <- function(names, head, derived) {
  cells <- lapply(names, function(name) format_cells(head[[name]], name, derived && name == names[1]))
  if (!derived || length(names) == 1) return(list(lines = do.call(paste, c(cells, sep = "  ")), derived = derived))
  arrow <- c(mark("\u2190", "<"), rep(" ", length(cells[[1]]) - 1))
  list(lines = do.call(paste, c(cells[1], list(arrow), list(do.call(paste, c(cells[-1], sep = "  "))))),
       derived = derived)
}

format_cells <- function(column, name, strong) {
  cells <- if (is.list(column)) rep("...", length(column)) else format_column(column)
  cells[is.na(column)] <- cli::col_yellow("NA")
  name <- shown_cell(name)
  heading <- if (strong) cli::style_bold(cli::col_cyan(name)) else cli::style_bold(name)
  if (is.numeric(column)) right(c(heading, cells)) else left(c(heading, cells))
}

format_column <- function(column) {
  if (is.double(column) && !is.object(column)) return(trimws(format(column, digits = 5)))
  cells <- if (length(dim(column)) == 2) rep("...", nrow(column)) else format(column, trim = TRUE)
  cut_to(shown_cell(cells), 24)
}

#' @export
print.table_view <- function(x, width = cli::console_width(), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}

#' @export
print.rooted_table <- function(x, ...) {
  print(view_of(x, 6, NULL), ...)
  invisible(x)
}
