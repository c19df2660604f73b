#' Aggregates that base R has no word for
#'
#' In a formula, as `mean()` and `sum()`, they are over the whole column, or over each group under `within`.
#'
#' @param x A vector.
#' @return One value: how many values there are that are not missing, how many different ones (a missing value
#'   is none), and the first and the last value, missing or not. Of no values the first and last are missing.
#' @examples
#' visits <- data.frame(apiary = c("NB", "SH", "NB"), net_kg = c(25, NA, 14))
#' visits |> set_columns({
#'   weighed <- count_known(net_kg)
#'   apiaries <- count_distinct(apiary)
#'   opening <- first_value(net_kg)
#' })
#' visits |> set_columns({ weighed <- count_known(net_kg) }, within = apiary)
#' @export
count_known <- function(x) sum(!is.na(x))

#' @rdname count_known
#' @export
count_distinct <- function(x) length(unique(x[!is.na(x)]))

#' @rdname count_known
#' @export
first_value <- function(x) x[1]

#' @rdname count_known
#' @export
last_value <- function(x) x[max(length(x), 1)]
