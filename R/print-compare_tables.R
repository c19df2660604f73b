#' What differs between two tables
#'
#' Says which columns were added, removed and changed: in how many rows, by how much at most, and the first examples; and which rows are
#' only in one of the tables. Rows are found by their key, or are compared in their order.
#'
#' @param before,after Data frames, or live tables from [open_table()].
#' @param by Columns of both tables that are the key of a row, as [all_columns()] says. Without it rows are compared in their order, if
#'   the tables have the same number.
#' @param ignore Changes of numbers up to this much do not count.
#' @return A list of class `table_comparison`, which prints itself, with `columns`, a data frame that has for each column its `status`
#'   (`"added"`, `"removed"`, `"changed"`, `"same"`), its types, in how many `rows` it changed, the `largest` change of a number, or
#'   of a date in days and of a time in seconds, and `examples`; `added` and `removed`, data frames of the rows that are only in
#'   `after` or `before`; and the number of rows in `both`. `as.data.frame()` gives `columns`.
#'
#'   Missing values are the same as missing values. Where a column has another type, its values are compared as texts, those of
#'   whole numbers and other numbers as numbers.
#' @section Errors:
#' `rowanroot_unknown_column`; `rowanroot_duplicate_key` if a key is in a table twice; `rowanroot_type_mismatch` for keys of different
#' types; `rowanroot_bad_argument`, `rowanroot_not_a_table`.
#' @examples
#' before <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), gross_kg = c(31, 28.5, NA), tare_kg = 6)
#' after <- before[c(3, 1), ] |>
#'   set_columns({ gross_kg[hive == "NB-01"] <- gross_kg - 0.4 }) |>
#'   set_columns({ net_kg <- gross_kg - tare_kg }, carry = -tare_kg)
#' compare_tables(before, after, by = hive)
#' as.data.frame(compare_tables(before, after, by = hive))
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
    stop_because(c("The key must be in both tables.", "x" = "{titles[['after']]} has no column {.code {absent[1]}}.", "i" = "It has {listed(column_names(after))}."),
                 "unknown_column", call, column = absent[1])
  }
  before <- if (is_live_table(before)) table_data(before, call) else before
  after <- if (is_live_table(after)) table_data(after, call) else after
  pairs <- if (length(key)) pairs_by_key(before, after, key, titles, call) else pairs_in_order(before, after)
  new_table_comparison(before, after, key, pairs, titles, ignore)
}

# The name of a table if it has one, cut to fit beside the other.
short_title <- function(typed, otherwise) if (is.symbol(typed)) one_line(typed, 30L) else otherwise

# Which rows belong together: `before` and `after`, NULL if that can't be said, and those that are only in one.
pairs_in_order <- function(before, after) {
  rows <- c(nrow(before), nrow(after))
  if (rows[1] == rows[2]) list(before = TRUE, after = TRUE, both = rows[1], added = integer(), removed = integer(), moved = FALSE)
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
  stop_because(c("A row must have a key that is known.", "x" = "In {table} {counted_rows(length(missing))} {cli::qty(length(missing))}{?has/have} none in {.code {key}}, row {missing[1]} first.",
                 "i" = "Take other columns into {.arg by}, or compare the rows that have one."), "missing_key", call, rows = missing)
}

new_table_comparison <- function(before, after, key, pairs, titles, ignore) {
  names <- union(names(after), names(before))
  label <- function(at) if (length(key)) key_text(as.list(after)[key], row_number(pairs$after, at)) else paste("row", at)
  rows <- lapply(names, function(name) {
    row <- comparison_row(name, if (!name %in% names(before)) "added" else if (!name %in% names(after)) "removed" else "same")
    if (row$status != "added") row$type_before <- type_name(before[[name]])
    if (row$status != "removed") row$type_after <- type_name(after[[name]])
    if (row$status != "same" || name %in% key || is.null(pairs$before)) return(row)
    compare_columns(row, values_of_rows(before[[name]], pairs$before), values_of_rows(after[[name]], pairs$after), label, ignore)
  })
  table <- function(data, rows) if (identical(rows, TRUE)) data else as_table_like(data, lapply(unclass(data)[names(data)], take_rows, rows = rows), .set_row_names(length(rows)))
  structure(list(titles = titles, by = as.character(key), rows = c(before = nrow(before), after = nrow(after)), both = pairs$both, moved = pairs$moved,
                 turned = is.unsorted(match(intersect(names(after), names(before)), names(before))),
                 columns = do.call(rbind, c(list(comparison_row(character(), character())), rows)), added = table(after, pairs$added), removed = table(before, pairs$removed)), class = "table_comparison")
}

