# The table of aggregates: one value of a whole column, or of each group. As for words, R's own function of
# the name is meant. An entry has the way in which it is calculated (engine-aggregate.R), what the core is
# asked for, and for sums and the like the type of the result for integers and logicals; doubles give doubles.

aggregate_word <- function(name, fun, way, what = name, of_integers = "double", finish = identity, arguments = "na.rm") {
  list(name = name, fun = fun, way = way, what = what, of_integers = of_integers, finish = finish, arguments = c("x", arguments))
}

make_aggregates <- function() {
  entries <- list(
    aggregate_word("sum", base::sum, "moments", of_integers = "integer"),
    aggregate_word("mean", base::mean, "moments"),
    aggregate_word("min", base::min, "moments", "least", of_integers = "integer"),
    aggregate_word("max", base::max, "moments", "greatest", of_integers = "integer"),
    aggregate_word("var", stats::var, "moments", "variance"),
    aggregate_word("sd", stats::sd, "moments", "variance", finish = sqrt),
    aggregate_word("median", stats::median, "quantile"),
    aggregate_word("quantile", stats::quantile, "quantile", arguments = c("probs", "na.rm")),
    aggregate_word("any", base::any, "truth"),
    aggregate_word("all", base::all, "truth"),
    aggregate_word("length", base::length, "rows", arguments = NULL),
    aggregate_word("count_known", count_known, "rows", arguments = NULL),
    aggregate_word("count_distinct", count_distinct, "rows", arguments = NULL),
    aggregate_word("first_value", first_value, "edge", arguments = NULL),
    aggregate_word("last_value", last_value, "edge", arguments = NULL)
  )
  stats::setNames(entries, vapply(entries, `[[`, "", "name"))
}

# Made when all of the package's own functions are there.
delayedAssign("aggregates", make_aggregates())

# A node for `mean(x)`, `mean(x, na.rm = TRUE)`, `mean(x, within = hive)`; NULL for anything else.
bind_aggregate <- function(name, fun, arguments, expr, scope) {
  entry <- aggregates[[name]]
  if (is.null(entry) || !identical(entry$fun, fun)) return(NULL)
  given <- named_arguments(arguments, entry)
  if (is.null(given$x)) return(NULL)
  options <- lapply(given[names(given) %in% c("na.rm", "probs")], function(argument) bind_formula(argument, scope)$value)
  skip_missing <- if (is.null(options$na.rm)) FALSE else options$na.rm
  if (!rlang::is_bool(skip_missing) || length(options) != sum(names(given) %in% c("na.rm", "probs"))) return(NULL)
  if (name == "quantile" && !is_share(options$probs)) return(NULL)
  within <- if ("within" %in% names(given)) choose_columns(given[["within"]], scope$columns, scope$env, scope$call)
  scope$whole <- TRUE
  list(kind = "aggregate", entry = entry, argument = bind_formula(given$x, scope), skip_missing = skip_missing,
       share = options$probs, within = within, shown = expr, env = scope$env)
}

is_share <- function(x) is.numeric(x) && length(x) == 1 && !is.na(x) && x >= 0 && x <= 1

# The arguments under their names; those without a name come in order. NULL if there are others than the entry has.
# Only `mean(x)` and the like take options in order: in `sum(x, TRUE)` R adds the TRUE up.
named_arguments <- function(arguments, entry) {
  names <- if (is.null(names(arguments))) rep("", length(arguments)) else names(arguments)
  free <- setdiff(entry$arguments, names)
  if (entry$way %in% c("moments", "truth")) free <- free[seq_len(min(length(free), "x" %in% free))]
  unnamed <- !nzchar(names)
  if (sum(unnamed) > length(free)) return(NULL)
  names[unnamed] <- free[seq_len(sum(unnamed))]
  if (anyDuplicated(names) || !all(names %in% c(entry$arguments, "within"))) return(NULL)
  stats::setNames(arguments, names)
}
