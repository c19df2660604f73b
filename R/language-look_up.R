#' Look up values in another table by a key
#'
#' Rows are matched by key, and each row gets the values that the other table has for its key. No
#' row is lost or repeated: a key that occurs several times in that table is an error, unless
#' `match` says which of its rows counts.
#'
#' @param key A column, or several in `c()` that together make the key.
#' @param table A data frame, a rooted table from [open_table()], or the path of a CSV file, which
#'   is read where the formula is written; or a named vector, whose names are the keys.
#' @param take The columns to take from the table: a name, or several in `c()`, which then set as
#'   many columns: `c(region, altitude_m) <- look_up(apiary, apiaries, take = c(region,
#'   altitude_m))`. Not needed for a vector.
#' @param by The table's key columns, if they have other names than the key.
#' @param unknown What to do with keys that the table does not have: they are an error (`"error"`),
#'   or give missing values (`"missing"`). A missing key gives missing values.
#' @param match Which of the table's rows counts: the `"only"` one that has the key (several are an
#'   error), the `"first"` or the `"last"` of those that have it; or the one whose last key, a
#'   number, date or time, is nearest, `"at or before"` that of the row, or `"at or after"` it,
#'   among those that have the other keys: the price of a day, the bracket of an amount.
#' @return The values, one for each row; a data frame if several columns are taken.
#' @section Errors: `rowanroot_duplicate_key` if a key occurs twice in the table,
#'   `rowanroot_unknown_key` for keys that it does not have, `rowanroot_unknown_column` for a column
#'   that it does not have, `rowanroot_type_mismatch` for keys of another type,
#'   `rowanroot_bad_argument` for anything but a table. The messages count the rows and show the
#'   first.
#' @examples
#' visits <- data.frame(apiary = c("NB", "SH", "NB"))
#' apiaries <- data.frame(
#'   apiary = c("NB", "SH"), region = c("North Bank", "South Hill"), altitude_m = c(120L, 310L)
#' )
#' visits |> set_columns({
#'   c(region, altitude_m) <- look_up(apiary, apiaries, take = c(region, altitude_m))
#'   keeper                <- look_up(apiary, c(NB = "Ada", SH = "Ivo"))
#' })
#'
#' # The price that held on the day
#' prices <- data.frame(from = as.Date(c("2025-01-01", "2025-07-01")), eur = c(7.5, 8))
#' data.frame(day = as.Date(c("2025-06-30", "2025-08-15"))) |>
#'   set_columns({ eur <- look_up(day, prices, take = eur, by = from, match = "at or before") })
#' @concept VLOOKUP
#' @concept match by key
#' @export
look_up <- function(key, table, take = NULL, by = NULL, unknown = "error", match = "only") {
  call <- quote(look_up())
  table <- values_now(opened_table(table))
  parts <- key_parts(substitute(key), table)
  keys <- if (length(parts) > 1) lapply(parts, eval, parent.frame()) else list(key)
  chosen <- look_up_columns(parts, table, substitute(take), substitute(by), parent.frame(), call)
  check_match(match, call)
  look_up_values(keys, table, chosen$take, chosen$by, unknown, call, match)
}

check_match <- function(match, call) {
  check_one_of(match, c("only", "first", "last", "at or before", "at or after"), "match", call)
}

# The code of each key. Values in `c()` are one key's.
key_parts <- function(code, table) {
  parts <- if (is_call_to(code, "c") && is.data.frame(table)) as.list(code)[-1]
  if (any(vapply(parts, is.language, NA))) parts else list(code)
}

words_of_look_up <- function() list(
  language_word("look_up", "look_up", several = c("table", "take", "by")),
  language_word("%in%", "row", whole = looks_in_a_column, peeks = looks_in_a_column, several = "table",
                sql = "in_values")
)

looks_in_a_column <- function(arguments) length(arguments) == 2 && length(node_columns(arguments[[2]])) > 0

# In a block `take` and `by` are columns of the table, not of the block.
bind_word.word_look_up <- function(word, arguments, expr, scope) {
  given <- word_given(look_up, expr, scope)
  for (name in c("key", "table")) {
    if (is.null(given[[name]])) {
      stop_because(c("{.code look_up()} needs a {.arg {name}}.",
                     "in" = "{scope_text(scope)}"), "bad_argument", scope$call)
    }
  }
  opened <- opened_table(option_values(given["table"], scope)$table)
  table <- values_now(opened)
  unknown <- if (is.null(given$unknown)) "error" else option_values(given["unknown"], scope)$unknown
  keys <- key_parts(given$key, table)
  chosen <- look_up_columns(keys, table, given$take, given$by, scope$env, scope$call)
  # Only what can be taken counts when the script is run again.
  if (is.data.frame(table)) table <- as.data.frame(table)[unique(c(chosen$by, chosen$take))]
  options <- list(table = new_value(table, given$table), take = new_value(chosen$take, quote(take)),
                  by = new_value(chosen$by, quote(by)),
                  unknown = new_value(unknown))
  match <- if (is.null(given$match)) "only" else option_values(given["match"], scope)$match
  check_match(match, scope$call)
  # What is usual is left out: keys do not change with options that came later.
  if (match != "only") options$match <- new_value(match)
  looked_up <- if (is_rooted_table(opened)) list(table = opened, origin = origin_now(opened, scope$call))
  new_call(look_up_in_block, "look_up", c(options, lapply(keys, bind_formula, scope = scope)), expr, scope$env, word,
           looked_up = looked_up)
}

