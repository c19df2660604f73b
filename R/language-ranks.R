#' Rank values, in the table or in groups
#'
#' `best` has no default, because most mistakes with ranks are about whether rank 1 is the highest
#' or the lowest value.
#'
#' Numbers, dates and times are ranked by value, categories by their levels, and text by the Unicode
#' code points of its characters, whatever the language: capitals come before small letters.
#'
#' @param x A column, or a vector.
#' @param best Which value gets rank 1: `"highest"` or `"lowest"`.
#' @param ties The rank of equal values: the lowest (`"min"`, as in sports: 1 2 2 4), the highest
#'   (`"max"`) or the `"average"` of the positions they share; different ranks in the order of rows
#'   (`"first"`) or in reverse (`"last"`); or ranks without gaps (`"dense"`: 1 2 2 3).
#' @param missing Missing values have a missing rank (`"keep"`), or come `"first"` or `"last"`, each
#'   with a rank of its own in the order of rows, as in R's [rank()].
#' @param as `"position"`; `"share"`, the position divided by the number of values; or
#'   `"percent_rank"` and `"cume_dist"` as defined by the SQL standard (ISO/IEC 9075-2): the share
#'   of the other rows that come before, and the share of rows that come before or are equal. These
#'   two have their own rule for ties.
#' @param within Columns or formulas of columns (outside a block, vectors) whose values group the
#'   rows. Missing values are a group of their own.
#' @param along Columns or formulas of columns (outside a block, vectors) that decide which of equal
#'   values comes first, with `ties` `"first"` or `"last"`; by default the order of rows.
#' @return Whole numbers; doubles for averages and shares.
#' @section Errors: `rowanroot_bad_argument` for a missing or wrong option,
#'   `rowanroot_type_mismatch` for a list.
#' @examples
#' ranking(c(20, 25, 25, NA), best = "highest")
#' visits <- data.frame(apiary = c("NB", "NB", "SH"), net_kg = c(20, 25, 14))
#' visits |> set_columns({
#'   place <- ranking(net_kg, best = "highest", within = apiary)
#'   share <- ranking(net_kg, best = "lowest", as = "cume_dist")
#' })
#' @concept rank
#' @concept percentile
#' @concept quartile
#' @concept dense rank
#' @export
ranking <- function(x, best, ties = "min", missing = "keep", as = "position", within = NULL, along = NULL) {
  call <- quote(ranking())
  if (base::missing(best)) check_ranking(list(), call)
  word_on_vectors("ranking", x, list(best = best, ties = ties, missing = missing, as = as), within, along, call)
}

#' Quartiles, deciles and other equal parts
#'
#' Sorts the rows by a column and cuts them into parts that are as equal in size as can be. This is
#' `NTILE` of the SQL standard (ISO/IEC 9075-2): if the parts can't be equal, the first ones have a
#' row more. Equal values can so be in two parts: `along` decides which comes first, by default the
#' order of rows. For parts with fixed limits use [bands()].
#'
#' @param parts How many parts: 4 for quartiles, 10 for deciles.
#' @param best Which value is in part 1: the `"highest"` or the `"lowest"`.
#' @param along Columns or formulas of columns (outside a block, vectors) that decide which of equal
#'   values comes first.
#' @inheritParams ranking
#' @return Whole numbers from 1 to `parts`; missing where `x` is.
#' @section Errors: `rowanroot_bad_argument` for a missing or wrong option,
#'   `rowanroot_type_mismatch` for a list.
#' @examples
#' equal_parts(c(5, 1, 4, 2, 3), 2, best = "highest")
#' visits <- data.frame(apiary = c("NB", "NB", "SH", "SH"), net_kg = c(20, 25, 14, 17))
#' visits |> set_columns({ half <- equal_parts(net_kg, 2, best = "highest", within = apiary) })
#' @concept quartile
#' @concept decile
#' @concept percentile
#' @concept ntile
#' @export
equal_parts <- function(x, parts, best, within = NULL, along = NULL) {
  call <- quote(equal_parts())
  given <- c(if (!base::missing(parts)) list(parts = parts), if (!base::missing(best)) list(best = best))
  check_equal_parts(given, call)
  word_on_vectors("equal_parts", x, given, within, along, call)
}

