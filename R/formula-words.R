# The table of words: what the engine does itself, on all rows at once. A word is R's own function of
# that name; if a script has defined another function under the name, the script's is meant.
#
# An entry has the R function, the operation of the core, and a rule that gives, for the types of the
# arguments, the types that they are converted to and the type of the result. A rule gives NULL where
# the word is none of its business: then R's function is called with whole columns. A word without an
# operation is done when its argument has been converted.

#
# `names` are those that its arguments may be given by, `defaults` what the last of them are if left out.
word <- function(name, operation, rule, arguments, names = NULL, defaults = NULL) {
  list(name = name, operation = operation, rule = rule, arguments = arguments, names = names, defaults = defaults,
       fun = get(name, envir = baseenv(), mode = "function"))
}

rule_result <- function(operands, result, operation = NULL) list(operands = operands, result = result, operation = operation)

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

# Only a logical can be TRUE: of anything else R says FALSE.
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

make_words <- function() {
  entries <- list(
    word("+", "add", rule_arithmetic, 2),
    word("-", "subtract", rule_arithmetic, 2),
    word("*", "multiply", rule_arithmetic, 2),
    word("/", "divide", rule_real, 2),
    word("^", "power", rule_real, 2),
    word("%%", "modulus", rule_arithmetic, 2),
    word("%/%", "whole_divide", rule_arithmetic, 2),
    word("==", "equal", rule_comparison, 2),
    word("!=", "not_equal", rule_comparison, 2),
    word("<", "less", rule_order, 2),
    word("<=", "at_most", rule_order, 2),
    word(">", "greater", rule_order, 2),
    word(">=", "at_least", rule_order, 2),
    word("&", "and", rule_logic, 2),
    word("&&", "and_then", rule_logic, 2),
    word("|", "or", rule_logic, 2),
    word("||", "or_else", rule_logic, 2),
    word("!", "not", rule_logic, 1),
    word("xor", "exclusive_or", rule_logic, 2),
    word("isTRUE", "is_true", rule_truth, 1),
    word("isFALSE", "is_false", rule_truth, 1),
    word("abs", "absolute", rule_arithmetic, 1),
    word("sqrt", "square_root", rule_real, 1),
    word("exp", "exponential", rule_real, 1),
    word("log", "logarithm", rule_real, 1),
    word("log2", "logarithm_2", rule_real, 1),
    word("log10", "logarithm_10", rule_real, 1),
    word("log1p", "logarithm_1_plus", rule_real, 1),
    word("expm1", "exponential_minus_1", rule_real, 1),
    word("sin", "sine", rule_real, 1),
    word("cos", "cosine", rule_real, 1),
    word("tan", "tangent", rule_real, 1),
    word("asin", "arc_sine", rule_real, 1),
    word("acos", "arc_cosine", rule_real, 1),
    word("atan", "arc_tangent", rule_real, 1),
    word("sinh", "hyperbolic_sine", rule_real, 1),
    word("cosh", "hyperbolic_cosine", rule_real, 1),
    word("tanh", "hyperbolic_tangent", rule_real, 1),
    word("atan2", "angle", rule_real, 2),
    word("floor", "floor", rule_rounding, 1),
    word("ceiling", "ceiling", rule_rounding, 1),
    word("trunc", "truncate", rule_rounding, 1),
    word("round", "round", rule_digits, 2, c("x", "digits"), list(0)),
    word("signif", "round_significant", rule_digits, 2, c("x", "digits"), list(6)),
    word("pmin", "lesser_of", rule_arithmetic, 2),
    word("pmax", "greater_of", rule_arithmetic, 2),
    word("as.numeric", "", rule_as("double"), 1),
    word("as.double", "", rule_as("double"), 1),
    word("as.integer", "", rule_as("integer"), 1),
    word("as.logical", "", rule_as("logical"), 1),
    word("is.infinite", "is_infinite", rule_not_a_number, 1),
    word("is.na", "is_missing", rule_about_value, 1),
    word("is.nan", "is_not_a_number", rule_not_a_number, 1),
    word("is.finite", "is_finite", rule_about_number, 1)
  )
  stats::setNames(entries, vapply(entries, `[[`, "", "name"))
}

words <- make_words()

# The same names with another number of arguments.
logarithm_to_base <- word("log", "logarithm_to_base", rule_real, 2, c("x", "base"))
# Of whole numbers a double: in keys it is a word of its own.
real_difference <- list(name = "-", key = "real_difference", operation = "subtract", rule = rule_real, arguments = 2, fun = base::`-`)
negation <- list(name = "-", operation = "negate", rule = rule_arithmetic, arguments = 1, fun = base::`-`)

