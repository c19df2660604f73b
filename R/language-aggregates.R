#' Counts, and first and last values
#'
#' In a formula these are aggregates like `mean()` and `sum()`: over the whole column, or over each
#' group if there are groups.
#'
#' @param x A vector.
#' @return One value: the number of values that are not missing, the number of distinct values
#'   (missing ones not counted), or the first or last value, missing or not. If there are no values,
#'   the first and last are missing.
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

# Fields of aggregates besides those of all words:
#   memory      the way in which the engine calculates it (none: by `r`, group after group); `what` it asks the core for
#               in this way, and `finish` of that
#   of_whole    the type of the result for integers and logicals; doubles give doubles
#   options     its arguments besides the column, in order; `in_order` says that they may come without names
#   needs       "numbers" or "true or false": what it refuses the rest for; `categories` says whether it takes these all
#               the same
#   of_days     whether dates and times are to it what their numbers are
#   needs_known whether missing values are an error
#   texts       the function that is called in its place for text
#   across      how a call of several columns is written if it is meant for each row
#   of_parts    what it is of a few values of one row, in a function of one row
words_of_aggregates <- function() {
  aggregate <- function(name, memory, what = name, of_whole = "double", ...) {
    language_word(name, "aggregate", memory = memory, what = what, of_whole = of_whole, ...)
  }
  moment <- function(name, ..., options = "na.rm") aggregate(name, "moments", ..., options = options)
  numbers <- function(...) moment(..., needs = "numbers")
  in_order <- function(name, memory, ..., options = NULL) {
    aggregate(name, memory, ..., options = options, in_order = TRUE)
  }
  list(
    numbers("sum", of_whole = "integer", across = across_by("row_total"), of_parts = sum_of_parts),
    numbers("mean", of_days = TRUE),
    moment("min", what = "least", of_whole = "integer", of_days = TRUE, texts = edge_text(base::min, FALSE),
           across = across_by("row_min"), of_parts = function(parts, skip, expr) each_pair("pmin", parts, skip, expr)),
    moment("max", what = "greatest", of_whole = "integer", of_days = TRUE, texts = edge_text(base::max, TRUE),
           across = across_by("row_max"), of_parts = function(parts, skip, expr) each_pair("pmax", parts, skip, expr)),
    numbers("var", what = "variance", fun = stats::var),
    numbers("sd", what = "variance", finish = sqrt, fun = stats::sd),
    in_order("median", "quantile", fun = stats::median, options = "na.rm", needs = "numbers", categories = TRUE,
             of_days = TRUE),
    in_order("quantile", "quantile", fun = stats::quantile, options = c("probs", "na.rm"), needs = "numbers",
             categories = TRUE, needs_known = TRUE),
    aggregate("any", "truth", options = "na.rm", needs = "true or false", across = across_by("||"),
              of_parts = any_of_parts),
    aggregate("all", "truth", options = "na.rm", needs = "true or false", across = across_by("&&"),
              of_parts = all_of_parts),
    in_order("length", "rows", of_parts = function(parts, skip, expr) {
      if (skip) give_up() else new_value(length(parts))
    }),
    in_order("count_known", "rows"), in_order("count_distinct", "rows"),
    in_order("first_value", "edge", what = "first"), in_order("last_value", "edge", what = "last")
  )
}

# A call of several columns, written for each row.
across_by <- function(name) {
  force(name)
  function(columns) {
    if (grepl("^[a-z]", name)) paste0(name, "(", paste(columns, collapse = ", "), ")")
    else paste(columns, collapse = paste0(" ", name, " "))
  }
}

# A node for `mean(x)`, `mean(x, na.rm = TRUE)`, `mean(x, within = hive)`; NULL for anything else.
bind_word.word_aggregate <- function(word, arguments, expr, scope) {
  of_row <- if (!is.null(scope$in_function)) bind_parts_of_row(word, arguments, expr, scope)
  if (!is.null(of_row)) return(of_row)
  given <- named_arguments(arguments, word)
  if (is.null(given$x)) return(NULL)
  options <- lapply(given[names(given) %in% c("na.rm", "probs")],
                    function(argument) bind_formula(argument, scope)$value)
  skip_missing <- if (is.null(options$na.rm)) FALSE else options$na.rm
  if (!rlang::is_bool(skip_missing) || length(options) != sum(names(given) %in% c("na.rm", "probs"))) return(NULL)
  if ("probs" %in% word$options && !is_share(options$probs)) return(NULL)
  if (!is.null(scope$in_function)) give_up()
  within <- if ("within" %in% names(given)) choose_groups(given[["within"]], scope)
  scope$whole <- TRUE
  new_aggregate(word, bind_formula(given$x, scope), expr, scope$env, skip_missing, options$probs, within)
}

is_share <- function(x) is.numeric(x) && length(x) == 1 && !is.na(x) && x >= 0 && x <= 1

# The arguments under their names; those without a name come in order. NULL if there are others than the word has.
# Only some take options in order: in `sum(x, TRUE)` R adds the TRUE up.
named_arguments <- function(arguments, word) {
  all <- c("x", word$options)
  names <- names_or_none(arguments)
  free <- setdiff(all, names)
  if (is.null(word$in_order)) free <- intersect(free, "x")
  unnamed <- !nzchar(names)
  if (sum(unnamed) > length(free)) return(NULL)
  names[unnamed] <- free[seq_len(sum(unnamed))]
  if (anyDuplicated(names) || !all(names %in% c(all, "within"))) return(NULL)
  stats::setNames(arguments, names)
}
