# Keys of rows: values of one column or several, by which rows of two tables are matched.

key_sort <- function(x) {
  if (is.character(x) || is.factor(x)) "text"
  else if (inherits(x, "integer64")) "whole number of 64 bits"
  else if (inherits(x, "Date")) "date"
  else if (inherits(x, "POSIXct")) "time"
  else if (is.numeric(x) && !is.object(x)) "number"
  else type_name(x)
}

check_key_types <- function(key, column, name, call) {
  if (is.logical(key) && all(is.na(key)) || is.logical(column) && all(is.na(column))) return(invisible())
  if (is.list(key) || is.list(column)) stop_because("A list can't be a key.", "type_mismatch", call)
  if (key_sort(key) == key_sort(column)) return(invisible())
  stop_because(c("Keys must be of one type.",
                 "found" = "The key is {key_sort(key)}, and {.code {name}} of the table is {key_sort(column)}.",
                 "try" = "Convert one of them, for example with {.code as_number()} or {.code as.character()}."),
                   "type_mismatch", call)
}

# The keys of both as values that can be compared; several columns as numbers: equal keys have one number, and a key
# with a missing part has none.
key_codes <- function(keys, of_table, call) {
  plain <- function(x) {
    if (inherits(x, "integer64")) stored_values(x) else if (is.factor(x)) x else as.vector(unclass(x))
  }
  both <- Map(comparable_keys, lapply(keys, plain), lapply(of_table, plain))
  if (length(both) == 1) return(list(keys = both[[1]][[1]], table = both[[1]][[2]]))
  columns <- lapply(both, function(pair) {
    if (!inherits(pair[[1]], "integer64")) return(c(pair[[2]], pair[[1]]))
    structure(c(unclass(pair[[2]]), unclass(pair[[1]])), class = "integer64")
  })
  code <- group_rows_cpp(unname(columns), length(columns[[1]]), getOption("rowanroot.threads", 0L))$of_row
  code[Reduce(`|`, lapply(columns, is_missing_key))] <- NA
  of_first <- seq_len(length(both[[1]][[2]]))
  list(keys = code[-of_first], table = code[of_first])
}

is_missing_key <- function(x) if (inherits(x, "integer64")) is_missing_integer64(x) else is.na(x)

# The table's row of each key; NA for one that is missing or not there.
key_rows <- function(keys, table) {
  threads <- getOption("rowanroot.threads", 0L)
  coded <- if (is.character(keys)) coded_parts_cpp(keys)
  if (length(coded)) return(at_rows(key_rows(coded$texts, table), coded))
  rows <- find_places_cpp(keys, table, threads)
  if (any(is_missing_key(table))) rows[is_missing_key(keys)] <- NA
  rows
}

# The least 64-bit number stands for what is missing: as a double, minus nought.
is_missing_integer64 <- function(x) {
  x <- unclass(x)
  # The bits of most numbers below zero are, as a double, not a number.
  (x == 0 & 1 / x < 0) %in% TRUE
}

check_keys_once <- function(codes, of_table, call, table = "the table") {
  # As numbers, since R would compare 64 bits as doubles.
  if (inherits(codes, "integer64")) {
    codes <- ifelse(is_missing_integer64(codes), NA, group_rows_cpp(list(codes), length(codes), 1L)$of_row)
  }
  twice <- which(duplicated(codes) & !is.na(codes))
  if (!length(twice)) return(invisible())
  keys <- unique(codes[twice])
  stop_because(c("{counted(length(keys), 'key')} of {table} {cli::qty(length(keys))}{?occurs/occur} more than once.",
                 "found" = paste0(paste0("The first is {key_text(of_table, twice[1])}, in rows ",
                                         "{match(codes[twice[1]], codes)} "),
                              "and {twice[1]}."),
                 "try" = "Keep one row for each key, or add the columns that distinguish them to the key."),
                   "duplicate_key", call, rows = twice)
}

key_text <- function(keys, row) {
  paste(vapply(keys, function(key) encodeString(as.character(key[row]), quote = if (is.numeric(key)) "" else "\""),
               ""), collapse = ", ")
}

# What has a class is grouped by what it is stored as: a category by its codes, a date by its day, and 64-bit
# integers by all their bits.
group_values <- function(column, call) {
  if (is.list(column) || !is.null(dim(column)) || is.complex(column)) {
    stop_because(c("Can't group by {what_is(column)}.", "try" = "Group by numbers, text, dates or categories."),
                 "type_mismatch", call)
  }
  stored_values(column)
}

# The groups of rows by columns: that `of_row`, from 0, and their `sizes`. Without columns all rows are one.
groups_by_columns <- function(columns, rows, call) {
  if (!length(columns)) return(list(of_row = integer(rows), sizes = rows[rows > 0]))
  group_rows_cpp(lapply(unname(columns), group_values, call = call), rows, getOption("rowanroot.threads", 0L))
}