# The word that this function is, called with so many arguments, or NULL.
find_word <- function(name, fun, arguments) {
  entry <- words[[name]]
  if (is.null(entry) || !identical(entry$fun, fun)) return(NULL)
  if (name == "-" && length(arguments) == 1) return(negation)
  if (name == "log" && length(arguments) == 2) return(logarithm_to_base)
  if (length(arguments) <= entry$arguments && length(arguments) >= entry$arguments - length(entry$defaults)) entry
}

# The arguments in the word's order, with its defaults. NULL if they have names that are R's business.
word_arguments <- function(entry, arguments) {
  if (!is.null(names(arguments))) {
    free <- setdiff(entry$names, names(arguments))
    unnamed <- !nzchar(names(arguments))
    if (sum(unnamed) > length(free)) return(NULL)
    names(arguments)[unnamed] <- free[seq_len(sum(unnamed))]
    if (!setequal(names(arguments), entry$names[seq_along(arguments)])) return(NULL)
    arguments <- unname(arguments[entry$names[seq_along(arguments)]])
  }
  left_out <- entry$arguments - length(arguments)
  c(arguments, utils::tail(entry$defaults, left_out))
}

# Over the column, or across columns? Of several columns these could mean either; `by_row` writes down the second.
ambiguous_words <- list(
  max = function(columns) paste0("row_max(", paste(columns, collapse = ", "), ")"),
  min = function(columns) paste0("row_min(", paste(columns, collapse = ", "), ")"),
  sum = function(columns) paste0("row_total(", paste(columns, collapse = ", "), ")"),
  any = function(columns) paste(columns, collapse = " || "),
  all = function(columns) paste(columns, collapse = " && ")
)

# Functions of R that give for each value what they give for it alone: a function of one row that uses them
# can be taken into a formula.
value_by_value <- c(
  "round", "signif", "log10", "log2", "log1p", "expm1", "log", "sin", "cos", "tan", "asin", "acos", "atan", "atan2", "sinh", "cosh",
  "tanh", "pmin", "pmax", "%in%", "nchar", "toupper", "tolower", "trimws", "substr", "substring", "paste", "paste0", "sprintf",
  "startsWith", "endsWith", "grepl", "sub", "gsub", "as.numeric", "as.double", "as.integer", "as.character", "as.logical",
  "as.Date", "is.infinite", "is.nan", "is.finite", "is.na", "gamma", "lgamma", "beta", "choose", "factorial",
  "bitwAnd", "bitwOr", "months", "weekdays", "+", "-", "*", "/", "^", "%%", "%/%", "==", "!=", "<", "<=", ">", ">=",
  "&", "|", "&&", "||", "!", "xor", "abs", "sqrt", "exp", "floor", "ceiling", "trunc"
)

# The package's own.
delayedAssign("own_value_by_value", list(
  date_part = date_part, split_text = split_text, join_text = join_text, title_case = title_case, text_between = text_between,
  text_match = text_match, as_number = as_number, as_date = as_date, as_time = as_time, as_category = as_category, bands = bands, look_up = look_up_in_block,
  has_form = has_form, is_identical = is_identical, start_of = start_of, time_between = time_between, convert_unit = convert_unit
))

# `arguments` are those of the call: `paste(x, collapse = "+")` joins the values of all rows, and `x %in% y` looks at all of a column `y`.
is_value_by_value <- function(name, fun, arguments = NULL) {
  if (name %in% value_by_value) {
    is_own <- identical(fun, get0(name, baseenv(), mode = "function"))
    return(is_own && !joins_rows(name, arguments))
  }
  !is.null(own_value_by_value[[name]]) && identical(fun, own_value_by_value[[name]])
}

# A word of the engine, or a function of R that goes value by value.
is_word_or_by_value <- function(name, fun, arguments) {
  !is.null(fun) && (is_value_by_value(name, fun) || !is.null(find_word(name, fun, arguments)))
}

joins_rows <- function(name, arguments) {
  if (name %in% c("paste", "paste0")) return("collapse" %in% names(arguments) && !is_null_value(arguments$collapse))
  name == "%in%" && length(arguments) == 2 && length(node_columns(arguments[[2]])) > 0
}

is_null_value <- function(node) node$kind == "value" && is.null(node$value)
