test_that("what base R reads is read the same, type by type", {
  local_folder()
  set.seed(5)
  n <- 300
  with_missing <- function(x) replace(x, sample(n, 30), NA)
  data <- data.frame(whole = with_missing(sample(-1000:1000, n)), number = with_missing(stats::rnorm(n)),
                     logical = with_missing(sample(c(TRUE, FALSE), n, TRUE)),
                     text = with_missing(sample(c("a,b", "say \"no\"", "two\nlines", "z\u00e6", "x"), n, TRUE)),
                     code = sprintf("%03d", seq_len(n)), unknown = NA)
  utils::write.csv(data, "data.csv", row.names = FALSE, na = "", fileEncoding = "UTF-8")
  found <- as.data.frame(open_table("data.csv"))
  expected <- utils::read.csv("data.csv", colClasses = c(code = "character", text = "character"),
                              na.strings = c("NA", ""), encoding = "UTF-8")
  expect_identical(found[-2], expected[-2])
  expect_equal(found$number, data$number, tolerance = 1e-14)
})

test_that("a table comes back from a CSV file as it was written", {
  local_folder()
  set.seed(6)
  n <- 200
  data <- data.frame(d = c(stats::rnorm(n - 5), NA, 1e300, -5e-324, 0.1 + 0.2, 1 / 3), i = sample(c(NA, -5:5), n, TRUE),
                     l = sample(c(TRUE, FALSE, NA), n, TRUE),
                       s = sample(c("", "NA", NA, " a ", "q\"", "l\nm", "\U1F41D"), n, TRUE),
                     day = as.Date("2024-02-28") + seq_len(n))
  quietly(save_table(data, "data.csv"))
  expect_identical(as.data.frame(open_table("data.csv")), data)
})

test_that("text that can't be read back is not written", {
  local_folder()
  data <- data.frame(text = c("fine", "\xff\xfe"))
  error <- expect_error(quietly(save_table(data, "data.csv")), "row 2", class = "rowanroot_bad_text")
  expect_identical(error$column, "text")
  expect_identical(list.files(), character())
  data$text <- iconv(c("fine", "\u00e9"), "UTF-8", "latin1")
  quietly(save_table(data, "data.csv"))
  expect_identical(readLines("data.csv", encoding = "UTF-8"), c("text", "fine", "\u00e9"))
})

test_that("several files are one table, with types that fit all of them and columns by name", {
  local_folder()
  write_text(c("a,b,c", "1,2,x"), "one.csv")
  write_text(c("c,a,b", "007,NA,2.5"), "two.csv")
  expect_identical(as.data.frame(open_table("*.csv")), data.frame(a = c(1L, NA), b = c(2, 2.5), c = c("x", "007")))
  expect_identical(as.data.frame(open_table(c("two.csv", "one.csv")))$a, c(1L, NA))
  write_text("a;b", "empty.txt")
  expect_identical(as.data.frame(open_table("empty.txt", separator = ";")), data.frame(a = logical(), b = logical()))
})

test_that("what is wrong with files has a class, and names the file and the line", {
  local_folder()
  write_text(c("a,b", "1,2", "1,2,3"), "wide.csv")
  write_text(c("a,c", "1,2"), "other.csv")
  write_text(c("a,b", "1,2"), "fine.csv")
  wide <- open_table("wide.csv")
  error <- expect_error(as.data.frame(wide), class = "rowanroot_csv")
  expect_identical(list(error$file, error$line, error$problem), list("wide.csv", 3, "too_many_fields"))
  expect_snapshot(error = TRUE, {
    as.data.frame(wide)
    as.data.frame(open_table(c("fine.csv", "other.csv")))
    open_table("fin.csv")
  }, transform = function(lines) gsub("'/[^']*'|'[A-Z]:[^']*'|/[^ ]*rowanroot-[^ ]*", "<folder>", lines))
  expect_error(open_table("nothing/*.csv"), class = "rowanroot_no_such_file")
  expect_error(open_table("fine.csv", separator = ",,"), class = "rowanroot_bad_argument")
  expect_error(open_table(3), class = "rowanroot_bad_argument")
  dir.create("folder")
  expect_error(open_table("folder"), class = "rowanroot_no_such_file")
})

