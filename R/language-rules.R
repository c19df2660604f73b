# Type rules of words: for the types of the arguments, the types that they are converted to, and the type of the result.
# A rule gives NULL where the word is none of its business: then R's function is called with whole columns.

rule_result <- function(operands, result, operation = NULL) {
  list(operands = operands, result = result, operation = operation)
}

# Integers stay integers, as in R; a logical counts as an integer.
rule_arithmetic <- function(types) {
  if (!all(is_numeric_type(types))) return(NULL)
  type <- if (any(types == "double")) "double" else "integer"
  rule_result(rep(type, length(types)), type)
}

rule_real <- function(types) {
  if (!all(is_numeric_type(types))) return(NULL)
  rule_result(rep("double", length(types)), "double")
}

rule_comparison <- function(types) {
  type <- common_type(types)
  if (is.na(type)) return(NULL)
  # A logical is stored as an integer is.
  rule_result(rep(if (type == "logical") "integer" else type, 2), "logical")
}

# Texts are compared for being equal here; which one is less is found by their codes (formula-order.R).
rule_order <- function(types) if (!any(types == "text")) rule_comparison(types)

# Only a logical can be TRUE: for anything else R gives FALSE.
rule_truth <- function(types) if (types %in% c("logical", "missing")) rule_result("logical", "logical")

rule_logic <- function(types) {
  if (!all(is_numeric_type(types))) return(NULL)
  rule_result(rep("logical", length(types)), "logical")
}

# Whole numbers are their own floor.
rule_rounding <- function(types) if (identical(types, "double")) rule_result("double", "double")

# So are they rounded, unless to tens and hundreds.
rule_digits <- function(types) {
  if (types[1] == "double" && is_numeric_type(types[2])) rule_result(c("double", "double"), "double")
}

rule_about_value <- function(types) {
  if (types == "logical" || types == "missing") types <- "integer"
  rule_result(types, "logical")
}

rule_not_a_number <- function(types) if (identical(types, "double")) rule_result("double", "logical")

rule_about_number <- function(types) if (all(is_numeric_type(types))) rule_about_value(types)

# A conversion that loses nothing but what R loses too. Doubles become integers in R's own way.
rule_as <- function(type) {
  force(type)
  function(types) {
    if (!all(is_numeric_type(types)) || types == "double" && type == "integer") return(NULL)
    rule_result(type, type)
  }
}

# What operations are of dates, times, durations and categories (check-types.R). A rule gets what the arguments are
# like, NULL for plain numbers, and their types in the core. It gives NULL where R has methods that do more; else a list
# with the `like` of the result, unless that is plain; `of`, what is calculated with; `logical`, whether the result is
# that; and `scale`, a number that both are multiplied by before the operation, and the result divided by after it.

classed_equality <- function(likes, types) {
  if (any(vapply(likes, is.null, NA)) || !same_class(likes[[1]], likes[[2]])) return(NULL)
  list(of = likes[[1]], logical = TRUE)
}

# Categories can be equal without having an order.
classed_comparison <- function(likes, types) {
  if (!is.factor(likes[[1]]) || is.ordered(likes[[1]])) classed_equality(likes, types)
}

classed_lesser <- function(likes, types) {
  if (any(vapply(likes, is.factor, NA)) || is.null(classed_equality(likes, types))) return(NULL)
  list(of = likes[[1]], like = likes[[1]])
}

# A date and a number of days, a time and a number of seconds, durations of one unit.
classed_sum <- function(likes, types) {
  if (any(vapply(likes, is.factor, NA)) || !all(is_numeric_type(types))) return(NULL)
  with_class <- which(!vapply(likes, is.null, NA))
  both <- length(with_class) == 2
  if (both && !(inherits(likes[[1]], "difftime") && same_class(likes[[1]], likes[[2]]))) return(NULL)
  list(of = likes[[with_class[1]]], like = likes[[with_class[1]]])
}

# R takes the days between two dates as seconds, over the seconds of a day.
classed_difference <- function(likes, types) {
  if (is.null(likes[[1]])) return(NULL)
  if (is.null(likes[[2]]) || inherits(likes[[1]], "difftime")) return(classed_sum(likes, types))
  if (!inherits(likes[[1]], "Date") || !inherits(likes[[2]], "Date")) return(NULL)
  list(of = likes[[1]], like = structure(numeric(), class = "difftime", units = "days"), scale = 86400)
}

classed_product <- function(likes, types) {
  is_duration <- vapply(likes, inherits, NA, "difftime")
  if (sum(is_duration) != 1 || !is.null(likes[[which(!is_duration)]]) || !all(is_numeric_type(types))) return(NULL)
  list(of = likes[[which(is_duration)]], like = likes[[which(is_duration)]])
}

classed_quotient <- function(likes, types) if (!is.null(likes[[1]])) classed_product(likes, types)

classed_test <- function(likes, types) list(of = likes[[1]], logical = TRUE)
