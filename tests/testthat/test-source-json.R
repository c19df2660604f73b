json_of <- function(...) {
  write_text(c(...), "given.jsonl")
  as.data.frame(open_table("given.jsonl"))
}

test_that("doubles come back bit for bit, from all over their range", {
  local_folder()
  set.seed(7)
  bits <- matrix(as.raw(sample(0:255, 8 * 20000, TRUE)), 8)
  data <- data.frame(x = c(readBin(as.vector(bits), "double", 20000), 1234567890123456, 2^53 + 2, -0, 5e-324))
  data <- data[is.finite(data$x), , drop = FALSE]
  quietly(save_table(data, "random.jsonl"))
  found <- open_table("random.jsonl")$x
  expect_identical(found, data$x)
  expect_identical(1 / found, 1 / data$x)
  expect_identical(jsonlite::fromJSON(json_text(list(x = data$x)))$x[1:1000], data$x[1:1000])
})

test_that("types are JSON's own, and those of all lines", {
  local_folder()
  expect_identical(json_of('{"a":true}', '{"a":null}', '{"b":1}'), data.frame(a = c(TRUE, NA, NA), b = c(NA, NA, 1L)))
  expect_identical(json_of('{"a":"Inf"}', "", '  {"a":"NA"} '), data.frame(a = c("Inf", "NA")))
  expect_identical(json_of('{"a":1}', '{"a":2.5}', '{"a":1e-400}')$a, c(1, 2.5, 0))
  expect_identical(as.character(json_of('{"a":1}', '{"a":9007199254740993}')$a), c("1", "9007199254740993"))
  expect_identical(json_of('{"a":"2026-01-02"}', '{"a":null}')$a, as.Date(c("2026-01-02", NA)))
  expect_identical(json_of('{"a":"2026-01-02T10:00:00.25Z"}')$a, .POSIXct(1767348000.25, "UTC"))
  expect_identical(json_of('{"a":"2026-01-02"}', '{"a":"2026-01-02T10:00Z"}')$a, c("2026-01-02", "2026-01-02T10:00Z"))
  expect_identical(json_of('{"_row":1,"":2}' |> sub(pattern = ',"":2', replacement = "")),
                   data.frame(`_row` = 1L, check.names = FALSE))
  expect_identical(json_of('{"a":"\\ud83d\\udc1d\\n\\u00e9\\/"}')$a, "\U1F41D\n\u00e9/")
  write_text(c('{"a":1,"b":"x"}', '{"a":"y","b":"z"}'), "given.jsonl")
  expect_identical(as.data.frame(open_table("given.jsonl", types = c(a = "text", b = "category"))),
                   data.frame(a = c("1", "y"), b = factor(c("x", "z"))))
})

test_that("what is not right is reported with file and line", {
  local_folder()
  wrong <- list(c('{"a":1}', '{"a":"x"}'), c('{"a":"x"}', "", '{"a":1}'), c('{"a":1.5}', '{"a":9007199254740993}'),
                '{"a":123456789012345678901}', '{"a":1e400}', '{"a":1,"a":2}', '{"":1}', '{"a":[1]}',
                '{"a":1', "[1]", '{"a":1}}', '{"a":"\\u0000"}', '{"a":"\\ud800"}', '{"a":01}', '{"a":NaN}',
                  "{'a':1}", '{"a":+1}', '{"a":.5}', '{"a":tru}', '{"a":"x}', '{"a" 1}', '{"a":1,}', '{"a":"\t"}',
                  '{"a":"\\x"}', "1", c('{"a":1}', "x"))
  for (lines in wrong) {
    error <- expect_error(json_of(lines), class = "rowanroot_error", info = lines)
    expect_match(conditionMessage(error), "line ", ignore.case = TRUE)
    expect_match(conditionMessage(error), "given.jsonl", fixed = TRUE)
  }
  expect_error(json_of(character()), "no lines", class = "rowanroot_unreadable_file")
  writeBin(c(charToRaw('{"a":"'), as.raw(0xff), charToRaw('"}\n')), "given.jsonl")
  expect_error(open_table("given.jsonl"), "UTF-8", class = "rowanroot_unreadable_file")
  expect_snapshot(error = TRUE, {
    json_of('{"kg":1}', '{"kg":"none"}')
    json_of('{"id":12345678901234567890}')
    json_of('{"kg":1')
  })
})

test_that("files of lines that are cut anywhere are an error or a shorter table", {
  local_folder()
  withr::local_options(rowanroot.left_alone = 0)
  whole <- charToRaw('{"a":1.25,"b":"x\\u00e9\u00e9","c":true}\n{"a":null,"b":"","c":false}\n')
  for (size in seq_along(whole)) {
    writeBin(whole[seq_len(size)], "cut.jsonl")
    found <- tryCatch(as.data.frame(open_table("cut.jsonl")), rowanroot_error = function(e) "told")
    expect_true(identical(found, "told") || nrow(found) <= 2)
  }
})

test_that("several files have the types of all, and files are of the kind that their names say", {
  local_folder()
  write_text('{"kg":1,"hive":"a"}', "1.jsonl")
  write_text('{"hive":"b","kg":2.5}', "2.ndjson")
  write_text(character(), "3.jsonl")
  both <- open_table(c("1.jsonl", "2.ndjson", "3.jsonl"), file_column = "file")
  expect_identical(as.data.frame(both), data.frame(file = c("1", "2"), kg = c(1, 2.5), hive = c("a", "b")))
  expect_identical(source_place(rooted(both)$source, 2, NULL), "2.ndjson, line 1")
  connection <- gzfile("4.jsonl.gz", "wb")
  writeLines('{"kg":3}', connection)
  close(connection)
  expect_identical(open_table("4.jsonl.gz")$kg, 3L)
  write_text(c("a\tb", "1\t2"), "t.tsv")
  expect_identical(as.data.frame(open_table("t.tsv")), data.frame(a = 1L, b = 2L))
  for (other in c("x.json", "x.ods", "x.rds", "x.json.gz", "x.parquet.gz")) {
    write_text("{}", other)
    expect_error(open_table(other), class = "rowanroot_unknown_format", info = other)
  }
  expect_error(open_table("*"), class = "rowanroot_unknown_format")
  write_text('{"kg":"x","hive":"b"}', "2.ndjson")
  expect_error(as.data.frame(open_table(c("1.jsonl", "2.ndjson"))), '"x" is not, on line 1 of .2.ndjson',
               class = "rowanroot_unreadable_file")
})
