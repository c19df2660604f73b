#' Numbers on a common scale
#'
#' `z_score()` is the number of standard deviations between a value and the mean, `min_max()` the
#' value's position between the minimum and the maximum, and `share()` its share of the sum. The
#' original column does not change.
#'
#' @param x A column, or a vector, of numbers. Missing values stay missing; mean, range and sum
#'   leave them out.
#' @param sd The standard deviation of a `"sample"` (over n - 1, as R's [stats::sd()]) or of a `"population"` (over
#'   n).
#' @param ends The results for the minimum and the maximum.
#' @inheritParams running_total
#' @return Doubles. If all values are the same, `z_score()` and `min_max()` give `NaN`.
#' @section Errors: `rowanroot_type_mismatch` for text, `rowanroot_bad_argument` for a wrong `sd` or
#'   `ends`.
#' @examples
#' z_score(c(1, 2, 3))
#' visits <- data.frame(apiary = c("NB", "NB", "SH"), net_kg = c(20, 25, 14))
#' visits |> set_columns({
#'   z     <- z_score(net_kg)
#'   place <- min_max(net_kg, ends = c(0, 100))
#'   part  <- share(net_kg, within = apiary)
#' })
#' @concept normalise
#' @concept standardise
#' @concept z-score
#' @concept percent of total
#' @export
z_score <- function(x, sd = "sample", within = NULL) word_on_vectors("z_score", x, list(sd = sd), within,
    call = quote(z_score()))

#' @rdname z_score
#' @export
min_max <- function(x, ends = c(0, 1), within = NULL) word_on_vectors("min_max", x, list(ends = ends), within,
    call = quote(min_max()))

#' @rdname z_score
#' @export
share <- function(x, within = NULL) word_on_vectors("share", x, list(), within, call = quote(share()))

words_of_scale <- function() list(derived_word("z_score", bind_z_score), derived_word("min_max", bind_min_max),
                                  derived_word("share", bind_share))

# Over the column or the group, without what is missing.
known_aggregate <- function(name, x, given, expr, scope) {
  new_aggregate(the_word(name), x, expr, scope$env, skip_missing = TRUE, within = given_groups(given, scope))
}

bind_z_score <- function(given, expr, scope) {
  x <- new_shared(bind_formula(given$x, scope))
  sd <- option_values(given["sd"[!is.null(given$sd)]], scope)$sd
  sd <- check_one_of(if (is.null(sd)) "sample" else sd, c("sample", "population"), "sd", scope$call)
  spread <- known_aggregate("sd", x, given, expr, scope)
  if (sd == "population") {
    count <- new_shared(known_aggregate("count_known", x, given, expr, scope))
    less_one <- word_node("-", count, new_value(1), shown = expr)
    spread <- word_node("*", spread, word_node("sqrt", word_node("/", less_one, count, shown = expr), shown = expr),
                        shown = expr)
  }
  word_node("/", word_node("-", x, known_aggregate("mean", x, given, expr, scope), shown = expr), spread, shown = expr)
}

bind_min_max <- function(given, expr, scope) {
  x <- new_shared(bind_formula(given$x, scope))
  ends <- option_values(given["ends"[!is.null(given$ends)]], scope)$ends
  if (is.null(ends)) ends <- c(0, 1)
  if (!is.numeric(ends) || length(ends) != 2 || anyNA(ends)) {
    stop_because(c("{.arg ends} must be two numbers, the ends of the range.", "found" = "It is {what_is(ends)}."),
                 "bad_argument", scope$call)
  }
  least <- new_shared(known_aggregate("min", x, given, expr, scope))
  greatest <- known_aggregate("max", x, given, expr, scope)
  # The distance of two whole numbers may be too large for one: this word gives a double, and in keys it is another one.
  difference <- language_word("-", "row", key = "real_difference", memory = "subtract", type = rule_real,
                              arguments = 2, category = FALSE)
  distance <- function(a, b) new_word(difference, list(a, b), expr)
  position <- word_node("/", distance(x, least), distance(greatest, least), shown = expr)
  if (identical(as.numeric(ends), c(0, 1))) return(position)
  width <- new_value(ends[2] - ends[1])
  word_node("+", new_value(ends[1]), word_node("*", position, width, shown = expr), shown = expr)
}

bind_share <- function(given, expr, scope) {
  x <- new_shared(bind_formula(given$x, scope))
  word_node("/", x, known_aggregate("sum", word_node("as.numeric", x, shown = expr), given, expr, scope), shown = expr)
}
