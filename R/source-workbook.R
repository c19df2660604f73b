# Sheets of workbooks. A cell has a type of its own: a column has one only if its cells agree, and a cell that does
# not is named. Parts of .xlsx files are unpacked by zip and read by the core; .xls files are read by readxl.

#' @export
read_files.xlsx_source <- function(source, files, columns, call) read_workbooks(source, files, cells_of_xlsx, call)

#' @export
read_files.xls_source <- function(source, files, columns, call) read_workbooks(source, files, cells_of_xls, call)

read_workbooks <- function(source, files, read_cells, call) {
  check_types(source$options$types, call)
  tables <- unname(Map(function(path, name) sheet_table(read_one_file(source, path, name, read_cells, call), name,
                                                        source$options, call), files$path, files$name))
  check_one_shape(lapply(tables, function(table) names(table$values)), files$name, call)
  rows <- vapply(tables, `[[`, 0, "rows")
  place <- function(name) function(file, row) paste("the cell", cell_of(tables[[file]], name, row))
  values <- lapply(stats::setNames(nm = names(tables[[1]]$values)), function(name) {
    put_files_below(lapply(tables, function(table) table$values[[name]]), name, files$name, place(name), call)
  })
  data <- structure(values, row.names = .set_row_names(sum(rows)), class = "data.frame")
  with_file_column(data, source, files$name, rows, call)
}

# The cells of a sheet: `rows`, and of each of the `columns` its place `at`, what there `is` in each row, `number`
# and `text`. The numbers are those of the core's CellIs; 0 is a cell where nothing is.
cell_is <- c(number = 1L, moment = 2L, duration = 3L, text = 4L, logical = 5L, error = 6L, unsaved = 7L)

cells_of_xlsx <- function(source, path, name, call) {
  folder <- tempfile("workbook")
  on.exit(remove_files(folder, recursive = TRUE))
  known <- tryCatch(zip::zip_list(path)$filename, error = function(e) NULL)
  if (is.null(known)) stop_not_workbook(name, "It is not packed like one, is damaged, or has a password.", call)
  part <- function(file) {
    if (!file %in% known || grepl("..", file, fixed = TRUE)) return("")
    tryCatch(zip::unzip(path, files = file, exdir = folder),
             error = function(e) stop_not_workbook(name, "It is damaged: {.code {file}} can't be unpacked.", call,
                                                   file))
    file.path(folder, file)
  }
  sound <- function(found) {
    if (!is.null(found$problem)) {
      stop_not_workbook(name,
                        if (nzchar(found$cell)) "The cell {.code {found$cell}} {found$problem}."
                          else "It is damaged: {found$problem}.", call, found = found)
    }
    found
  }
  workbook <- sound(workbook_file_cpp(part("_rels/.rels")))$file
  beside <- paste0(dirname(workbook), "/")
  relations <- part(paste0(beside, "_rels/", basename(workbook), ".rels"))
  if (!nzchar(part(workbook)) || !nzchar(relations)) stop_not_workbook(name, "It has no sheets.", call)
  parts <- sound(workbook_parts_cpp(part(workbook), relations, beside))
  at <- sheet_wanted(source$options$sheet, parts$names, parts$hidden, name, call)
  sheet <- part(parts$files[at])
  if (!nzchar(sheet)) stop_not_workbook(name, "It is damaged: the sheet is not there.", call)
  c(sound(sheet_read_cpp(sheet, part(parts$strings), part(parts$styles))), from_1904 = parts$from_1904,
    sheet = parts$names[at])
}

stop_not_workbook <- function(name, why, call, file = NULL, found = NULL) {
  stop_because(c("Can't read the workbook {.file {name}}.", "found" = why), "unreadable_file", call, file = name)
}

# By its name or its number; the first that can be seen.
sheet_wanted <- function(sheet, sheets, hidden, name, call) {
  if (is.null(sheet)) {
    if (!length(sheets)) stop_not_workbook(name, "It has no sheets of cells.", call)
    if (all(hidden)) {
      stop_because(c("All sheets of {.file {name}} are hidden.",
                     "try" = "Say which to read: {.code sheet = \"{sheets[1]}\"}."), "no_such_sheet", call)
    }
    return(which(!hidden)[1])
  }
  at <- if (is.character(sheet)) match(sheet, sheets) else if (is.numeric(sheet)) match(sheet, seq_along(sheets))
  if (length(at) == 1 && !is.na(at)) return(at)
  stop_because(c("The workbook has no sheet {.val {sheet}}.", "try" = "It has {.val {sheets}}."), "no_such_sheet", call)
}

