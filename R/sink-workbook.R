# Workbooks of one sheet: the core writes the cells, zip packs them. What a cell can't hold is refused, or counted.

largest_sheet <- c(rows = 1048575, columns = 16384, characters = 32767)

write_workbook <- function(data, file, guard, call) {
  check_plain_columns(data, "A workbook", call, "difftime")
  if (nrow(data) > largest_sheet[["rows"]] || length(data) > largest_sheet[["columns"]]) {
    stop_because(c(paste0("A sheet holds at most {format(largest_sheet[['rows']], big.mark = ',')} rows and ",
                          "{format(largest_sheet[['columns']], big.mark = ',')} columns."),
                   "found" = "The table has {counted_rows(nrow(data))} and {counted(length(data), 'column')}.",
                     "try" = "Save it as {.code .csv} or {.code .parquet}."), "cannot_write", call)
  }
  if (guard) data <- safe_for_sheets(data)
  columns <- Map(function(column, name) sheet_values(column, name, call), as.list(data), names(data))
  tell_zones(data, call)
  folder <- tempfile("workbook")
  on.exit(remove_files(folder, recursive = TRUE))
  for (part in names(workbook_part_texts)) {
    dir.create(dirname(file.path(folder, part)), recursive = TRUE, showWarnings = FALSE)
    writeLines(paste0("<?xml version=\"1.0\" encoding=\"UTF-8\" standalone=\"yes\"?>\n",
                      workbook_part_texts[[part]]), file.path(folder, part))
  }
  header <- if (guard) safe_text(names(data)) else names(data)
  problem <- sheet_write_cpp(lapply(columns, `[[`, "values"), in_utf8(header), nrow(data),
                             vapply(columns, `[[`, 0L, "style"), file.path(folder, "xl", "sheet1.xml"))
  if (nzchar(problem)) stop_cannot_write(file, problem, call)
  pack_workbook(folder, file, call)
}

# The time that parts have is always the same, so that the same table gives the same file.
pack_workbook <- function(folder, file, call) {
  parts <- c(names(workbook_part_texts), "xl/sheet1.xml")
  Sys.setFileTime(file.path(folder, parts), as.POSIXct("2000-01-01", tz = "UTC"))
  # It goes to the folder before it looks at the path.
  path <- absolute_path(file)
  tryCatch(zip::zip(path, parts, root = folder, compression_level = 4, include_directories = FALSE, mode = "mirror"),
           error = function(e) stop_cannot_write(file, one_text(conditionMessage(e)), call))
}

# What is around a sheet. Style 1 is of dates, 2 of times, 3 of times with thousandths of a second.
workbook_part_texts <- list(
  "[Content_Types].xml" = paste0(
    paste0("<Types xmlns=\"http://schemas.openxmlformats.org/package/2006/content-types\"><Default ",
           "Extension=\"rels\" ContentType=\"application/vnd.openxmlformats-package.relationships+xml\"/>"),
    "<Default Extension=\"xml\" ContentType=\"application/xml\"/>",
    paste0("<Override PartName=\"/xl/workbook.xml\" ",
           "ContentType=\"application/vnd.openxmlformats-officedocument.spreadsheetml.sheet.main+xml\"/>"),
    paste0("<Override PartName=\"/xl/sheet1.xml\" ",
           "ContentType=\"application/vnd.openxmlformats-officedocument.spreadsheetml.worksheet+xml\"/>"),
    paste0("<Override PartName=\"/xl/styles.xml\" ",
           "ContentType=\"application/vnd.openxmlformats-officedocument.spreadsheetml.styles+xml\"/></Types>")),
  "_rels/.rels" = paste0(
    "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\"><Relationship Id=\"rId1\" ",
    paste0("Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/officeDocument\" ",
           "Target=\"xl/workbook.xml\"/></Relationships>")),
  "xl/workbook.xml" = paste0(
    paste0("<workbook xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\" ",
           "xmlns:r=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships\">"),
    "<sheets><sheet name=\"Sheet1\" sheetId=\"1\" r:id=\"rId1\"/></sheets></workbook>"),
  "xl/_rels/workbook.xml.rels" = paste0(
    "<Relationships xmlns=\"http://schemas.openxmlformats.org/package/2006/relationships\">",
    paste0("<Relationship Id=\"rId1\" ",
           "Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/worksheet\" ",
           "Target=\"sheet1.xml\"/>"),
    paste0("<Relationship Id=\"rId2\" ",
           "Type=\"http://schemas.openxmlformats.org/officeDocument/2006/relationships/styles\" ",
           "Target=\"styles.xml\"/></Relationships>")),
  "xl/styles.xml" = paste0(
    "<styleSheet xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\">",
    paste0("<numFmts count=\"3\"><numFmt numFmtId=\"164\" formatCode=\"yyyy\\-mm\\-dd\"/><numFmt numFmtId=\"165\" ",
           "formatCode=\"yyyy\\-mm\\-dd\\ hh:mm:ss\"/>"),
    "<numFmt numFmtId=\"166\" formatCode=\"yyyy\\-mm\\-dd\\ hh:mm:ss.000\"/></numFmts>",
    "<fonts count=\"1\"><font><sz val=\"11\"/><name val=\"Calibri\"/></font></fonts>",
    paste0("<fills count=\"2\"><fill><patternFill patternType=\"none\"/></fill><fill><patternFill ",
           "patternType=\"gray125\"/></fill></fills>"),
    "<borders count=\"1\"><border><left/><right/><top/><bottom/><diagonal/></border></borders>",
    "<cellStyleXfs count=\"1\"><xf numFmtId=\"0\" fontId=\"0\" fillId=\"0\" borderId=\"0\"/></cellStyleXfs>",
    "<cellXfs count=\"4\"><xf numFmtId=\"0\" fontId=\"0\" fillId=\"0\" borderId=\"0\" xfId=\"0\"/>",
    paste0("<xf numFmtId=\"", 164:166,
           "\" fontId=\"0\" fillId=\"0\" borderId=\"0\" xfId=\"0\" applyNumberFormat=\"1\"/>", collapse = ""),
    "</cellXfs></styleSheet>")
)

