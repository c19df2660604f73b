#' Compare two tables
#'
#' Shows which columns were added, removed and changed, in how many rows, the largest change, and
#' the first examples; and which rows are in only one of the tables. Rows are matched by key, or
#' compared in their order.
#'
#' @param before,after Data frames, or rooted tables from [open_table()].
#' @param by Columns of both tables that make the key of a row, chosen as shown in [all_columns()].
#'   Without it, rows are compared in their order; the tables must then have the same number of
#'   rows.
#' @param ignore Changes of numbers up to this size are ignored.
#' @return A list of class `table_comparison`, which can be printed, with `columns`, a data frame
#'   that has for each column its `status` (`"added"`, `"removed"`, `"changed"`, `"same"`), its
#'   types, the number of `rows` in which it changed, the `largest` change (for dates in days, for
#'   times in seconds) and `examples`; `added` and `removed`, data frames of the rows that are only
#'   in `after` or only in `before`; and the number of rows in `both`. `as.data.frame()` returns
#'   `columns`.
#'
#' Two missing values count as the same. If a column has different types in the two tables, its
#' values are compared as text, except that whole numbers and doubles are compared as numbers.
#' @section Errors: `rowanroot_unknown_column`; `rowanroot_duplicate_key` if a key occurs twice in a
#'   table; `rowanroot_type_mismatch` for keys of different types; `rowanroot_bad_argument`,
#'   `rowanroot_not_a_table`.
#' @examples
#' before <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), gross_kg = c(31, 28.5, NA), tare_kg = 6)
#' after <- before[c(3, 1), ] |>
#'   set_columns({ gross_kg[hive == "NB-01"] <- gross_kg - 0.4 }) |>
#'   set_columns({ net_kg <- gross_kg - tare_kg }, carry = -tare_kg)
#' compare_tables(before, after, by = hive)
#' as.data.frame(compare_tables(before, after, by = hive))
#' @concept diff
#' @export
compare_tables <- function(before, after, by = NULL, ignore = 0) {
  call <- quote(compare_tables())
  titles <- c(before = short_title(substitute(before), "before"), after = short_title(substitute(after), "after"))
  check_table(before, call, "before")
  check_table(after, call, "after")
  if (!is.numeric(ignore) || length(ignore) != 1 || is.na(ignore) || ignore < 0) {
    stop_because("{.arg ignore} must be a number, 0 or more, not {.code {one_line(ignore)}}.", "bad_argument", call)
  }
  names <- intersect(column_names(before), column_names(after))
  by <- with_columns_found(substitute(by), before, parent.frame(), call)
  key <- if (!is.null(by)) choose_columns(by, column_names(before), parent.frame(), call)
  absent <- setdiff(key, names)
  if (length(absent)) {
    stop_because(c("The key must be in both tables.",
                   "found" = "{titles[['after']]} has no column {.code {absent[1]}}.",
                   "try" = "It has {listed(column_names(after))}."),
                 "unknown_column", call, column = absent[1])
  }
  before <- if (is_rooted_table(before)) table_data(before, call) else before
  after <- if (is_rooted_table(after)) table_data(after, call) else after
  pairs <- if (length(key)) pairs_by_key(before, after, key, titles, call) else pairs_in_order(before, after)
  new_table_comparison(before, after, key, pairs, titles, ignore)
}

# Which rows belong together: `before` and `after`, NULL if that can't be said, and those that are only in one.
pairs_in_order <- function(before, after) {
  rows <- c(nrow(before), nrow(after))
  if (rows[1] == rows[2]) {
    list(before = TRUE, after = TRUE, both = rows[1], added = integer(), removed = integer(), moved = FALSE)
  }
  else list(both = NA_real_, added = integer(), removed = integer(), moved = FALSE)
}

pairs_by_key <- function(before, after, key, titles, call) {
  keys <- lapply(list(before = before, after = after), function(table) unname(as.list(table)[key]))
  for (k in seq_along(key)) check_key_types(keys$after[[k]], keys$before[[k]], key[k], call)
  codes <- key_codes(keys$after, keys$before, call)
  codes <- list(before = codes$table, after = codes$keys)
  for (side in names(keys)) {
    check_keys_known(codes[[side]], key, titles[[side]], call)
    check_keys_once(codes[[side]], keys[[side]], call, titles[[side]])
  }
  row <- key_rows(codes$after, codes$before)
  in_both <- which(!is.na(row))
  pairs <- list(before = row[in_both], after = in_both, both = length(in_both), added = which(is.na(row)),
                removed = setdiff(seq_len(nrow(before)), row[in_both]))
  pairs$moved <- is.unsorted(pairs$before)
  if (length(in_both) == nrow(after)) pairs$after <- TRUE
  if (!pairs$moved && length(in_both) == nrow(before)) pairs$before <- TRUE
  pairs
}