# What readxl gives of each cell. An error of the workbook, and a formula without a value, are to it as if there
# were nothing.
cells_of_xls <- function(source, path, name, call) {
  sheets <- readxl::excel_sheets(path)
  at <- sheet_wanted(source$options$sheet, sheets, rep(FALSE, length(sheets)), name, call)
  data <- suppressMessages(readxl::read_excel(path, at, range = readxl::cell_limits(c(1, 1), c(NA, NA)),
                                              col_names = FALSE, col_types = "list", na = character(),
                                              trim_ws = FALSE,
                                              .name_repair = "minimal", progress = FALSE))
  columns <- lapply(seq_along(data), function(k) {
    cells <- data[[k]]
    is <- vapply(cells, kind_of_xls_cell, 0L)
    number <- vapply(cells, function(cell) if (is.character(cell)) NA_real_ else if (inherits(cell,
        "POSIXct")) sheet_number(as.numeric(cell) / 86400) else as.numeric(cell), 0)
    list(at = k, is = is, number = number, text = vapply(cells,
                                                         function(cell) if (is.character(cell)) enc2utf8(cell)
                                                           else NA_character_, ""))
  })
  list(rows = nrow(data), columns = Filter(function(column) any(column$is > 0), columns), from_1904 = FALSE,
       sheet = sheets[at])
}

kind_of_xls_cell <- function(cell) {
  if (is.na(cell)) return(0L)
  if (inherits(cell, "POSIXct")) return(cell_is[["moment"]])
  if (is.character(cell)) cell_is[["text"]] else if (is.logical(cell)) cell_is[["logical"]] else cell_is[["number"]]
}

# The number of a day, as workbooks count from the last of 1899, with a 29th of February 1900.
sheet_number <- function(days) days + 25568 + (days >= -25508)

# The table that a sheet has: its first row that is not blank names the columns, unless there is no header.
sheet_table <- function(cells, file, options, call) {
  columns <- cells$columns
  first <- if (length(columns)) min(vapply(columns, function(column) which(column$is > 0)[1], 0L)) else 0
  rows <- seq_len(cells$rows)
  rows <- rows[rows > first - !options$header]
  names <- options$names
  if (is.null(names) && !options$header) {
    stop_because(c("A sheet without a header needs {.arg names}.",
                   "try" = "{.code names = c(\"hive\", \"day\", \"gross_kg\")}"), "bad_argument", call)
  }
  if (is.null(names)) names <- vapply(columns, header_of, "", row = first, file = file, call = call)
  if (length(names) != length(columns)) {
    stop_because(paste0("{.arg names} names {counted(length(names), 'column')}, and the sheet {.val {cells$sheet}} ",
                        "of {.file {file}} has {length(columns)}."), "bad_argument", call)
  }
  names <- enc2utf8(names)
  check_sheet_names(names, vapply(columns, `[[`, 0L, "at"), first, call)
  check_types_known(options$types, names, call)
  table <- list(mixed = new.env(parent = emptyenv()), rows = as.numeric(length(rows)),
                first = if (length(rows)) rows[1] else 1,
                at = stats::setNames(vapply(columns, `[[`, 0L, "at"), names), file = file,
                from_1904 = cells$from_1904)
  table$values <- stats::setNames(Map(function(column, name) sheet_column(column, rows, name, table, options, call),
                                      columns, names), names)
  warn_of_mixed(intersect(names, ls(table$mixed, all.names = TRUE)), table, call)
  warn_of_cells(columns, rows, table, call)
  table
}

warn_of_mixed <- function(names, table, call) {
  if (!length(names)) return(invisible())
  first <- table$mixed[[names[1]]]
  warn_because(c(paste0("{listed(names)} of {.file {table$file}} {cli::qty(length(names))}{?has/have} numbers and ",
                        "text, and {?is/are} read as text."),
                        "found" = "{if (length(names) > 1) paste0('Of ', names[1], ': ')}{first}"),
               "mixed_cells", call, column = names)
}

