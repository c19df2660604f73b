#' Running totals and the like
#'
#' For each row, what its value and those before it come to.
#'
#' @param x A column, or a vector, of numbers; for `running_min()` and `running_max()` also of dates and times, for
#'   `running_count()` of anything.
#' @param missing What a missing value does: that row is missing and what follows goes on without it (`"skip"`); that
#'   row shows the result so far (`"carry"`); or all that follows is missing too (`"stop"`, as in R's [cumsum()]).
#' @param along Columns (or vectors) that give the order of rows, [descending()] if from the greatest down: a running
#'   total along a date does not depend on how the file is sorted. Rows that are equal there stay in their
#'   order; where one is missing it comes last, with a warning.
#' @param within Columns (or vectors) whose values make groups, each of which starts again.
#' @return One value for each row, in the rows' own order. Totals, least and greatest values of whole numbers are
#'   whole, means and products doubles, counts whole. Sums are kept in long double, as [cumsum()] does.
#' @section Errors:
#' `rowanroot_bad_argument` for a misspelled choice, `rowanroot_type_mismatch` for text. A total of whole numbers
#' that becomes too large is missing from there on, with a warning of class `rowanroot_overflow`; a missing value in
#' `along` warns with class `rowanroot_missing_order`.
#' @examples
#' running_total(c(3, NA, 4))
#' running_total(c(3, NA, 4), missing = "carry")
#' visits <- data.frame(day = c(2, 1, 1), hive = c("a", "a", "b"), net_kg = c(5, 7, 9))
#' visits |> set_columns({
#'   so_far <- running_total(net_kg, along = day, within = hive)
#'   share_so_far <- running_total(net_kg) / sum(net_kg)
#' })
#' @concept cumulative sum
#' @concept running total
#' @concept accumulate
#' @export
running_total <- function(x, missing = "skip", along = NULL, within = NULL) running_word("running_total", x, missing,
    along, within)

#' @rdname running_total
#' @export
running_mean <- function(x, missing = "skip", along = NULL, within = NULL) running_word("running_mean", x, missing,
    along, within)

#' @rdname running_total
#' @export
running_count <- function(x, missing = "skip", along = NULL, within = NULL) running_word("running_count", x, missing,
    along, within)

#' @rdname running_total
#' @export
running_min <- function(x, missing = "skip", along = NULL, within = NULL) running_word("running_min", x, missing,
    along, within)

#' @rdname running_total
#' @export
running_max <- function(x, missing = "skip", along = NULL, within = NULL) running_word("running_max", x, missing,
    along, within)

#' @rdname running_total
#' @export
running_product <- function(x, missing = "skip", along = NULL, within = NULL) running_word("running_product", x,
    missing, along, within)

running_word <- function(name, x, missing, along, within) {
  word_on_vectors(name, x, list(missing = missing), within, along, call(name))
}

check_running <- function(options, call) {
  options <- check_options(options, list(missing = "skip"))
  list(missing = check_one_of(options$missing, c("skip", "carry", "stop"), "missing", call))
}

#' Moving windows
#'
#' For each row, what its value and those of the rows just before it come to. A window costs the same whatever its
#' length, and its sum is made of its own values alone: errors of rounding do not add up along the column.
#'
#' @param x A column, or a vector, of numbers; for `moving_min()` and `moving_max()` also of dates and times.
#' @param rows How many rows a window has, the row itself among them.
#' @param short The value where a window is cut off by the first row: `"missing"`, or that of the `"fewer"` rows
#'   there are.
#' @inheritParams running_total
#' @return One value for each row: doubles, but whole numbers for the least and greatest of such. A window with a
#'   missing value gives missing.
#' @section Errors:
#' `rowanroot_bad_argument` for a window of no rows, or longer than the table unless `short = "fewer"`;
#' `rowanroot_type_mismatch` for text.
#' @examples
#' moving_mean(c(1, 2, 3, 10), rows = 2)
#' visits <- data.frame(day = c(3, 1, 2), net_kg = c(5, 7, 9))
#' visits |> set_columns({ smooth_kg <- moving_mean(net_kg, rows = 2, along = day, short = "fewer") })
#' @concept rolling mean
#' @concept window
#' @concept moving average
#' @export
moving_total <- function(x, rows, short = "missing", along = NULL, within = NULL) {
  moving_word("moving_total", x, rows, short, along, within)
}

#' @rdname moving_total
#' @export
moving_mean <- function(x, rows, short = "missing", along = NULL, within = NULL) {
  moving_word("moving_mean", x, rows, short, along, within)
}

#' @rdname moving_total
#' @export
moving_min <- function(x, rows, short = "missing", along = NULL, within = NULL) {
  moving_word("moving_min", x, rows, short, along, within)
}

#' @rdname moving_total
#' @export
moving_max <- function(x, rows, short = "missing", along = NULL, within = NULL) {
  moving_word("moving_max", x, rows, short, along, within)
}

