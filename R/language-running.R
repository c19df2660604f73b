#' Running totals, means, counts and extremes
#'
#' For each row, the total (or mean, count and so on) of its value and all values before it.
#'
#' @param x A column, or a vector, of numbers; for `running_min()` and `running_max()` also of dates
#'   and times, for `running_count()` of anything.
#' @param missing What to do with a missing value: its row is missing and later rows go on without
#'   it (`"skip"`); its row shows the result so far (`"carry"`); or its row and all later rows are
#'   missing (`"stop"`, as in R's [cumsum()]).
#' @param along Columns or formulas of columns (outside a block, vectors) that give the order of
#'   rows, in [descending()] order if the greatest comes first: a running total along a date does
#'   not depend on how the file is sorted. Rows with equal values stay in their order; rows with a
#'   missing value come last, with a warning.
#' @param within Columns or formulas of columns (outside a block, vectors) whose values group the
#'   rows; each group is calculated separately.
#' @return One value for each row; the order of the rows does not change. Totals, minimum and
#'   maximum of whole numbers are whole numbers; means and products are doubles; counts are whole
#'   numbers. Totals are added up in extended precision (C's `long double`), as in `cumsum()`.
#' @section Errors: `rowanroot_bad_argument` for a wrong `missing`, `rowanroot_type_mismatch` for
#'   text. A total of whole numbers that becomes too large is missing from that row on, with a
#'   warning of class `rowanroot_overflow`; a missing value in `along` is a warning of class
#'   `rowanroot_missing_order`.
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

#' Moving windows: totals, means, medians and the like
#'
#' For each row, what its value and those of the rows around it come to: by default of the rows just
#' before it. The time taken does not depend on the length of the window (for medians, on its
#' logarithm). Each sum is made from the values of its own window, so rounding errors do not add up
#' along the column.
#'
#' @param x A column, or a vector, of numbers; for `moving_min()`, `moving_max()` and
#'   `moving_median()` also of dates and times, for `moving_count()` of any type.
#' @param rows How many rows the window has, including the row itself; or a [time_window()], such as
#'   `time_window(7, "days")`, along a date or time: then the window has all rows of that time,
#'   however many these are.
#' @param align Where in its window the row is: at the `"end"`, at the `"start"` or in the
#'   `"centre"` (with an even number of rows, one more comes before the row than after it).
#' @param short What to do with windows that the first or the last row cuts off: they are
#'   `"missing"`, or use the `"fewer"` rows that exist.
#' @param missing With `"stop"` a window that contains a missing value is missing; with `"skip"` it
#'   is that of the values that are known, and missing only if none is.
#' @inheritParams running_total
#' @return One value for each row: doubles; the minimum and maximum of whole numbers are whole
#'   numbers, and so are counts, which are of the values that are known. `moving_sd()` is the
#'   standard deviation of a sample, missing for fewer than two values.
#' @section Errors: `rowanroot_bad_argument` for a window of no rows, one longer than the table
#'   unless `short = "fewer"`, or one of time without a date or time in `along`;
#'   `rowanroot_type_mismatch` for text.
#' @examples
#' moving_mean(c(1, 2, 3, 10), rows = 2)
#' visits <- data.frame(day = as.Date("2025-05-01") + c(9, 0, 3), net_kg = c(5, 7, 9))
#' visits |> set_columns({
#'   smooth_kg <- moving_mean(net_kg, rows = 2, along = day, short = "fewer")
#'   week_kg   <- moving_total(net_kg, rows = time_window(7, "days"), along = day, short = "fewer")
#' })
#' moving_median(c(4, NA, 6, 1), rows = 3, align = "centre", short = "fewer", missing = "skip")
#' @concept rolling mean
#' @concept window
#' @concept moving average
#' @export
moving_total <- function(x, rows, align = "end", short = "missing", missing = "stop", along = NULL, within = NULL) {
  moving_word("moving_total", x, rows, align, short, missing, along, within)
}

#' @rdname moving_total
#' @export
moving_mean <- function(x, rows, align = "end", short = "missing", missing = "stop", along = NULL, within = NULL) {
  moving_word("moving_mean", x, rows, align, short, missing, along, within)
}

#' @rdname moving_total
#' @export
moving_min <- function(x, rows, align = "end", short = "missing", missing = "stop", along = NULL, within = NULL) {
  moving_word("moving_min", x, rows, align, short, missing, along, within)
}