look_up_in_block <- function(table, take, by, unknown, ..., match = "only") {
  look_up_values(list(...), table, take, by, unknown, quote(look_up()), match)
}

# Which columns of the table are taken, and by which its rows are found.
look_up_columns <- function(keys, table, take, by, env, call) {
  if (is.atomic(table) && !is.null(names(table))) {
    if (is.null(take) && is.null(by)) return(list(take = character(), by = character()))
    stop_because("A named vector has no columns: {.arg take} and {.arg by} are for data frames.",
                 "bad_argument", call)
  }
  if (!is.data.frame(table)) {
    stop_because(c("{.arg table} must be a data frame or a named vector, not {what_is(table)}.",
                   "try" = "{.code look_up(apiary, c(NB = \"North Bank\", SH = \"South Hill\"))}"),
                 "bad_argument", call)
  }
  names <- names(table)
  take <- if (!is.null(take)) choose_columns(take, names, env, call)
  if (!length(take)) {
    stop_because(c("Which columns of the table should {.code look_up()} take?",
                   "try" = "Set {.arg take}. The table has {listed(names)}."), "bad_argument", call)
  }
  by <- if (is.null(by)) columns_named_as_keys(keys, names, call) else choose_columns(by, names, env, call)
  if (length(by) != length(keys)) {
    stop_because("There are {counted(length(keys), 'key')}, and {counted(length(by), 'column')} to look them up by.",
                 "bad_argument", call)
  }
  list(take = take, by = by)
}

columns_named_as_keys <- function(keys, names, call) {
  is_name <- vapply(keys, is.symbol, NA)
  by <- vapply(keys, one_line, "")
  if (!all(is_name)) {
    stop_because(c("Which column of the table has the key {.code {by[!is_name][1]}}?",
                   "try" = "Set {.arg by}. The table has {listed(names)}."), "bad_argument", call)
  }
  missing <- setdiff(by, names)
  if (!length(missing)) return(by)
  hint <- nearest_name(missing[1], names)
  stop_because(c("The table has no column {.code {missing[1]}}.",
                 "try" = if (length(hint)) "Is it {.code by = {hint}}?"
                       else "Set {.arg by}. The table has {listed(names)}."),
               "unknown_column", call, column = missing[1], nearest = hint)
}

look_up_values <- function(keys, table, take, by, unknown, call, match = "only") {
  check_one_of(unknown, c("error", "missing"), "unknown", call)
  in_vector <- !is.data.frame(table)
  of_table <- if (in_vector) list(names(table)) else unname(as.list(table)[by])
  labels <- if (in_vector) "names" else by
  for (k in seq_along(keys)) check_key_types(keys[[k]], of_table[[k]], labels[k], call)
  row <- rows_of_keys(keys, of_table, match, call)
  if (unknown == "error" && anyNA(row)) {
    is_unknown <- is.na(row) & !Reduce(`|`, lapply(keys, is_missing_key))
    if (any(is_unknown)) stop_unknown_key(which(is_unknown), keys, call)
  }
  if (in_vector) return(values_in_rows(unname(table), row))
  found <- lapply(as.list(table)[take], values_in_rows, rows = row)
  if (length(take) == 1) found[[1]] else structure(found, row.names = .set_row_names(length(row)), class = "data.frame")
}

# The table's row for each key.
rows_of_keys <- function(keys, of_table, match, call) {
  if (match %in% c("at or before", "at or after")) return(nearest_rows(keys, of_table, match == "at or after", call))
  codes <- if (length(keys) > 1) numbers_by_table(keys, of_table) else key_codes(keys, of_table, call)
  if (match == "only") check_keys_once(codes$table, of_table, call)
  if (match != "last") return(key_rows(codes$keys, codes$table))
  last <- length(of_table[[1]])
  last + 1L - key_rows(codes$keys, rev(codes$table))
}

stop_unknown_key <- function(rows, keys, call) {
  stop_because(c(paste0("{counted_rows(length(rows))} {cli::qty(length(rows))}{?has a key/have keys} that the table ",
                        "does not have."),
                 "found" = "The first is row {rows[1]}: {key_text(keys, rows[1])}.",
                 "try" = "For missing values there, use {.code unknown = \"missing\"}."), "unknown_key", call,
                   rows = rows)
}