moving_word <- function(name, x, rows, short, along, within) {
  word_on_vectors(name, x, list(rows = rows, short = short), within, along, call(name))
}

check_moving <- function(options, call) {
  options <- check_options(options, list(rows = NULL, short = "missing"))
  if (is.null(options$rows)) {
    stop_because(c("How many rows has the window?", "try" = "{.code rows = 7}"),
                 "bad_argument", call)
  }
  check_one_of(options$short, c("missing", "fewer"), "short", call)
  list(rows = check_whole_number(options$rows, 1, "rows", call), short = options$short)
}

#' The value of the row before or after
#'
#' @param x A column, or a vector, of any type.
#' @param rows How many rows before or after.
#' @param default What the first rows get, or the last.
#' @inheritParams running_total
#' @return One value for each row, of the type of `x`; of `change()` the difference between a row's value and the one
#'   before, as `-` gives it.
#' @section Errors:
#' `rowanroot_bad_argument` for another number of rows, `rowanroot_type_mismatch` for a default of another type.
#' @examples
#' change(c(3, 5, 4))
#' visits <- data.frame(day = c(2, 1, 3), net_kg = c(5, 7, 9))
#' visits |> set_columns({
#'   before   <- previous(net_kg, along = day)
#'   gain_kg  <- change(net_kg, along = day)
#' })
#' @concept lag
#' @concept lead
#' @concept difference
#' @export
previous <- function(x, rows = 1, default = NA, along = NULL, within = NULL) {
  word_on_vectors("previous", x, list(rows = rows, default = default), within, along, quote(previous()))
}

#' @rdname previous
#' @export
following <- function(x, rows = 1, default = NA, along = NULL, within = NULL) {
  word_on_vectors("following", x, list(rows = rows, default = default), within, along, quote(following()))
}

#' @rdname previous
#' @export
change <- function(x, rows = 1, along = NULL, within = NULL) {
  word_on_vectors("change", x, list(rows = rows), within, along, quote(change()))
}

check_neighbour <- function(options, call) {
  options <- check_options(options, list(rows = 1, default = NA))
  list(rows = check_whole_number(options$rows, 1, "rows", call), default = options$default)
}

#' A formula that uses its own value in the row above
#'
#' A balance, a smoothed value, the last known one: for each row the formula is calculated with `.above`, its own
#' result in the row before. It is compiled, and may have conditions and any number of columns.
#'
#' @param formula A formula with `.above` in it, made of what runs row by row: arithmetic, comparisons, `if`, and
#'   functions of one row. Parts without `.above` can be anything.
#' @param start What the first row has above it, in each group.
#' @inheritParams running_total
#' @return One value for each row, of the type of the formula. Only for blocks of [set_columns()].
#' @section Errors:
#' `rowanroot_bad_formula` without `.above`, or with it in a function that needs whole columns;
#' `rowanroot_type_mismatch` if the formula gives another type than it takes; `rowanroot_bad_argument` without a
#' `start`.
#' @examples
#' visits <- data.frame(day = c(2, 1, 3), net_kg = c(5, NA, 9))
#' visits |> set_columns({
#'   last_known <- running(if (is.na(net_kg)) .above else net_kg, start = NA, along = day)
#'   .kg        <- if (is.na(net_kg)) 0 else net_kg
#'   balance    <- running(.above * 0.99 + .kg, start = 0, along = day)
#' })
#' @export
running <- function(formula, start, along = NULL, within = NULL) {
  stop_because(c(
    "{.code running()} is for blocks of {.code set_columns()}.",
    "try" = "{.code set_columns(x, {{ balance <- running(.above * 0.99 + net_kg, start = 0) }})}"
  ), "bad_formula", quote(running()))
}

words_of_running <- function() {
  running <- function(name, what, ...) {
    ordered_word(name, check_running, "running", what, chunks = "on", draw = "running", explain = explain_running, ...)
  }
  moving <- function(name, what) {
    ordered_word(name, check_moving, "moving", what, chunks = "rows", draw = "running", explain = explain_moving)
  }
  list(
    running("running_total", "total"), running("running_mean", "mean"), running("running_count", "count"),
    running("running_min", "least"), running("running_max", "greatest"), running("running_product", "product"),
    moving("moving_total", "total"), moving("moving_mean", "mean"), moving("moving_min", "least"),
      moving("moving_max", "greatest"),
    ordered_word("previous", check_neighbour, "neighbour", 1, chunks = "rows", explain = explain_previous,
                 explain_value = "before"),
    ordered_word("following", check_neighbour, "neighbour", -1, explain = explain_following, explain_value = "behind"),
    derived_word("change", bind_change)
  )
}

bind_change <- function(given, expr, scope) {
  x <- new_shared(bind_formula(given$x, scope))
  before <- the_word("previous")
  options <- before$check(option_values(given["rows"[!is.null(given$rows)]], scope), scope$call)
  before <- new_ordered(before, x, options, expr, scope$env, given_groups(given, scope), given_order(given, scope))
  word_node("-", x, before, shown = expr)
}
