# Aggregates: calculated at once, as what follows may depend on them. The result is one value for all rows,
# or a column that has for each row the value of its group.

type_aggregate <- function(node, run) if (is.null(run$calibration)) aggregate_value(node,
    run) else calibrated_aggregate(node, run)

aggregate_value <- function(node, run) {
  if (gives_any_length(list(node$argument)) && has_parts(run, run_groups(run, node$within))) {
    call <- new_call(aggregate_function(node), node$word$name, list(node$argument), node$shown, node$env,
                     within = node$within)
    call$outer <- node$word$fun
    return(call_r(call, run))
  }
  groups <- run_groups(run, node$within)
  argument <- aggregate_argument(node, run)
  if (!is_for_core(node, argument, run)) return(aggregate_with_r(node, argument, groups, run))
  order <- if (node$word$memory == "edge") run_order(run)
  key <- paste(argument$id, node$word$name, node$skip_missing, node$share, groups$key, order$key)
  if (is.null(run$aggregates[[key]])) {
    calculate(run, argument$id)
    run$aggregates[[key]] <- calculate_aggregate(node, argument$id, argument$type, groups, run)
  }
  run$aggregates[[key]]
}

aggregate_argument <- function(node, run) {
  argument <- type_unguarded(node$argument, run)
  check_can_aggregate(node, argument$type, likes_of(list(argument), run)[[1]], run)
  if (is_for_core(node, argument, run) && argument$kind != "slot") new_pending(run, argument) else argument
}

# For each group its value alone, which has not to be given to all rows. `first` is the first row of each group.
aggregate_for_groups <- function(node, groups, first, run) {
  by_rows <- function() {
    values <- node_values(list(aggregate_value(node, run)), run)[[1]]
    if (length(values) == run$rows) take_rows(values, first) else rep(values, length(first))
  }
  if (gives_any_length(list(node$argument))) return(by_rows())
  argument <- aggregate_argument(node, run)
  if (!is_for_core(node, argument, run)) return(by_rows())
  calculate(run, argument$id)
  aggregate_of_each(node, argument$id, argument$type, groups, run)
}

is_category <- function(node, run) node$kind == "slot" && is.factor(run$values[[node$id]])

# The rest is R's: texts in the order of a language, complex numbers, what can't be added up.
is_for_core <- function(node, argument, run) {
  word <- node$word
  if (argument$kind == "constant") return(FALSE)
  if (word$memory == "truth") return(argument$type %in% c("logical", "integer"))
  if (argument$type %in% c("logical", "integer", "double")) return(TRUE)
  if (word$memory == "edge" && argument$kind == "slot") return(TRUE)
  if (word$memory == "rows") {
    return(argument$type == "text" || argument$kind == "slot" && is_stored_as_values(run$values[[argument$id]]))
  }
  argument$kind == "slot" && isTRUE(word$of_days) && is_day_or_time(run$values[[argument$id]])
}

# What has a class, and of which equal values are stored alike.
is_stored_as_values <- function(x) is.atomic(x) && class(x)[1] %in%
  c("Date", "POSIXct", "difftime", "factor", "ordered", "integer64")

calculate_aggregate <- function(node, id, type, groups, run) {
  values <- aggregate_of_each(node, id, type, groups, run)
  if (is.null(groups)) return(typed_value(values, run))
  if (node$word$memory == "edge") return(new_slot(run, values_in_rows(values, groups$of_row + 1L)))
  like <- attributes(values)
  slot <- spread_groups_cpp(values, groups$of_row)
  attributes(slot) <- like
  new_slot(run, slot)
}

# One value, or one for each group.
aggregate_of_each <- function(node, id, type, groups, run) {
  switch(node$word$memory,
    moments = aggregate_moments(node, id, type, groups, run),
    quantile = aggregate_quantile(node, id, type, groups, run),
    truth = aggregate_truth(node, id, groups, run),
    rows = aggregate_rows(node, id, type, groups, run),
    edge = edge_value(node, id, groups, run)
  )
}