header_of <- function(column, row, file, call) {
  kind <- column$is[row]
  if (kind == 0) return("")
  if (kind == cell_is[["text"]]) return(column$text[row])
  if (kind >= cell_is[["error"]]) {
    stop_not_workbook(file, "The cell {.code {found}}, which names a column, has no value.", call,
                      found = cell_name_cpp(row, column$at))
  }
  cell_texts(column$is[row], column$number[row], NA, FALSE)
}

check_sheet_names <- function(names, at, row, call) {
  bad <- which(!nzchar(names) | is.na(names) | duplicated(names))
  if (!length(bad)) return(invisible())
  stop_because(c(if (nzchar(names[bad[1]])) "Two columns of the sheet are named {.code {names[bad[1]]}}."
    else "Column {at[bad[1]]} of the sheet has no name, in the cell {.code {cell_name_cpp(row, at[bad[1]])}}.",
                 "try" = "Name the columns by {.code names = c(\u2026)}."), "bad_names", call)
}

cell_of <- function(table, name, row) cell_name_cpp(as.integer(table$first + row - 1), table$at[[name]])

# The values of a column in these rows.
sheet_column <- function(column, rows, name, table, options, call) {
  is <- column$is[rows]
  number <- column$number[rows]
  text <- if (length(column$text)) column$text[rows] else rep(NA_character_, length(rows))
  is[is >= cell_is[["error"]]] <- 0L
  # What stands for a missing value does so among numbers and dates; among texts only if that was asked for.
  stands_for_missing <- is == cell_is[["text"]] & text %in% options$missing
  others <- unique(is[is > 0 & !stands_for_missing])
  was_asked <- !identical(options$missing, table_options()$missing)
  if (was_asked || length(others) && !cell_is[["text"]] %in% others) is[stands_for_missing] <- 0L
  found <- sort(unique(is[is > 0]))
  asked <- if (name %in% names(options$types)) options$types[[name]]
  as_text <- function() replace(cell_texts(is, number, text, table$from_1904), is == 0, NA)
  if (identical(asked, "text") || identical(asked, "category")) return(as_csv_type(as_text(), asked))
  if (length(found) > 1) {
    if (!is.null(asked) || !identical(found, unname(cell_is[c("number", "text")]))) {
      stop_mixed_cells(is, number, text, found, name, table, call)
    }
    table$mixed[[name]] <- mixed_cells(is, number, text, found, name, table)
    return(as_text())
  }
  if (!length(found)) return(rep(NA, length(rows)))
  number[is == 0] <- NA
  values <- switch(names(cell_is)[found],
    number = number,
    moment = sheet_moments(number, name, table, call),
    duration = as.difftime(round(number * 86400e3) / 3600e3, units = "hours"),
    text = replace(text, is == 0, NA),
    logical = number == 1
  )
  as_asked(values, asked, name, table, call)
}

# A type that was asked for must be the one that the cells have.
as_asked <- function(values, asked, name, table, call) {
  if (is.null(asked) || all(is.na(values))) return(values)
  fits <- switch(asked, logical = is.logical(values), number = is.double(values) && !is.object(values), integer = ,
                 integer64 = is.double(values) && !is.object(values) && all(values == floor(values), na.rm = TRUE),
                 date = inherits(values, "Date"), time = inherits(values, "POSIXct") || inherits(values, "Date"))
  if (!fits) {
    stop_because(c("{.code {name}} of {.file {table$file}} has {values_are(values)}, and not what {.arg types} says.",
                   "try" = "It can be read as text: {.code types = c({name} = \"text\")}."),
                 "type_mismatch", call, column = name)
  }
  switch(asked, integer = as.integer(values), integer64 = bit64::as.integer64(values),
         time = if (inherits(values, "Date")) .POSIXct(as.numeric(values) * 86400, "UTC") else values, values)
}

mixed_cells <- function(is, number, text, found, name, table) {
  firsts <- match(found, is)
  shown <- cell_texts(is[firsts], number[firsts], text[firsts], table$from_1904)
  what <- c(number = "number", moment = "date or time", duration = "duration", text = "text",
            logical = "logical value")[names(cell_is)[found]]
  cells <- vapply(firsts, function(row) cell_of(table, name, row), "")
  paste0("The first ", paste0(what, " is ", vapply(shown, quoted, ""), " in the cell ", cells,
                              collapse = ", the first "), ".")
}