test_that("files of other makers are read as they are meant", {
  local_folder()
  cases <- list(
    list("a;b\n1,5;-\n-2,25;x\n", list(separator = ";", decimal = ",", missing = "-"),
         data.frame(a = c(1.5, -2.25), b = c(NA, "x"))),
    list("a\tb\r\n1\t2\r\n", list(separator = "\t"), data.frame(a = 1L, b = 2L)),
    list("# by Ada\na,b\n# more\n1,#2\n", list(comment = "#"), data.frame(a = 1L, b = "#2")),
    list("\xef\xbb\xbfa,b\n1,\"two\r\nlines\"\n", list(), data.frame(a = 1L, b = "two\r\nlines")),
    list("1,2\n3,4\n", list(header = FALSE, names = c("x", "y")), data.frame(x = c(1L, 3L), y = c(2L, 4L))),
    list("a,a,\n1,2,3\n", list(names = c("x", "y", "z")), data.frame(x = 1L, y = 2L, z = 3L)),
    list("a,b\n1\n1,2,3\n", list(short = "missing", long = "drop"), data.frame(a = c(1L, 1L), b = c(NA, 2L))),
    list("t,u,d\n2026-03-31T12:00:00Z,2026-03-31 12:00,2026-03-31\n2026-03-31T12:00:00+02:00,NA,\n", list(),
         data.frame(t = .POSIXct(c(1774958400, 1774951200), "UTC"), u = .POSIXct(c(1774958400, NA), "UTC"),
                    d = as.Date(c("2026-03-31", NA)))),
    list("a,b,c\n1,2,NB\n2,x,SH\n", list(types = c(a = "number", b = "text", c = "category")),
         data.frame(a = c(1, 2), b = c("2", "x"), c = factor(c("NB", "SH")))),
    list("a\n\"NA\"\nNA\n\"\"\n\n", list(), data.frame(a = c("NA", NA, "", NA)))
  )
  for (case in cases) {
    connection <- file("case.csv", "wb")
    writeBin(charToRaw(case[[1]]), connection)
    close(connection)
    expect_identical(as.data.frame(do.call(open_table, c("case.csv", case[[2]]))), case[[3]], info = case[[1]])
  }
})

test_that("other encodings and compressed files are the same table", {
  local_folder()
  text <- paste0("hive,name\n", paste0(seq_len(20000), ",Zo\u00eb \U1F41D ", seq_len(20000), "\n", collapse = ""))
  write <- function(bytes, file, open = file(file, "wb")) {
    writeBin(bytes, open)
    close(open)
  }
  write(charToRaw(enc2utf8(text)), "utf8.csv")
  expected <- as.data.frame(open_table("utf8.csv"))
  expect_identical(expected$name[20000], "Zo\u00eb \U1F41D 20000")
  utf16 <- function(encoding) iconv(list(charToRaw(enc2utf8(text))), "UTF-8", encoding, toRaw = TRUE)[[1]]
  write(c(as.raw(c(0xff, 0xfe)), utf16("UTF-16LE")), "le.csv")
  write(c(as.raw(c(0xfe, 0xff)), utf16("UTF-16BE")), "be.csv")
  write(utf16("UTF-16LE"), "bare.csv")
  write(charToRaw(enc2utf8(text)), "packed.csv.gz", gzfile("packed.csv.gz", "wb"))
  expect_identical(as.data.frame(open_table("le.csv")), expected)
  expect_identical(as.data.frame(open_table("be.csv")), expected)
  expect_identical(as.data.frame(open_table("bare.csv", encoding = "UTF-16")), expected)
  expect_identical(as.data.frame(open_table("packed.csv.gz")), expected)
  write(as.raw(c(0x61, 0x0a, 0xeb, 0x80, 0x0a)), "latin1.csv")
  expect_identical(as.data.frame(open_table("latin1.csv", encoding = "windows-1252"))$a, "\u00eb\u20ac")
  expect_error(open_table("latin1.csv", encoding = "latin2"), class = "rowanroot_bad_argument")
  expect_error(as.data.frame(open_table("latin1.csv")), class = "rowanroot_csv")
})