check_keys_known <- function(codes, key, table, call) {
  missing <- which(is_missing_key(codes))
  if (!length(missing)) return(invisible())
  stop_because(c("Each row must have a key.",
                 "found" = paste0("In {table}, {.code {key}} {cli::qty(length(key))}{?is/are} missing in ",
                                  "{counted_rows(length(missing))}, row {missing[1]} first."),
                 "try" = "Use other columns for {.arg by}, or compare only the rows that have a key."),
               "missing_key", call, rows = missing)
}

new_table_comparison <- function(before, after, key, pairs, titles, ignore) {
  names <- union(names(after), names(before))
  label <- function(at) {
    if (length(key)) key_text(as.list(after)[key], row_number(pairs$after, at)) else paste("row", at)
  }
  rows <- lapply(names, function(name) {
    row <- comparison_row(name, if (!name %in% names(before)) "added"
                                else if (!name %in% names(after)) "removed"
                                else "same")
    if (row$status != "added") row$type_before <- type_name(before[[name]])
    if (row$status != "removed") row$type_after <- type_name(after[[name]])
    if (row$status != "same" || name %in% key || is.null(pairs$before)) return(row)
    compare_columns(row, values_of_rows(before[[name]], pairs$before), values_of_rows(after[[name]], pairs$after),
                    label, ignore)
  })
  table <- function(data, rows) if (identical(rows, TRUE)) data else as_table_like(data,
      lapply(unclass(data)[names(data)], take_rows, rows = rows), .set_row_names(length(rows)))
  structure(list(titles = titles, by = as.character(key), rows = c(before = nrow(before), after = nrow(after)),
                 both = pairs$both, moved = pairs$moved,
                 turned = is.unsorted(match(intersect(names(after), names(before)), names(before))),
                 columns = do.call(rbind, c(list(comparison_row(character(), character())), rows)),
                   added = table(after, pairs$added), removed = table(before, pairs$removed)),
                   class = "table_comparison")
}

comparison_row <- function(name, status) {
  none <- rep(NA, length(name))
  data.frame(column = name, status = status, type_before = as.character(none), type_after = as.character(none),
             rows = as.numeric(none),
             largest = as.numeric(none), at = as.character(none), examples = as.character(none))
}

# TRUE stands for all rows.
row_number <- function(rows, at) if (identical(rows, TRUE)) at else rows[at]

values_of_rows <- function(column, rows) if (identical(rows, TRUE)) column else take_rows(column, rows)

compare_columns <- function(row, a, b, label, ignore) {
  changed <- if (identical(a, b)) integer() else which(differs(a, b, ignore))
  row$rows <- as.numeric(length(changed))
  if (row$type_before != row$type_after || row$rows) row$status <- "changed"
  if (!row$rows) return(row)
  if (are_measured_alike(a, b)) {
    change <- as_numbers(b[changed], a[changed])
    if (any(!is.na(change))) {
      largest <- which.max(abs(change))
      row$largest <- change[largest]
      row$at <- label(changed[largest])
    }
  }
  first <- utils::head(changed, 3)
  shown <- change_examples(values_of_rows(a, first), values_of_rows(b, first))
  row$examples <- paste0(vapply(first, label, ""), ": ", shown, collapse = "; ")
  row
}

# Numbers, days or moments, which can be subtracted.
are_measured_alike <- function(a, b) is_measured(a) && is_measured(b) && is.null(dim(a)) && is.null(dim(b)) &&
  key_sort(a) == key_sort(b)

as_numbers <- function(after, before) {
  if (inherits(after, "integer64") || inherits(before, "integer64")) {
    bit64::as.double.integer64(bit64::as.integer64(after) - bit64::as.integer64(before))
  }
  else as.double(unclass(after)) - as.double(unclass(before))
}

# Numbers are rounded where what changed shows all the same.
change_examples <- function(a, b) {
  rounded <- paste(shown_each(a, 7), arrow(), shown_each(b, 7))
  exact <- paste(shown_each(a, 15), arrow(), shown_each(b, 15))
  ifelse(shown_each(a, 7) == shown_each(b, 7), exact, rounded)
}

# Which rows have different values. What is missing in both is the same.
differs <- function(a, b, ignore) {
  if (!is.atomic(a) || !is.atomic(b) || !is.null(dim(a)) || !is.null(dim(b))) {
    return(!mapply(identical, rows_in_list(a), rows_in_list(b)))
  }
  if (are_measured_alike(a, b)) {
    if (!inherits(a, "integer64")) {
      a <- as.vector(unclass(a))
      b <- as.vector(unclass(b))
    }
    other <- if (ignore > 0) abs(b - a) > ignore & a != b else a != b
  } else if (is.logical(a) && is.logical(b)) {
    other <- a != b
  } else {
    a <- as.character(a)
    b <- as.character(b)
    other <- a != b
  }
  missing <- is.na(a)
  other[missing] <- FALSE
  (!is.na(other) & other) | missing != is.na(b)
}

rows_in_list <- function(x) if (is.null(dim(x))) as.list(x) else lapply(seq_len(nrow(x)),
    function(k) unname(unlist(x[k, ])))

#' @export
as.data.frame.table_comparison <- function(x, ...) x$columns