# The column without its class, and the class for what is made of it.
bare_column <- function(id, run) {
  column <- run$values[[id]]
  if (!is.null(attributes(column))) attributes(column) <- NULL
  column
}

with_class_of <- function(values, column) {
  attributes(values) <- attributes(column)[c("class", "tzone", "units")]
  values
}

aggregate_moments <- function(node, id, type, groups, run) {
  word <- node$word
  values <- if (is.null(groups)) whole_aggregate(word$what, id, node$skip_missing, run)
            else if (word$what %in% c("sum", "mean")) mean_or_sum(word$what, id, node$skip_missing, groups, run)
            else of_each_group(word$what, bare_column(id, run), node$skip_missing, groups)
  if (word$what %in% c("least", "greatest")) warn_no_values(values, node, id, groups, run)
  if (!is.null(word$finish)) values <- word$finish(values)
  if (type == "other") return(with_class_of(values, run$values[[id]]))
  if (type != "double" && word$of_whole == "integer") whole_numbers(values, node, run) else values
}

# R's own warning: the least of nothing is infinite.
warn_no_values <- function(values, node, id, groups, run) {
  if (!any(is.infinite(values))) return(invisible())
  known <- if (is.null(groups)) sum(!is.na(run$values[[id]])) else of_each_group("known", bare_column(id, run), TRUE,
      groups)
  empty <- sum(known == 0)
  if (!empty) return(invisible())
  warn_because(c(paste0("{.code {label_of(node)}} has no ",
                        "values{if (!is.null(groups)) paste(' in', counted(empty, 'group'))}: it is ",
                        "{values[known == 0][1]} there."),
                 "i" = "It is used in {.code {run$formula}}."), "no_values", run$call)
}

of_each_group <- function(what, column, skip_missing, groups) {
  aggregate_groups_cpp(what, column, skip_missing, groups$of_row, length(groups$sizes),
                       getOption("rowanroot.threads", 0L))
}

# Sums and means come from one pass.
mean_or_sum <- function(what, id, skip_missing, groups, run) {
  key <- paste("sums", id, groups$key)
  if (is.null(run$aggregates[[key]])) {
    run$aggregates[[key]] <- group_sums_cpp(bare_column(id, run), groups$of_row, length(groups$sizes),
                                            getOption("rowanroot.threads", 0L))
  }
  sums <- run$aggregates[[key]]
  values <- sums[[what]]
  open <- if (!skip_missing) which(sums$known < groups$sizes)
  values[open] <- sums$unknown[open]
  values
}

# The mean and the standard deviation are mostly wanted together: one pass gives both.
whole_aggregate <- function(what, id, skip_missing, run) {
  column <- bare_column(id, run)
  threads <- getOption("rowanroot.threads", 0L)
  if (!what %in% c("mean", "variance")) return(aggregate_cpp(what, column, skip_missing, threads))
  key <- paste("moments", id)
  if (is.null(run$aggregates[[key]])) run$aggregates[[key]] <- moments_cpp(column, threads)
  moments <- run$aggregates[[key]]
  known <- moments[["known"]]
  if (known < run$rows && !skip_missing) return(aggregate_cpp(what, column, skip_missing, threads))
  if (what == "mean") return(moments[["mean"]])
  if (known > 1) moments[["squares"]] / (known - 1) else NA_real_
}

# A sum that is too large is missing, with a warning, as `+` has it: R's is a double, and the column's type would
# depend on its values. The least of nothing is Inf, a double.
whole_numbers <- function(values, node, run) {
  if (any(is.infinite(values))) return(values)
  too_large <- !is.na(values) & abs(values) > .Machine$integer.max
  if (any(too_large)) {
    warn_because(c(paste0("Whole numbers became too large in {.code {run$formula}}: {.code {label_of(node)}} is ",
                          "missing{if (length(values) > 1) paste(' for', sum(too_large), 'groups')}."),
                   "i" = "Sum doubles instead, as in {.code sum(as.numeric(x))}."), "overflow", run$call)
    values[too_large] <- NA
  }
  as.integer(values)
}