comparison_row <- function(name, status) {
  none <- rep(NA, length(name))
  data.frame(column = name, status = status, type_before = as.character(none), type_after = as.character(none), rows = as.numeric(none),
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
are_measured_alike <- function(a, b) is_measured(a) && is_measured(b) && is.null(dim(a)) && is.null(dim(b)) && key_sort(a) == key_sort(b)

as_numbers <- function(after, before) {
  if (inherits(after, "integer64") || inherits(before, "integer64")) bit64::as.double.integer64(bit64::as.integer64(after) - bit64::as.integer64(before))
  else as.double(unclass(after)) - as.double(unclass(before))
}

# Numbers are rounded where what changed shows all the same.
change_examples <- function(a, b) {
  rounded <- paste(shown_each(a, 7), arrow(), shown_each(b, 7))
  exact <- paste(shown_each(a, 15), arrow(), shown_each(b, 15))
  ifelse(shown_each(a, 7) == shown_each(b, 7), exact, rounded)
}

shown_each <- function(x, digits) {
  if (!is.atomic(x) || !is.null(dim(x))) return(rep("...", NROW(x)))
  vapply(seq_along(x), function(k) {
    if (is.na(x[k])) "missing" else if (is.character(x) || is.factor(x)) quoted(as.character(x[k])) else trimws(format(x[k], digits = digits))
  }, "")
}

# Which rows have different values. What is missing in both is the same.
differs <- function(a, b, ignore) {
  if (!is.atomic(a) || !is.atomic(b) || !is.null(dim(a)) || !is.null(dim(b))) return(!mapply(identical, rows_in_list(a), rows_in_list(b)))
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

rows_in_list <- function(x) if (is.null(dim(x))) as.list(x) else lapply(seq_len(nrow(x)), function(k) unname(unlist(x[k, ])))

#' @export
as.data.frame.table_comparison <- function(x, ...) x$columns

#' @export
format.table_comparison <- function(x, width = cli::console_width(), ...) {
  changed <- changed_part(x)
  parts <- list(cli::style_bold(comparison_title(x)), wrapped(rows_text(x), width), unlist(lapply(columns_text(x), wrapped, width = width)),
                if (length(changed)) format_side_by_side(changed, "rows", width), wrapped(same_text(x), width))
  unlist(lapply(parts[lengths(parts) > 0], function(lines) c(lines, "")))
}

# What is shown of the columns that changed: text for text.
changed_part <- function(x) {
  changed <- x$columns[x$columns$status == "changed", ]
  if (!nrow(changed)) return(NULL)
  list(changed = changed$column, rows = shown_count(changed$rows), `largest change` = largest_text(changed), `first changes` = change_text(changed))
}

comparison_title <- function(x) {
  columns <- c(before = sum(x$columns$status != "added"), after = sum(x$columns$status != "removed"))
  paste0(x$titles, ": ", vapply(x$rows, counted_rows, ""), ", ", vapply(columns, counted, "", one = "column"), collapse = paste0("  ", arrow(), "  "))
}

rows_text <- function(x) {
  if (is.na(x$both)) return("The tables have different numbers of rows: their values are compared only by a key, given as `by`.")
  if (!length(x$by)) return(character())
  only <- function(rows, title) if (nrow(rows)) paste0(counted_rows(nrow(rows)), " only in ", title, " (", first_keys(rows, x$by), ")")
  paste0(paste(c(paste0(counted_rows(x$both), " in both, by ", paste(x$by, collapse = ", "), if (x$moved) ", in another order"), only(x$added, x$titles[["after"]]),
                 only(x$removed, x$titles[["before"]])), collapse = "; "), ".")
}

first_keys <- function(rows, by) {
  shown <- vapply(seq_len(min(3, nrow(rows))), key_text, "", keys = as.list(rows)[by])
  paste0(paste(shown, collapse = "; "), if (nrow(rows) > 3) paste0("; ", mark("\u2026", "...")))
}

columns_text <- function(x) {
  unlist(lapply(c("added", "removed"), function(status) {
    found <- x$columns[x$columns$status == status, ]
    types <- if (status == "added") found$type_after else found$type_before
    if (nrow(found)) paste0(c(added = "Added: ", removed = "Removed: ")[[status]], paste0(shown_cell(found$column), " (", types, ")", collapse = ", "))
  }))
}

largest_text <- function(changed) {
  unit <- ifelse(changed$type_after == "date", " days", ifelse(changed$type_after == "time", " s", ""))
  sign <- ifelse(changed$largest > 0, "+", "")
  ifelse(is.na(changed$largest), "", paste0(sign, vapply(changed$largest, format, "", digits = 5, big.mark = ","), unit, " (", changed$at, ")"))
}

change_text <- function(changed) {
  retyped <- changed$type_before != changed$type_after
  paste0(ifelse(retyped, paste0(changed$type_before, " ", arrow(), " ", changed$type_after, ifelse(changed$rows, ": ", "")), ""),
         ifelse(is.na(changed$examples), "", changed$examples))
}

same_text <- function(x) {
  if (is.na(x$both)) return(character())
  same <- sum(x$columns$status == "same") - length(x$by)
  others <- sum(x$columns$status != "same")
  if (!same && !others) return("There are no columns to compare.")
  turned <- if (x$turned) "Columns of both come in another order."
  if (!same) return(as.character(turned))
  paste0(c(paste0(if (same == 1) "1 column is" else paste(same, "columns are"), " the same", if (x$both < max(x$rows)) " in the rows of both", "."), turned), collapse = " ")
}

#' @export
print.table_comparison <- function(x, width = cli::console_width(), ...) {
  print_lines(cli::ansi_trimws(utils::head(format(x, width = width), -1), "right"))
  invisible(x)
}
