#' Bands of numbers, and the first known value
#'
#' `bands()` sorts numbers or dates into bands and gives them as an ordered category.
#' `first_known()` gives, in each row, the first of its columns that is not missing.
#'
#' @param x A column, or a vector, of numbers or dates.
#' @param ... For `bands()`, the upper ends of the bands in rising order, with the names of the
#'   bands: `weak = 4, fair = 8, strong = Inf`. Bands without a
#'   name are named by their ends. For `first_known()`, columns of one type.
#' @param ends Whether an upper end belongs to its band (`"in"`: up to 4), or to the next one (`"out"`: below 4).
#' @return An ordered category; or a column of that type. Missing values stay missing.
#' @section Errors: `rowanroot_out_of_bands` for values above the last end, unless that is `Inf`:
#'   the message counts such rows and shows the first; `rowanroot_bad_argument` for ends that do not
#'   rise; `rowanroot_type_mismatch` for text.
#' @examples
#' bands(c(2, 4, 9), weak = 4, fair = 8, strong = Inf)
#' bands(c(2, 4, 9), 4, 10)
#' bands(c(2, 4, 9), 4, 10, ends = "out")
#' visits <- data.frame(scale_kg = c(31.5, NA), manual_kg = c(31, 28))
#' visits |> set_columns({ reading <- first_known(scale_kg, manual_kg) })
#' @concept cut
#' @concept bins
#' @concept coalesce
#' @export
bands <- function(x, ..., ends = "in") {
  call <- quote(bands())
  check_one_of(ends, c("in", "out"), "ends", call)
  is_out <- ends == "out"
  ends <- list(...)
  check_ends(x, ends, call)
  names <- band_names(ends, is_out)
  if (anyDuplicated(names)) stop_because("Two bands have the name {.val {names[duplicated(names)][1]}}.",
                                         "bad_argument",
                                         call)
  ends <- unlist(lapply(ends, as.numeric))
  value <- as.numeric(x)
  code <- findInterval(value, ends, left.open = !is_out) + 1L
  if (is_out) code[which(value == Inf & ends[length(ends)] == Inf)] <- length(ends)
  above <- which(code > length(ends))
  if (length(above)) {
    stop_because(c(paste0("{counted_rows(length(above))} {cli::qty(length(above))}{?is/are} above the last band, ",
                          "which ends {if (is_out) 'below' else 'with'} {format(ends[length(ends)])}."),
                   "found" = "The first is row {above[1]}: {format(x[above[1]])}.",
                   "try" = "Let the last band end with {.code Inf}."),
                 "out_of_bands", call, rows = above)
  }
  structure(code, levels = names, class = c("ordered", "factor"))
}

#' @rdname bands
#' @export
first_known <- function(...) across_vectors("first_known", list(...))

check_ends <- function(x, ends, call) {
  is_date <- inherits(x, "Date")
  if (!is_date && (!is.numeric(x) || is.object(x)) && !(is.logical(x) && all(is.na(x)))) {
    stop_because(c("{.code bands()} needs numbers or dates, not {what_is(x)}.",
                   "try" = "Convert text with {.code as_number()}."), "type_mismatch", call)
  }
  if (!length(ends)) {
    stop_because(c("{.code bands()} needs the upper ends of the bands.",
                   "try" = "{.code bands(frames, weak = 4, fair = 8, strong = Inf)}"),
                 "bad_argument", call)
  }
  single <- vapply(ends, function(end) length(end) == 1 && (is.numeric(end) || inherits(end, "Date")) && !is.na(end),
                   NA)
  if (!all(single)) {
    stop_because(c("Each end must be one number, or one date for dates.",
                   "found" = "{.code {one_line(ends[[which(!single)[1]]])}} is not."), "bad_argument", call)
  }
  dated <- vapply(ends, function(end) inherits(end, "Date") || is.infinite(end), NA)
  if (is_date && !all(dated)) stop_because("The ends of bands of dates must be dates.", "bad_argument", call)
  if (!is_date && any(vapply(ends, inherits, NA, "Date"))) {
    stop_because("The ends of bands of numbers must be numbers.", "bad_argument", call)
  }
  values <- unlist(lapply(ends, as.numeric))
  if (is.unsorted(values, strictly = TRUE)) {
    stop_because(c("The ends of the bands must increase.", "found" = "They are {vapply(ends, format, '')}."),
                 "bad_argument",
                 call)
  }
}

# "up to 4", "4 to 8", "above 8" where no name is given; "below 4", "4 to below 8", "8 and above" if ends are out.
band_names <- function(ends, is_out) {
  given <- if (is.null(names(ends))) rep("", length(ends)) else names(ends)
  shown <- vapply(ends, function(end) if (is.numeric(end)) shown_text(as.numeric(end)) else format(end), "")
  last <- length(ends)
  words <- if (is_out) c("below", "to below") else c("up to", "to")
  made <- c(paste(words[1], shown[1]), if (last > 1) paste(shown[-last], words[2], shown[-1]))
  if (last > 1 && is.infinite(ends[[last]])) {
    made[last] <- if (is_out) paste(shown[last - 1], "and above") else paste("above", shown[last - 1])
  }
  ifelse(nzchar(given), given, made)
}

words_of_bands <- function() list(language_word("bands", "row", sql = "bands"),
                                  derived_word("first_known", bind_first_known, one_row = TRUE, choices = TRUE))

# Where a column is missing, the next one counts.
bind_first_known <- function(given, expr, scope) {
  if (!length(given)) {
    stop_because(c("{.code first_known()} needs columns.", "in" = "{scope_text(scope)}"),
                 "bad_argument", scope$call)
  }
  columns <- lapply(unname(given), function(one) new_shared(bind_formula(one, scope)))
  Reduce(function(column, rest) {
    new_choice(word_node("is.na", column, shown = expr), rest, column, expr, of = "first_known")
  }, columns, right = TRUE)
}