# A column as one group, or its groups.
groups_or_one <- function(groups, run) if (is.null(groups)) list(of_row = integer(run$rows),
                                                                 sizes = run$rows) else groups

# A median of whole numbers is whole where each group has a middle one, as R has it.
aggregate_quantile <- function(node, id, type, groups, run) {
  column <- bare_column(id, run)
  if (isTRUE(node$word$needs_known) && !node$skip_missing && anyNA(column)) {
    stop_because(c("{.code {label_of(node)}} needs values that are known.",
                   "x" = paste0("In {.code {run$formula}} {counted_rows(sum(is.na(column)))} have none, row ",
                                "{which(is.na(column))[1]} first."),
                   "i" = "To leave them out write {.code na.rm = TRUE}."), "formula_failed", run$call)
  }
  one <- groups_or_one(groups, run)
  share <- if (is.null(node$share)) NA_real_ else as.numeric(node$share)
  values <- quantiles_cpp(column, share, node$skip_missing, one$of_row, length(one$sizes))
  if (type == "other") return(with_class_of(values, run$values[[id]]))
  whole <- type != "double" && is.null(node$share) &&
    !any(group_counts(column, one, node$skip_missing, values) %% 2 == 0)
  if (whole) as.vector(values, type) else values
}

# How many values each median is of; those that are missing count as odd.
group_counts <- function(column, groups, skip_missing, values) {
  counts <- if (skip_missing) of_each_group("known", column, TRUE, groups) else groups$sizes
  ifelse(is.na(values), 1, counts)
}

# In three-valued logic `any()` is the greatest of all values and `all()` the least, where what is missing lies
# between FALSE and TRUE.
aggregate_truth <- function(node, id, groups, run) {
  column <- as.logical(run$values[[id]])
  one <- groups_or_one(groups, run)
  count <- function(what) of_each_group(what, column, TRUE, one)
  known <- count("known")
  true <- count("sum")
  unknown <- if (node$skip_missing) FALSE else known < one$sizes
  if (node$word$what == "any") ifelse(true > 0, TRUE, ifelse(unknown, NA, FALSE))
  else ifelse(true < known, FALSE, ifelse(unknown, NA, TRUE))
}

aggregate_rows <- function(node, id, type, groups, run) {
  one <- groups_or_one(groups, run)
  column <- run$values[[id]]
  switch(node$word$what,
    length = as.integer(one$sizes),
    count_known = as.integer(of_each_group("sum", !is.na(column), FALSE, one)),
    count_distinct = count_distinct_cpp(group_values(column, run), one$of_row, length(one$sizes))
  )
}

# The first or last row's value, of any type, in the block's order.
edge_value <- function(node, id, groups, run) {
  column <- run$values[[id]]
  order <- order_rows(run_order(run))
  last <- node$word$what == "last"
  if (is.null(groups)) {
    row <- if (last) max(run$rows, 1) else 1
    return(column[if (is.null(order) || run$rows == 0) row else order[row] + 1L])
  }
  of_row <- if (is.null(order)) groups$of_row else groups$of_row[order + 1L]
  rows <- group_edges_cpp(of_row, length(groups$sizes), last)
  if (!is.null(order)) rows <- order[rows] + 1L
  column[rows]
}

# Of text, dates and the like R makes the aggregate.
aggregate_with_r <- function(node, argument, groups, run) {
  if (argument$type == "text" && !is.null(node$word$texts)) node$word$r <- node$word$texts
  call <- new_call(aggregate_function(node), node$word$name, list(node$argument), node$shown, node$env)
  call$outer <- node$word$fun
  call_r_function(call, list(argument), run, groups)
}

# R's function, with the options that the formula gives.
aggregate_function <- function(node) {
  fun <- node$word$r
  given <- c(if (node$skip_missing) list(na.rm = TRUE),
             if (!is.null(node$share)) list(probs = node$share, names = FALSE))
  if (length(given)) function(x) do.call(fun, c(list(x), given)) else fun
}