stop_mixed_cells <- function(is, number, text, found, name, table, call) {
  stop_because(c("The cells of {.code {name}} in {.file {table$file}} are of several types.",
                 "found" = "{mixed_cells(is, number, text, found, name, table)}",
                 "try" = paste0("Give them one type in the workbook, or read all as text: ",
                              "{.code types = c({name} = \"text\")}.")), "type_mismatch", call, column = name,
                              file = table$file)
}

# Days since the last of 1899, or since 1904, as a workbook counts them.
sheet_moments <- function(number, name, table, call) {
  days <- sheet_days(number, table$from_1904)
  bad <- which(!is.na(number) & is.na(days))
  if (length(bad)) {
    stop_because(c(paste0("The cell {.code {cell_of(table, name, bad[1])}} of {.file {table$file}} is shown as a ",
                          "date, but there is no such date."), "found" = "Its number is {number[bad[1]]}.",
                   "try" = "Correct it, or read the column as text: {.code types = c({name} = \"text\")}."),
                     "unreadable_file", call, column = name, file = table$file, rows = bad)
  }
  if (all(days == floor(days), na.rm = TRUE)) structure(days,
                                                        class = "Date") else .POSIXct(round(days * 86400e3) / 1e3,
                                                            "UTC")
}

# A time without a day is not a date.
sheet_days <- function(number, from_1904) {
  days <- if (from_1904) number - 24107 else days_of_serial(number)
  replace(days, days >= 2932897 | number < 0, NA)
}

cell_texts <- function(is, number, text, from_1904) {
  texts <- text
  plain <- is %in% cell_is[c("number", "duration")]
  texts[plain] <- shortest_texts_cpp(as.double(number[plain]))
  is_logical <- is == cell_is[["logical"]]
  texts[is_logical] <- ifelse(number[is_logical] == 1, "TRUE", "FALSE")
  is_moment <- is == cell_is[["moment"]]
  days <- sheet_days(number[is_moment], from_1904)
  texts[is_moment] <- ifelse(is.na(days), shortest_texts_cpp(as.double(number[is_moment])),
                           ifelse(days == floor(days), iso_texts_cpp(floor(days), TRUE),
                                  iso_texts_cpp(round(days * 86400e3) / 1e3, FALSE)))
  texts
}

# Cells that have no value though something stands there: counted, and the first is named.
warn_of_cells <- function(columns, rows, table, call) {
  for (kind in c("error", "unsaved")) {
    counts <- vapply(columns, function(column) sum(column$is[rows] == cell_is[[kind]]), 0L)
    number <- sum(counts)
    if (!number) next
    column <- columns[[which(counts > 0)[1]]]
    row <- rows[match(cell_is[[kind]], column$is[rows])]
    cell <- cell_name_cpp(row, column$at)
    message <- if (kind == "error") {
      c(paste("{counted(number, 'cell')} of {.file {table$file}} {cli::qty(number)}{?is an error/are errors}",
              "of the workbook, and {?is/are} missing here."),
        "found" = "The first is {.val {column$text[row]}}, in {.code {cell}}.")
    } else {
      c(paste("{counted(number, 'formula')} of {.file {table$file}} {cli::qty(number)}{?has/have} no value in the",
              "file, and {?is/are} missing here."),
        "found" = "The first is in {.code {cell}}.",
        "try" = "Open the workbook in a program that calculates, and save it.")
    }
    warn_because(message, "cells_without_value", call, file = table$file)
  }
}

#' @export
source_place.xlsx_source <- function(source, row, call) {
  for (k in seq_len(nrow(files <- source_files(source, call)))) {
    cells <- read_one_file(source, files$path[k], files$name[k], cells_of_xlsx, call)
    table <- suppressWarnings(sheet_table(cells, files$name[k], source$options, call))
    if (row <= table$rows) return(paste0(files$name[k], ", sheet ", cells$sheet, ", row ", table$first + row - 1))
    row <- row - table$rows
  }
}
