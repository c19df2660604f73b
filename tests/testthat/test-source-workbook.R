# A workbook of these cells, one row a line of XML; `styles` are number formats, which cells name by `s`, from 1.
local_workbook <- function(rows, path = "given.xlsx", formats = character(),
                           sheets = "<sheet name=\"One\" sheetId=\"1\" r:id=\"rId1\"/>", about = "", strings = NULL) {
  parts <- workbook_part_texts
  main <- "xmlns=\"http://schemas.openxmlformats.org/spreadsheetml/2006/main\""
  parts[["xl/styles.xml"]] <- paste0("<styleSheet ", main, "><numFmts>",
                                     paste0("<numFmt numFmtId=\"", 163 + seq_along(formats), "\" formatCode=\"",
                                            formats, "\"/>", collapse = ""),
                                     "</numFmts><cellXfs><xf numFmtId=\"0\"/>",
                                     paste0("<xf numFmtId=\"", 163 + seq_along(formats), "\"/>", collapse = ""),
                                       "</cellXfs></styleSheet>")
  parts[["xl/workbook.xml"]] <- paste0("<workbook ", main, " xmlns:r=\"r\">", about, "<sheets>", sheets,
                                       "</sheets></workbook>")
  type <- "http://schemas.openxmlformats.org/officeDocument/2006/relationships/"
  parts[["xl/_rels/workbook.xml.rels"]] <- paste0("<Relationships><Relationship Id=\"rId1\" Type=\"", type,
                                                  paste0("worksheet\" Target=\"/xl/sheet1.xml\"/><Relationship ",
                                                         "Id=\"rId2\" Type=\""), type,
                                                  "styles\" Target=\"styles.xml\"/>",
                                                  "<Relationship Id=\"rId3\" Type=\"", type,
                                                    paste0("sharedStrings\" ",
                                                           paste0("Target=\"../xl/strings.xml\"/><Relationship ",
                                                                  "Id=\"rId4\" Type=\"")), type,
                                                                  "worksheet\" Target=\"sheet2.xml\"/></Relationships>")
  parts[["xl/strings.xml"]] <- paste0("<sst ", main, ">", paste0("<si>", strings, "</si>", collapse = ""), "</sst>")
  parts[["xl/sheet1.xml"]] <- paste0("<x:worksheet xmlns:x=\"main\"><x:sheetData>",
                                     paste0("<x:row>", rows, "</x:row>", collapse = ""),
                                     "</x:sheetData></x:worksheet>") |>
                                     gsub(pattern = "<(/?)(c|v|f|is|t)([ >/])", replacement = "<\\1x:\\2\\3")
  parts[["xl/sheet2.xml"]] <- paste0("<worksheet ", main,
                                     paste0("><sheetData><row r=\"1\"><c r=\"A1\" ",
                                            "t=\"str\"><v>seen</v></c></row></sheetData></worksheet>"))
  folder <- tempfile()
  for (part in names(parts)) write_text(parts[[part]], file.path(folder, part))
  unlink(path)
  path <- file.path(getwd(), path)
  zip::zip(path, names(parts), root = folder, include_directories = FALSE)
  invisible(path)
}

number <- function(value, style = 0) paste0("<c s=\"", style, "\"><v>", value, "</v></c>")
text <- function(value) paste0("<c t=\"inlineStr\"><is><t>", value, "</t></is></c>")
row_of <- function(...) paste0(...)
opened <- function(...) suppressWarnings(as.data.frame(open_table("given.xlsx", ...)))

test_that("columns have the type that all their cells have, and a cell that has not is named", {
  local_folder()
  local_workbook(c(row_of(text("day"), text("kg")), row_of(number(46023, 1), number(1)),
                   row_of(text("not yet"), number(2)), row_of(number(46024, 1), number(46023, 1))),
                 formats = "yyyy-mm-dd")
  expect_snapshot(error = TRUE, as.data.frame(open_table("given.xlsx")))
  expect_error(opened(types = c(day = "text")), "in the cell B4", class = "rowanroot_type_mismatch")
  expect_identical(opened(types = c(day = "text", kg = "text")),
                   data.frame(day = c("2026-01-01", "not yet", "2026-01-02"), kg = c("1", "2", "2026-01-01")))
  local_workbook(c(row_of(text("hive")), row_of(number(12.5)), row_of(text("NB"))))
  expect_warning(found <- open_table("given.xlsx"), "in the cell A3", class = "rowanroot_mixed_cells")
  expect_identical(found$hive, c("12.5", "NB"))
})

test_that("what stands for missing does so among numbers, and among texts only if that is asked", {
  local_folder()
  local_workbook(c(row_of(text("hive"), text("kg")), row_of(text("NA"), text("NA")), row_of(text("-"), number(2))))
  expect_identical(opened(), data.frame(hive = c("NA", "-"), kg = c(NA, 2)))
  expect_identical(opened(missing = c("-", "NA")), data.frame(hive = NA, kg = c(NA, 2)))
})

test_that("errors of the workbook, and formulas without a value, are counted and named", {
  local_folder()
  local_workbook(c(row_of(text("a"), text("b")), row_of("<c t=\"e\"><v>#N/A</v></c>", "<c><f>1+1</f></c>"),
                   row_of(number(1), "<c><f>1+1</f><v>2</v></c>"),
                   row_of("<c t=\"e\"><f>1/0</f><v>#DIV/0!</v></c>", number(3))))
  warnings <- testthat::capture_warnings(found <- as.data.frame(open_table("given.xlsx")))
  expect_identical(found, data.frame(a = c(NA, 1, NA), b = c(NA, 2, 3)))
  expect_match(warnings[1], "2 cells of .given.xlsx. are errors")
  expect_match(warnings[1], "\"#N/A\", in `A2`", fixed = TRUE)
  expect_match(warnings[2], "1 formula of .given.xlsx. has no value")
  expect_match(warnings[2], "`B2`")
})