test_that("types are of all rows of all files, however deferred one differs", {
  local_folder()
  set.seed(8)
  rows <- 40000
  first <- data.frame(whole = seq_len(rows), number = round(stats::rnorm(rows), 3) + 0, day = as.Date("2025-01-01"),
                      text = sprintf("n%06d", sample.int(rows)), few = "x", empty = NA)
  rowanroot:::write_csv_file(first, "1.csv", NULL)
  second <- transform(first, whole = whole + 0.5, day = "soon", empty = TRUE, few = sprintf("t%06d", seq_len(rows)))
  rowanroot:::write_csv_file(second, "2.csv", NULL)
  # Only the last row of all differs in the column of numbers.
  third <- transform(first, number = replace(as.character(number), rows, "none"))
  rowanroot:::write_csv_file(third, "3.csv", NULL)
  found <- as.data.frame(open_table("*.csv", file_column = "file"))
  expect_identical(vapply(found, function(x) class(x)[1], "", USE.NAMES = FALSE),
                   c("character", "numeric", rep("character", 4), "logical"))
  expect_identical(found$file, rep(c("1", "2", "3"), each = rows))
  expect_identical(found$whole, c(first$whole, second$whole, first$whole))
  expect_identical(found$number, c(rep(as.character(first$number), 2), third$number))
  expect_identical(found$text, rep(first$text, 3))
  expect_identical(found$few, c(first$few, second$few, first$few))
  expect_identical(found$day[c(1, rows + 1)], c("2025-01-01", "soon"))
  withr::local_options(rowanroot.threads = 1L)
  expect_identical(as.data.frame(open_table("*.csv", file_column = "file")), found)
  # A few numbers among whole ones.
  wholes <- replace(as.character(first$whole), c(7, 9, rows), c("1e5", NA, "-0.5"))
  rowanroot:::write_csv_file(transform(first, whole = wholes), "1.csv", NULL)
  expect_identical(open_table("1.csv")$whole, replace(as.numeric(first$whole), c(7, 9, rows), c(1e5, NA, -0.5)))
  expect_error(open_table("1.csv", types = c(whole = "integer"))$whole, "2 values.*1e5", class = "rowanroot_csv")
})

test_that("a value that is none of its type is reported with its place", {
  local_folder()
  write_text(c("a,b", "\"x", "y\",1", "z,one"), "1.csv")
  write_text(c("b,a", "two,x"), "2.csv")
  error <- expect_error(as.data.frame(open_table("*.csv", types = c(b = "integer"))), class = "rowanroot_csv")
  expect_identical(list(error$file, error$line, error$column, error$value), list("1.csv", 4, "b", "one"))
  expect_snapshot(error = TRUE, {
    as.data.frame(open_table("*.csv", types = c(b = "integer")))
    open_table("1.csv", types = c(bb = "integer"))
    open_table("1.csv", types = c(b = "whole"))
    open_table("1.csv", header = FALSE)
    open_table("1.csv", decimal = ",")
    open_table("1.csv", file_column = "a")
    open_table("1.csv", names = "a")
  })
})

test_that("64-bit integers are exact where they are asked for", {
  skip_if_not_installed("bit64")
  local_folder()
  write_text(c("id", "9007199254740993", "-1", "", "9223372036854775807"), "ids.csv")
  expect_identical(as.data.frame(open_table("ids.csv"))$id[1], "9007199254740993")
  ids <- as.data.frame(open_table("ids.csv", types = c(id = "integer64")))$id
  expect_identical(bit64::as.character.integer64(ids), c("9007199254740993", "-1", NA, "9223372036854775807"))
})

test_that("the first of many files that can't be read is named", {
  local_folder()
  for (k in 1:12) write_text(c("hive,kg", paste0("NB-", k, ",", k)), sprintf("%02d.csv", k))
  expect_identical(as.data.frame(open_table("*.csv"))$kg, 1:12)
  expect_identical(nrow(as.data.frame(open_table("*.csv"))), 12L)
  write_text(c("hive,kg", "NB-9,\"9"), "09.csv")
  write_text(c("hive,kg", "NB-4,\"4"), "04.csv")
  for (k in 1:5) expect_error(as.data.frame(open_table("*.csv")), "04.csv", class = "rowanroot_csv")
  write_text(c("hive,kg", "NB-4,4"), "04.csv")
  expect_error(as.data.frame(open_table("*.csv")), "09.csv", class = "rowanroot_csv")
})
