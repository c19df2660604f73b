#' Numbers on a common scale
#'
#' `z_score()` is how many standard deviations a value lies from the mean, `min_max()` where it lies between the least
#' and the greatest, `share()` its part of the sum. The column that they are made of stays as it is.
#'
#' @param x A column, or a vector, of numbers. Missing values stay missing, and are left out of mean, range and sum.
#' @param sd The standard deviation of a `"sample"` (over n - 1, as R's [stats::sd()]) or of a `"population"` (over n).
#' @param to The two ends of the range.
#' @inheritParams running_total
#' @return Doubles. Of values that are all the same, z-scores and positions are `NaN`.
#' @section Errors:
#' `rowanroot_type_mismatch` for text, `rowanroot_bad_argument` for another `sd` or `to`.
#' @examples
#' z_score(c(1, 2, 3))
#' visits <- data.frame(apiary = c("NB", "NB", "SH"), net_kg = c(20, 25, 14))
#' visits |> set_columns({
#'   z     <- z_score(net_kg)
#'   place <- min_max(net_kg, to = c(0, 100))
#'   part  <- share(net_kg, within = apiary)
#' })
#' @export
z_score <- function(x, sd = "sample", within = NULL) word_on_vectors("z_score", x, list(sd = sd), within, call = quote(z_score()))

#' @rdname z_score
#' @export
min_max <- function(x, to = c(0, 1), within = NULL) word_on_vectors("min_max", x, list(to = to), within, call = quote(min_max()))

#' @rdname z_score
#' @export
share <- function(x, within = NULL) word_on_vectors("share", x, list(), within, call = quote(share()))