check_equal_parts <- function(options, call) {
  if (is.null(options$parts)) {
    stop_because(c("How many parts?", "try" = "{.code parts = 4} for quartiles, {.code parts = 10} for deciles."),
                 "bad_argument", call)
  }
  if (is.null(options$best)) {
    stop_because(c("Which end is best?",
                   "try" = paste0("{.code best = \"highest\"} puts the largest values into part 1, ",
                                  "{.code best = \"lowest\"} the smallest.")), "bad_argument", call)
  }
  list(parts = check_whole_number(options$parts, 1, "parts", call),
       best = check_one_of(options$best, c("highest", "lowest"), "best", call))
}

explain_part <- function(facts) {
  known <- sum(!is.na(facts$arguments[facts$rows]))
  paste0("of ", facts$options$parts, " equal parts of ", counted(known, "value"), ", among ", facts$of)
}

words_of_ranks <- function() list(
  ordered_word("equal_parts", check_equal_parts, "parts", explain = explain_part),
  ordered_word("ranking", check_ranking, "ranking", draw = "ranking", explain = explain_rank),
  language_word("row_ranking", "column", choices = TRUE)
)

check_ranking <- function(options, call) {
  if (is.null(options$best)) {
    stop_because(c("Which end is best?",
                   "try" = paste0("{.code best = \"highest\"} gives the largest value rank 1, ",
                                "{.code best = \"lowest\"} the smallest.")),
                 "bad_argument", call)
  }
  options <- check_options(options, list(ties = "min", missing = "keep", as = "position"))
  list(best = check_one_of(options$best, c("highest", "lowest"), "best", call),
       ties = check_one_of(options$ties, c("min", "max", "average", "first", "last", "dense"), "ties", call),
       missing = check_one_of(options$missing, c("keep", "first", "last"), "missing", call),
       as = check_one_of(options$as, c("position", "share", "percent_rank", "cume_dist"), "as", call))
}

#' Rank the columns of each row
#'
#' @param ... Columns, or vectors, of numbers or of one other type.
#' @param best,ties As in [ranking()].
#' @return A list with a column for each column given: the rank of its value among the values of the
#'   row. A missing value has a missing rank.
#' @section Errors:
#' As [ranking()]; `rowanroot_wrong_length`.
#' @examples
#' scales <- data.frame(a_kg = c(3, 5), b_kg = c(4, 1), c_kg = c(4, NA))
#' scales |> set_columns({ c(a, b, c) <- row_ranking(a_kg, b_kg, c_kg, best = "highest") })
#' @export
row_ranking <- function(..., best, ties = "min") {
  call <- quote(row_ranking())
  options <- check_ranking(if (!missing(best)) list(best = best, ties = ties) else list(), call)
  columns <- unname(list(...))
  types <- vapply(columns, value_type, "")
  numbers <- all(is_numeric_type(types))
  if (!length(columns)) stop_because("{.code row_ranking()} needs columns.", "bad_argument", call)
  if (!numbers && length(unique(lapply(columns, class))) > 1) {
    stop_because(c("{.code row_ranking()} needs columns of one type.",
                   "found" = "They are {unique(vapply(columns, type_name, ''))}."), "type_mismatch", call)
  }
  rows <- max(lengths(columns))
  check_same_length(stats::setNames(c(list(seq_len(rows)), columns), c("x", rep("columns", length(columns)))), call)
  values <- if (numbers) unlist(lapply(columns, as.numeric)) else do.call(c, columns)
  of_row <- rep(seq_len(rows) - 1L, length(columns))
  ranks <- ranks_cpp(sortable_column(values, call), options$best == "highest", options$ties, "keep", of_row, rows,
                     getOption("rowanroot.threads", 0L))
  unname(split(ranks, factor(rep(seq_along(columns), each = rows), levels = seq_along(columns))))
}