# The values of a column as cells have them, and the number of their style.
sheet_values <- function(column, name, call) {
  plain <- function(values, style = 0L) list(values = values, style = style)
  if (inherits(column, "Date")) return(plain(sheet_numbers(column, 1, name, call), 1L))
  if (inherits(column, "POSIXt")) {
    seconds <- as.numeric(as_point_in_time(column))
    return(plain(sheet_numbers(column, 86400, name, call),
                 if (all(seconds == floor(seconds), na.rm = TRUE)) 2L else 3L))
  }
  if (inherits(column, "integer64")) {
    values <- bit64::as.double.integer64(column)
    if (any(abs(values) >= 1e15, na.rm = TRUE)) {
      stop_not_held("A workbook", name, "has whole numbers of more than 15 digits",
                    "Turn it into text: {.code {name} <- as.character({name})}.", call)
    }
    return(plain(values))
  }
  if (is.character(column) || is.factor(column) || is.object(column)) {
    texts <- writable_texts(if (is.character(column)) as.vector(column) else as.character(column), name, call)
    # It counts in units of UTF-16, of which a character has one or two.
    long <- texts[which(count_characters_cpp(texts) > largest_sheet[["characters"]] / 2)]
    if (any(lengths(iconv(long, "UTF-8", "UTF-16LE", toRaw = TRUE)) / 2 > largest_sheet[["characters"]])) {
      stop_not_held("A workbook", name, "has a text of more than 32,767 characters",
                    "Save the table as {.code .csv}.", call)
    }
    return(plain(texts))
  }
  if (is.double(column)) check_finite(as.vector(column), "A workbook", name, call)
  plain(as.vector(column))
}

# Days since the last of 1899, from 1900 on: before that a workbook has no dates. It keeps whole days, and
# thousandths of a second.
sheet_numbers <- function(column, per_day, name, call) {
  exact <- as.numeric(as_point_in_time(column))
  days <- floor(exact / per_day)
  if (any(is.infinite(exact)) || any(days < -25567 | days >= 2932897, na.rm = TRUE)) {
    stop_not_held("A workbook", name, "has dates before 1900, or after 9999",
                  "Make them text, as by {.code as.character({name})}, or missing.", call)
  }
  kept <- if (per_day == 1) days else round(exact * 1e3) / 1e3
  warn_changed("a workbook", sum(kept != exact, na.rm = TRUE), name,
               if (per_day == 1) "keeps whole days" else "keeps thousandths of a second", call)
  sheet_number(kept / per_day)
}

# A workbook has clock times without a zone.
tell_zones <- function(data, call) {
  for (name in names(data)) {
    if (!inherits(data[[name]], "POSIXt")) next
    zone <- c(attr(data[[name]], "tzone"), "")[1]
    if (!nzchar(zone)) zone <- Sys.timezone()
    if (is.null(zone) || is.na(zone) || zone %in% c("UTC", "GMT", "Etc/UTC")) next
    note_that("The times of {.code {name}} are in {zone}; in the workbook they are in UTC.", "zone")
  }
}
