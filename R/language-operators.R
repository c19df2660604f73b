# Arithmetic, comparisons, conditions and functions of numbers, as base R has them. What they mean is R's; the core
# calculates them on all rows at once.

# A word of R with an operation of the core.
operator <- function(name, memory, type, arguments, ...) {
  language_word(name, "row", ..., memory = memory, type = type, arguments = arguments)
}

words_of_arithmetic <- function() {
  arithmetic <- function(...) operator(..., category = FALSE)
  list(
    arithmetic("+", "add", rule_arithmetic, 2, classed = classed_sum),
    arithmetic("-", "subtract", rule_arithmetic, 2, classed = classed_difference),
    arithmetic("-", "negate", rule_arithmetic, 1),
    arithmetic("*", "multiply", rule_arithmetic, 2, classed = classed_product),
    arithmetic("/", "divide", rule_real, 2, classed = classed_quotient),
    arithmetic("^", "power", rule_real, 2),
    arithmetic("%%", "modulus", rule_arithmetic, 2),
    arithmetic("%/%", "whole_divide", rule_arithmetic, 2),
    arithmetic("abs", "absolute", rule_arithmetic, 1),
    arithmetic("sqrt", "square_root", rule_real, 1),
    arithmetic("round", "round", rule_digits, 2, names = c("x", "digits"), defaults = list(0)),
    operator("signif", "round_significant", rule_digits, 2, names = c("x", "digits"), defaults = list(6))
  )
}

words_of_comparison <- function() {
  order <- function(name, memory) {
    force(name)
    operator(name, memory, rule_order, 2, text = "compared", classed = classed_comparison,
             texts = function(a, b) compared_texts(a, b, get(name, baseenv())))
  }
  list(
    operator("==", "equal", rule_comparison, 2, text = "compared", levels = TRUE, classed = classed_equality),
    operator("!=", "not_equal", rule_comparison, 2, text = "compared", levels = TRUE, classed = classed_equality),
    order("<", "less"), order("<=", "at_most"), order(">", "greater"), order(">=", "at_least"),
    lesser_or_greater("pmin", "lesser_of", `<=`, skip_missing = FALSE),
    lesser_or_greater("pmax", "greater_of", `>=`, skip_missing = FALSE)
  )
}

# The lesser or the greater of two. With `skip_missing`, a missing value gives way to one that is known.
lesser_or_greater <- function(name, memory, compare, skip_missing, ...) {
  operator(name, memory, rule_arithmetic, 2, ..., text = "compared", classed = classed_lesser,
           bind = if (!skip_missing) bind_several_compared,
           texts = function(a, b) text_of_two(a, b, compare, skip_missing))
}

# The least of three is the lesser of the third and the lesser of the others.
bind_several_compared <- function(word, arguments, expr, scope) {
  if (identical(arguments$na.rm, TRUE)) {
    columns <- lapply(unname(arguments[names(arguments) != "na.rm"]), bind_formula, scope = scope)
    return(if (length(columns) > 1) join_columns(substr(word$name, 2, 4), columns, "skip", expr))
  }
  if (length(arguments) < 3 || !is.null(names(arguments))) return(NULL)
  others <- as.call(c(expr[[1]], utils::head(arguments, -1)))
  bound_word(word, list(others, arguments[[length(arguments)]]), expr, scope)
}

words_of_conditions <- function() list(
  operator("&", "and", rule_logic, 2),
  operator("&&", "and_then", rule_logic, 2, settled_by = FALSE),
  operator("|", "or", rule_logic, 2),
  operator("||", "or_else", rule_logic, 2, settled_by = TRUE),
  operator("!", "not", rule_logic, 1),
  operator("xor", "exclusive_or", rule_logic, 2),
  operator("isTRUE", "is_true", rule_truth, 1, text = "taken", looks_at_one = TRUE),
  operator("isFALSE", "is_false", rule_truth, 1, text = "taken", looks_at_one = TRUE),
  operator("is.infinite", "is_infinite", rule_not_a_number, 1, text = "taken"),
  operator("is.na", "is_missing", rule_about_value, 1, text = "taken", classed = classed_test),
  operator("is.nan", "is_not_a_number", rule_not_a_number, 1, text = "taken"),
  operator("is.finite", "is_finite", rule_about_number, 1, text = "taken"),
  language_word("ifelse", "column", bind = function(word, arguments, expr, scope) {
    if (length(arguments) == 3 && is.null(names(arguments))) bind_if(as.call(c(quote(`if`), arguments)), scope)
  })
)

words_of_numbers <- function() {
  of_one <- function(name, memory) operator(name, memory, rule_real, 1)
  to_whole <- function(name, memory) operator(name, memory, rule_rounding, 1)
  conversion <- function(name, type) operator(name, "", rule_as(type), 1, text = "taken")
  by_value <- function(name) language_word(name, "row", expensive = TRUE)
  c(
    Map(of_one, c("exp", "log", "log2", "log10", "log1p", "expm1", "sin", "cos", "tan", "asin", "acos", "atan",
                  "sinh", "cosh", "tanh"),
        c("exponential", "logarithm", "logarithm_2", "logarithm_10", "logarithm_1_plus", "exponential_minus_1",
          "sine", "cosine",
          "tangent", "arc_sine", "arc_cosine", "arc_tangent", "hyperbolic_sine", "hyperbolic_cosine",
            "hyperbolic_tangent")),
    list(operator("log", "logarithm_to_base", rule_real, 2, names = c("x", "base")),
         operator("atan2", "angle", rule_real, 2)),
    Map(to_whole, c("floor", "ceiling", "trunc"), c("floor", "ceiling", "truncate")),
    Map(conversion, c("as.numeric", "as.double", "as.integer", "as.logical"),
        c("double", "double", "integer", "logical")),
    lapply(c("gamma", "lgamma", "beta", "choose", "factorial"), by_value),
    lapply(c("bitwAnd", "bitwOr"), language_word, kind = "row")
  )
}

# A node of a word of R.
word_node <- function(name, ..., shown) {
  arguments <- list(...)
  new_word(the_word(name, length(arguments)), arguments, shown)
}