test_that("dates, times of day and durations are right, or refused", {
  local_folder()
  formats <- c("yyyy-mm-dd", "h:mm", "[h]:mm", "0.00&quot;d&quot;", "dd/mm/yyyy hh:mm")
  local_workbook(c(row_of(text("day"), text("time"), text("lasts"), text("kg"), text("at")),
                   row_of(number(1, 1), number(0.25, 2), number(1.5, 3), number(7, 4), number(46023.5, 5)),
                     row_of(number(61, 1), number(0, 2), number(0.1, 3), number(8, 4), number(46024, 5))),
                     formats = formats)
  found <- opened()
  expect_identical(found$day, as.Date(c("1900-01-01", "1900-03-01")))
  expect_identical(found$time, as.difftime(c(6, 0), units = "hours"))
  expect_equal(as.numeric(found$lasts), c(36, 2.4))
  expect_identical(found$kg, c(7, 8))
  expect_identical(found$at, .POSIXct(c(1767268800, 1767312000), "UTC"))
  for (bad in c(60, -1, 0.5, 1e7)) {
    local_workbook(c(row_of(text("day")), row_of(number(bad, 1))), formats = formats)
    expect_error(opened(), "`A2`", class = "rowanroot_unreadable_file", info = bad)
  }
  local_workbook(c(row_of(text("day")), row_of(number(0, 1)), row_of("<c t=\"d\"><v>2026-01-01T06:00:00Z</v></c>")),
                 formats = formats, about = "<workbookPr date1904=\"1\"/>")
  expect_error(opened(), NA)
  local_workbook(c(row_of(text("kg")), row_of(number("1E+400"))))
  expect_error(opened(), "too large", class = "rowanroot_unreadable_file")
})

test_that("the first sheet that can be seen is read, from its first row on, and strings have their runs", {
  local_folder()
  sheets <- paste0("<sheet name=\"One\" sheetId=\"1\" state=\"hidden\" r:id=\"rId1\"/><sheet name=\"Two\" ",
                   "sheetId=\"2\" r:id=\"rId4\"/>")
  local_workbook("<c t=\"inlineStr\"><is><t>secret</t></is></c>", sheets = sheets)
  expect_identical(names(open_table("given.xlsx")), "seen")
  expect_identical(names(open_table("given.xlsx", sheet = "One")), "secret")
  expect_error(open_table("given.xlsx", sheet = 3), class = "rowanroot_no_such_sheet")
  local_workbook(c("", "", row_of(text("hive"), text("kg")), row_of("<c t=\"s\"><v>0</v></c>", number(1)), "",
                   row_of("<c t=\"s\"><v>1</v></c>", number(3))),
                 strings = c("<t xml:space=\"preserve\"> a</t>",
                             "<r><t>b_x0041_</t></r><rPh><t>no</t></rPh><r><t>&amp;&#x1F41D;</t></r>"))
  expect_identical(opened(), data.frame(hive = c(" a", NA, "bA&\U1F41D"), kg = c(1, NA, 3)))
  expect_identical(names(opened(names = c("x", "y"))), c("x", "y"))
  expect_identical(nrow(opened(names = c("x", "y"))), 3L)
  expect_identical(source_place(rooted(open_table("given.xlsx"))$source, 3, NULL), "given.xlsx, sheet One, row 6")
  expect_error(opened(header = FALSE), class = "rowanroot_bad_argument")
  expect_error(opened(names = "x"), class = "rowanroot_bad_argument")
})

test_that("the zone of times is named, and damaged workbooks are reported", {
  local_folder()
  withr::local_options(rowanroot.left_alone = 0)
  data <- data.frame(at = as.POSIXct("2026-06-01 12:00", tz = "Europe/Zurich"), x = "a")
  expect_message(quietly_made <- utils::capture.output(save_table(data, "zone.xlsx"), type = "output"),
                 "Europe/Zurich", class = "rowanroot_zone")
  expect_identical(as.numeric(open_table("zone.xlsx")$at), as.numeric(data$at))
  bytes <- readBin("zone.xlsx", "raw", 1e5)
  set.seed(3)
  for (k in 1:60) {
    bad <- bytes
    bad[sample(length(bad), 10)] <- as.raw(sample(0:255, 10, TRUE))
    if (k %% 3 == 0) bad <- bad[seq_len(sample(length(bad), 1))]
    writeBin(bad, "bad.xlsx")
    expect_error(tryCatch(suppressWarnings(as.data.frame(open_table("bad.xlsx"))),
                          rowanroot_error = function(e) NULL), NA)
  }
})

test_that("old workbooks are read by the same rules", {
  local_folder()
  file.copy(system.file("extdata", "type-me.xls", package = "readxl"), "old.xls")
  expect_error(open_table("old.xls", sheet = "text_coercion"), "in the cell A5", class = "rowanroot_type_mismatch")
  expect_identical(open_table("old.xls", sheet = "text_coercion", types = c(text = "text"))$text[2:4],
                   c("cabbage", "TRUE", "1.3") |> sub(pattern = "^$", replacement = ""))
  file.copy(system.file("extdata", "datasets.xls", package = "readxl"), "data.xls")
  expect_identical(as.data.frame(open_table("data.xls", sheet = "mtcars"))$mpg, mtcars$mpg)
})
