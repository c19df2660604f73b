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
