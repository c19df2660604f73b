# The table of aggregates: one value of a whole column, or of each group. As for words, R's own function of
# the name is meant. An entry has what the core calculates, and the type of the result for integers and
# logicals; doubles give doubles.

aggregate_word <- function(name, what, of_integers, package = "base", finish = identity) {
  list(name = name, what = what, of_integers = of_integers, finish = finish, fun = getExportedValue(package, name))
}

make_aggregates <- function() {
  entries <- list(
    aggregate_word("sum", "sum", "integer"),
    aggregate_word("mean", "mean", "double"),
    aggregate_word("min", "least", "integer"),
    aggregate_word("max", "greatest", "integer"),
    aggregate_word("var", "variance", "double", "stats"),
    aggregate_word("sd", "variance", "double", "stats", finish = sqrt)
  )
  stats::setNames(entries, vapply(entries, `[[`, "", "name"))
}

aggregates <- make_aggregates()

# A node for `mean(x)`, `mean(x, na.rm = TRUE)`, `mean(x, within = hive)`; NULL for anything else.
bind_aggregate <- function(name, fun, arguments, expr, scope) {
  entry <- aggregates[[name]]
  if (is.null(entry) || !identical(entry$fun, fun)) return(NULL)
  named <- if (is.null(names(arguments))) rep("", length(arguments)) else names(arguments)
  value <- arguments[named %in% c("", "x")]
  if (length(value) != 1 || !all(named %in% c("", "x", "na.rm", "within"))) return(NULL)
  skip_missing <- if ("na.rm" %in% named) bind_formula(arguments[["na.rm"]], scope)$value else FALSE
  if (!rlang::is_bool(skip_missing)) return(NULL)
  within <- if ("within" %in% named) choose_columns(arguments[["within"]], scope$columns, scope$env, scope$call)
  list(kind = "aggregate", entry = entry, argument = bind_formula(value[[1]], scope), skip_missing = skip_missing,
       within = within, shown = expr, env = scope$env)
}