#' @rdname moving_total
#' @export
moving_max <- function(x, rows, align = "end", short = "missing", missing = "stop", along = NULL, within = NULL) {
  moving_word("moving_max", x, rows, align, short, missing, along, within)
}

#' @rdname moving_total
#' @export
moving_sd <- function(x, rows, align = "end", short = "missing", missing = "stop", along = NULL, within = NULL) {
  moving_word("moving_sd", x, rows, align, short, missing, along, within)
}

#' @rdname moving_total
#' @export
moving_median <- function(x, rows, align = "end", short = "missing", missing = "stop", along = NULL, within = NULL) {
  moving_word("moving_median", x, rows, align, short, missing, along, within)
}

#' @rdname moving_total
#' @export
moving_count <- function(x, rows, align = "end", short = "missing", along = NULL, within = NULL) {
  word_on_vectors("moving_count", x, list(rows = rows, align = align, short = short), within, along,
                  quote(moving_count()))
}

moving_word <- function(name, x, rows, align, short, missing, along, within) {
  word_on_vectors(name, x, list(rows = rows, align = align, short = short, missing = missing), within, along,
                  call(name))
}

# Options that are the usual ones are left out: keys do not change with those that came later.
check_moving <- function(options, call) {
  options <- check_options(options, list(rows = NULL, align = "end", short = "missing", missing = "stop"))
  if (is.null(options$rows)) {
    stop_because(c("How many rows does the window have?", "try" = "{.code rows = 7}"),
                 "bad_argument", call)
  }
  check_one_of(options$short, c("missing", "fewer"), "short", call)
  check_one_of(options$align, c("end", "centre", "start"), "align", call)
  check_one_of(options$missing, c("stop", "skip"), "missing", call)
  by_time <- inherits(options$rows, "rowanroot_time_window")
  if (by_time && options$align == "centre" && is.na(options$rows$seconds)) {
    stop_because(c("A window of {options$rows$unit} has no centre: their length differs.",
                   "try" = "{.code time_window(30, \"days\")}"), "bad_argument", call)
  }
  c(list(rows = if (by_time) options$rows else check_whole_number(options$rows, 1, "rows", call),
         short = options$short),
    if (options$align != "end") list(align = options$align),
    if (options$missing != "stop") list(missing = options$missing))
}

# Windows that end with their row can be found in chunks of rows.
chunks_of_moving <- function(options) {
  if (is.null(options$align) && !inherits(options$rows, "rowanroot_time_window")) "rows"
}

#' Windows of time
#'
#' In place of a number of `rows` in [moving_total()] and the like: the window of a row then has all
#' rows whose date or time, in `along`, is at most so long before the row's own (with `align =
#' "start"`, after it). Days without rows count, and rows of the same day are all in the window. A
#' window of 7 days that ends with a row has that row's day and the six before it; a window of one
#' month, all days since that day of the month before.
#'
#' @param count How many units; a whole number of at least 1.
#' @param unit `"seconds"`, `"minutes"`, `"hours"`, `"days"`, `"weeks"`, `"months"`, `"quarters"` or
#'   `"years"`.
#' @return Nothing by itself: it is for `rows` only.
#' @section Errors: `rowanroot_bad_argument`.
#' @examples
#' visits <- data.frame(day = as.Date("2025-05-01") + c(0, 3, 9), net_kg = c(5, 7, 9))
#' visits |> set_columns({
#'   week_kg <- moving_total(net_kg, rows = time_window(7, "days"), along = day, short = "fewer")
#' })
#' @export
time_window <- function(count, unit) {
  call <- quote(time_window())
  count <- check_whole_number(count, 1, "count", call)
  units <- c(seconds = 1, minutes = 60, hours = 3600, days = 86400, weeks = 604800, months = NA, quarters = NA,
             years = NA)
  check_one_of(unit, names(units), "unit", call)
  structure(list(count = count, unit = unit, seconds = count * units[[unit]]), class = "rowanroot_time_window")
}

#' Lag and lead: the value of the row before or after
#'
#' @param x A column, or a vector, of any type.
#' @param rows How many rows before or after.
#' @param as What `change()` gives: the `"difference"`, the `"ratio"` of the value to the one
#'   before, or the difference in `"percent"` of the one before.
#' @param default The value for rows that have no row before (or after) them.
#' @inheritParams running_total
#' @return One value for each row, of the type of `x`. For `change()`, the row's value minus the one
#'   before, divided by it, or the difference in percent of the one before.
#' @section Errors: `rowanroot_bad_argument` for a wrong number of rows, `rowanroot_type_mismatch`
#'   for a `default` of another type.
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
change <- function(x, rows = 1, as = "difference", along = NULL, within = NULL) {
  word_on_vectors("change", x, list(rows = rows, as = as), within, along, quote(change()))
}

