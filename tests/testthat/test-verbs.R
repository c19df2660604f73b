# What holds for every verb. Each has a call that works on this table, and on none of its rows.
sample_table <- function() {
  data <- data.frame(hive = c("NB-01", "NB-02", NA, "SH-01"), kg = c(25, 22.3, NA, 14), frames = c(3L, 6L, 9L, NA),
                     day = as.Date("2025-03-01") + 0:3)
  data$kind <- factor(c("a", "b", "a", NA), levels = c("b", "a"))
  data$at <- as.POSIXct("2025-03-01 10:00", tz = "Europe/Berlin") + 0:3
  data$notes <- list(1, "x", NULL, 2:3)
  data$wide <- matrix(1:8, 4)
  data
}

verbs <- list(
  set_columns = function(x) set_columns(x, { kg <- kg * 2; m <- mean(frames, na.rm = TRUE);
                                             s <- running_total(kg, along = day, within = hive) }),
  set_in_groups = function(x) set_columns(x, { r <- ranking(kg, best = "highest"); n <- .rows }, within = hive,
                                          after = 0),
  keep_rows = function(x) keep_rows(x, kg > 20),
  drop_rows = function(x) drop_rows(x, kg > max(kg, na.rm = TRUE) - 1, within = kind),
  sort_rows = function(x) sort_rows(x, kind, descending(kg)),
  top_rows = function(x) top_rows(x, 2, by = kg),
  bottom_rows = function(x) bottom_rows(x, 1, by = day, within = hive),
  keep_columns = function(x) keep_columns(x, wide, hive:frames),
  drop_columns = function(x) drop_columns(x, kg),
  move_columns = function(x) move_columns(x, day, after = hive),
  rename_columns = function(x) rename_columns(x, net_kg = kg, toupper),
  append_rows = function(x) append_rows(drop_columns(x, wide), as.data.frame(drop_columns(x, wide))),
  append_columns = function(x) append_columns(x, data.frame(other = seq_len(nrow(x)))),
  one_row_per = function(x) one_row_per(x, hive, { kg <- sum(kg); n <- .rows; first <- first_value(day) }),
  different_rows = function(x) one_row_per(x, c(hive, kind)),
  sort_by_formula = function(x) sort_rows(x, descending(date_part(day, "day")), nchar(hive)),
  top_by_formula = function(x) top_rows(x, 1, by = kg * 2, within = c(kind, frames > 4)),
  one_of_each = function(x) one_of_each(x, kind, along = descending(.row)),
  join_rows = function(x) join_rows(x, data.frame(code = c("NB-01", "XX"), box = I(list(1, 2)), w = I(matrix(1:4, 2))),
                                    by = c(hive = code), unmatched = "keep"),
  rows_from_columns = function(x) rows_from_columns(x, kg:frames, value = "amount"),
  must_hold = function(x) must_hold(x, .row > 0),
  should_hold = function(x) should_hold(x, "known days" = known(day))
)
# Columns that a call calculates by R have the type that R gives of nothing.
types <- function(x) lapply(unclass(x), function(column) class(column))

test_that("classes and attributes of a table stay, whatever verb is called", {
  data <- sample_table()
  class(data) <- c("weighings", "data.frame")
  attr(data, "source") <- "scales"
  for (name in names(verbs)) {
    result <- verbs[[name]](data)
    expect_identical(class(result), class(data), label = name)
    expect_identical(attr(result, "source"), "scales", label = name)
    expect_identical(nrow(result), NROW(result[[1]]), label = name)
  }
  # Columns that are not calculated keep theirs.
  kept <- keep_rows(data, frames > 2)
  expect_identical(attributes(kept$at), attributes(data$at))
  expect_identical(levels(kept$kind), levels(data$kind))
  expect_identical(kept$notes, data$notes[1:3])
  expect_identical(kept$wide, data$wide[1:3, ])
})

test_that("no verb changes what it is given", {
  data <- sample_table()
  copy <- unserialize(serialize(data, NULL))
  addresses <- vapply(data, rlang::obj_address, "")
  for (name in names(verbs)) {
    result <- verbs[[name]](data)
    expect_identical(data, copy, label = name)
    expect_identical(vapply(data, rlang::obj_address, ""), addresses, label = name)
  }
  # What has the rows of the table shares the columns that did not change.
  for (name in c("set_in_groups", "drop_columns", "move_columns", "rename_columns", "append_columns", "must_hold"))
    expect_identical(rlang::obj_address(verbs[[name]](data)[[if (name == "rename_columns") "WIDE" else "wide"]]),
                     addresses[["wide"]], label = name)
})

test_that("verbs work on tables without rows, and give the same types", {
  data <- sample_table()
  for (name in names(verbs)) {
    empty <- verbs[[name]](data[0, ])
    full <- verbs[[name]](data)
    expect_identical(nrow(empty), 0L, label = name)
    expect_identical(types(empty), types(full), label = name)
    expect_identical(as.data.frame(verbs[[name]](open_table(data))), full, label = name)
    expect_identical(as.data.frame(verbs[[name]](open_table(data[0, ]))), empty, label = name)
  }
})

test_that("verbs work on tables without columns", {
  none <- data.frame(hive = 1:3)[0]
  expect_identical(set_columns(none, { row <- .row }), data.frame(row = 1:3))
  expect_identical(set_columns(data.frame(), { a <- 1; n <- .rows }), data.frame(a = numeric(), n = integer()))
  expect_identical(dim(keep_rows(none, .row > 1)), c(2L, 0L))
  expect_identical(dim(drop_columns(data.frame(a = 1:2), a)), c(2L, 0L))
  expect_identical(dim(append_rows(none, none)), c(6L, 0L))
  expect_identical(append_columns(none, data.frame(b = 3:1)), data.frame(b = 3:1))
  expect_identical(must_hold(none, .rows == 3), none)
  expect_identical(dim(rename_columns(none, toupper)), c(3L, 0L))
  expect_error(one_row_per(none, all_columns()), class = "rowanroot_bad_choice")
  expect_error(sort_rows(none, hive), class = "rowanroot_unknown_column")
})

test_that("row names go with their rows", {
  data <- sample_table()
  row.names(data) <- c("first", "second", "third", "fourth")
  expect_identical(row.names(keep_rows(data, kg > 20)), c("first", "second"))
  expect_identical(row.names(sort_rows(data, kg)), c("fourth", "second", "first", "third"))
  expect_identical(row.names(top_rows(data, 1, by = frames)), "third")
  expect_identical(row.names(set_columns(data, { a <- 1 })), row.names(data))
  expect_identical(row.names(append_rows(data[-8], data[1, -8])), c(row.names(data), "first.1"))
  expect_identical(row.names(one_row_per(data, hive)), as.character(1:4))
  # Those that are only numbers are counted anew.
  expect_identical(row.names(keep_rows(sample_table(), frames > 3)), c("1", "2"))
})

test_that("every function of the package is defined once", {
  files <- list.files("../../R", "[.]R$", full.names = TRUE)
  skip_if_not(length(files) > 0)
  definitions <- unlist(lapply(files, function(file) {
    lines <- Filter(function(line) is.call(line) && identical(line[[1]], quote(`<-`)), as.list(parse(file)))
    vapply(lines, function(line) deparse(line[[2]])[1], "")
  }))
  expect_identical(definitions[duplicated(definitions)], character())
})