# The different values of a column, in the order in which they first appear, and each row's number among them, from 0.
numbered_values <- function(column, call) {
  numbers <- groups_by_columns(list(column), length(column), call)
  first <- group_edges_cpp(numbers$of_row, length(numbers$sizes), FALSE)
  list(different = take_rows(column, first), of_row = numbers$of_row)
}

# A column without its class: the values that the core groups and orders.
stored_values <- function(column) {
  if (!is.null(attributes(column))) attributes(column) <- if (inherits(column, "integer64")) list(class = "integer64")
  column
}

# For each key the row of the table whose last key is nearest, at or before it (or after it), among those that have its
# other keys.
nearest_rows <- function(keys, of_table, is_after, call) {
  count <- length(keys)
  check_can_be_near(of_table[[count]], call)
  check_keys_once(key_codes(keys, of_table, call)$table, of_table, call)
  groups <- if (count > 1) numbers_by_table(keys[-count], of_table[-count])
  at <- list(table = stored_values(of_table[[count]]), keys = stored_values(keys[[count]]))
  if (any(vapply(at, is_long_integer, NA))) at <- numbers_of_long(at)
  known <- !is.na(at$table) & if (is.null(groups)) TRUE else !is.na(groups$table)
  codes <- if (is.null(groups)) rep(0L, length(known)) else groups$table
  threads <- getOption("rowanroot.threads", 0L)
  order <- order_rows_cpp(list(codes, at$table), c(FALSE, FALSE), c(FALSE, FALSE), length(known), threads) + 1L
  order <- order[known[order]]
  of_keys <- if (!is.null(groups)) replace(groups$keys, is.na(groups$keys), -1L)
  sizes <- tabulate(codes[order] + 1L, max(0L, codes, of_keys, na.rm = TRUE) + 1L)
  order[nearest_cpp(as.numeric(at$table)[order], sizes, as.numeric(at$keys), of_keys, is_after, threads)]
}

# Integers of 64 bits as their places among all of them.
numbers_of_long <- function(at) {
  both <- both_below(at$table, at$keys)
  known <- bit64::sort.integer64(bit64::unique.integer64(both[!is_missing_key(both)]))
  lapply(at, function(x) as.numeric(bit64::match(bit64::as.integer64(x), known)))
}

# The number of each key among the different ones of the table, from 1, and that of each of the table's: NA for one that
# is missing, or that the table does not have. For all rows nothing but whole numbers is made.
numbers_by_table <- function(keys, of_table) {
  Reduce(function(one, other) {
    numbers_of_one(pair_numbers_cpp(one$keys, other$keys, other$count),
                   pair_numbers_cpp(one$table, other$table, other$count))
  }, Map(function(key, column) {
    pair <- comparable_keys(key, column)
    numbers_of_one(pair[[1]], pair[[2]])
  }, keys, of_table))
}

numbers_of_one <- function(keys, table) {
  groups <- group_rows_cpp(list(stored_values(table)), length(table), getOption("rowanroot.threads", 0L))
  first <- group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)
  different <- take_rows(table, first)
  is_known <- !is_missing_key(different)
  number <- ifelse(is_known, cumsum(is_known), NA_integer_)
  list(keys = key_rows(keys, different[is_known]), table = number[groups$of_row + 1L], count = sum(is_known))
}

# The same values of one type, and categories as texts.
comparable_keys <- function(a, b) {
  plain <- function(x) if (is.factor(x)) at_rows(levels(x), list(of_row = as.integer(x))) else x
  a <- plain(a)
  b <- plain(b)
  if (is.logical(a) && !is.logical(b)) a <- as.vector(a, typeof(b))
  if (is.logical(b) && !is.logical(a)) b <- as.vector(b, typeof(a))
  if (typeof(a) == typeof(b)) list(a, b) else list(as.numeric(a), as.numeric(b))
}

# Numbers of both, without a class but for integers of 64 bits.
both_below <- function(a, b) {
  if (!is_long_integer(a) && !is_long_integer(b)) return(c(as.numeric(a), as.numeric(b)))
  structure(c(unclass(bit64::as.integer64(a)), unclass(bit64::as.integer64(b))), class = "integer64")
}

check_can_be_near <- function(column, call) {
  if (is.numeric(column) && !is.factor(column) || inherits(column, c("Date", "POSIXct", "difftime"))) {
    return(invisible())
  }
  stop_because(c("The last key must be a number, a date or a time for the nearest row.",
                 "found" = "It is {what_is(column)}."), "type_mismatch", call)
}