check_neighbour <- function(options, call) {
  options <- check_options(options, list(rows = 1, default = NA))
  list(rows = check_whole_number(options$rows, 1, "rows", call), default = options$default)
}

#' Recurrences: a formula that uses its own value in the row above
#'
#' For a balance, a smoothed value or the last known value: the formula is calculated for each row
#' with `.above`, its own result in the row before. It is compiled, and may have conditions and any
#' number of columns.
#'
#' Several columns that use each other's values are set together: `c(stock, ordered) <-
#' running(list(...), start = list(...))`, with a formula and a start for each. In the formulas
#' `.above$stock` is the value of that column in the row before.
#'
#' @param formula A formula that contains `.above`, of any type: numbers, texts, dates, times,
#'   durations or categories. The parts with `.above` must work row by row: arithmetic, comparisons,
#'   `if`, `pmin()`, and functions of one row. Parts without it can be anything. For several columns
#'   a `list()` of formulas, in the order of the columns or with their names.
#' @param start The value of `.above` for the first row of each group: one value, or a column or
#'   formula, whose value in that row counts. For several columns a `list()` of these.
#' @inheritParams running_total
#' @return One value for each row, of the type of the formula. It works only in a block of
#'   [set_columns()].
#' @section Errors: `rowanroot_bad_formula` without `.above`, or with `.above` in a function that
#'   needs whole columns; `rowanroot_type_mismatch` if the formula's result has another type than
#'   `start`; `rowanroot_bad_argument` without `start`; `rowanroot_wrong_columns` if there are not
#'   as many formulas and starts as columns.
#' @examples
#' visits <- data.frame(day = c(2, 1, 3), net_kg = c(5, NA, 9))
#' visits |> set_columns({
#'   last_known <- running(if (is.na(net_kg)) .above else net_kg, start = NA, along = day)
#'   .kg        <- if (is.na(net_kg)) 0 else net_kg
#'   balance    <- running(.above * 0.99 + .kg, start = 0, along = day)
#' })
#'
#' # Frames in store, and frames ordered when fewer than 5 were left
#' data.frame(used = c(3, 4, 2, 3)) |> set_columns({
#'   c(store, ordered) <- running(
#'     list(.above$store + .above$ordered - used, if (.above$store < 5) 10 else 0),
#'     start = list(store = 10, ordered = 0)
#'   )
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
    ordered_word(name, check_moving, "moving", what, chunks = chunks_of_moving, draw = "running",
                 explain = explain_moving)
  }
  list(
    running("running_total", "total"), running("running_mean", "mean"), running("running_count", "count"),
    running("running_min", "least"), running("running_max", "greatest"), running("running_product", "product"),
    moving("moving_total", "total"), moving("moving_mean", "mean"), moving("moving_min", "least"),
    moving("moving_max", "greatest"), moving("moving_sd", "deviation"), moving("moving_median", "median"),
    moving("moving_count", "count"),
    ordered_word("previous", check_neighbour, "neighbour", 1, chunks = "rows", explain = explain_previous,
                 explain_value = "before"),
    ordered_word("following", check_neighbour, "neighbour", -1, explain = explain_following, explain_value = "after"),
    derived_word("change", bind_change)
  )
}

bind_change <- function(given, expr, scope) {
  x <- new_shared(bind_formula(given$x, scope))
  before <- the_word("previous")
  given_options <- option_values(given[intersect(c("rows", "as"), names(given))], scope)
  as <- check_one_of(if (is.null(given_options$as)) "difference" else given_options$as,
                     c("difference", "ratio", "percent"), "as", scope$call)
  options <- before$check(given_options["rows"[!is.null(given_options$rows)]], scope$call)
  before <- new_shared(new_ordered(before, x, options, expr, scope$env, given_groups(given, scope),
                                   given_order(given, scope)))
  if (as == "ratio") return(word_node("/", x, before, shown = expr))
  difference <- word_node("-", x, before, shown = expr)
  if (as == "difference") return(difference)
  word_node("*", word_node("/", difference, before, shown = expr), new_value(100), shown = expr)
}
