# Aggregates: calculated at once, as what follows may depend on them. The result is one value for all rows,
# or a column that has for each row the value of its group.

type_aggregate <- function(node, run) {
  argument <- type_node(node$argument, run)
  groups <- run_groups(run, node$within)
  if (!argument$type %in% c("logical", "integer", "double") || argument$kind == "constant") {
    return(aggregate_with_r(node, argument, groups, run))
  }
  if (argument$kind != "slot") argument <- new_pending(run, argument)
  key <- paste(argument$id, node$entry$name, node$skip_missing, groups$key)
  if (is.null(run$aggregates[[key]])) {
    calculate(run, argument$id)
    run$aggregates[[key]] <- calculate_aggregate(node, argument$id, argument$type, groups, run)
  }
  run$aggregates[[key]]
}

calculate_aggregate <- function(node, id, type, groups, run) {
  entry <- node$entry
  column <- run$values[[id]]
  values <- if (is.null(groups)) {
    whole_aggregate(entry$what, id, node$skip_missing, run)
  } else {
    aggregate_groups_cpp(entry$what, column, node$skip_missing, groups$of_row, length(groups$sizes))
  }
  values <- entry$finish(values)
  if (type != "double" && entry$of_integers == "integer") values <- whole_numbers(values, node, run)
  if (is.null(groups)) typed_constant(values) else new_slot(run, spread_groups_cpp(values, groups$of_row))
}

# The mean and the standard deviation are mostly wanted together: one pass gives both.
whole_aggregate <- function(what, id, skip_missing, run) {
  column <- run$values[[id]]
  threads <- getOption("rowanroot.threads", 0L)
  if (!what %in% c("mean", "variance")) return(aggregate_cpp(what, column, skip_missing, threads))
  key <- paste("moments", id)
  if (is.null(run$aggregates[[key]])) run$aggregates[[key]] <- moments_cpp(column, threads)
  moments <- run$aggregates[[key]]
  known <- moments[["known"]]
  if (known < run$rows && !skip_missing) return(aggregate_cpp(what, column, skip_missing, threads))
  if (what == "mean") return(moments[["sum"]] / known)
  if (known > 1) moments[["squares"]] / (known - 1) else NA_real_
}

# As in R: a sum that is too large is missing, with a warning; the least of nothing is Inf, a double.
whole_numbers <- function(values, node, run) {
  if (any(is.infinite(values))) return(values)
  too_large <- !is.na(values) & abs(values) > .Machine$integer.max
  if (any(too_large)) {
    warn_because(c("Whole numbers became too large in {.code {run$formula}}: {.code {label_of(node)}} is missing{if (length(values) > 1) paste(' for', sum(too_large), 'groups')}.",
                   "i" = "Sum doubles instead, as in {.code sum(as.numeric(x))}."), "overflow", run$call)
    values[too_large] <- NA
  }
  as.integer(values)
}

# Of text, dates and the like R makes the aggregate.
aggregate_with_r <- function(node, argument, groups, run) {
  fun <- if (node$skip_missing) function(x) node$entry$fun(x, na.rm = TRUE) else node$entry$fun
  call_r_function(fun, node$entry$name, list(argument), list(arguments = list(node$argument), shown = node$shown, env = node$env),
                  run, groups = groups)
}
