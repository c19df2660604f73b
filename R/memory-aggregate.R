# Aggregates: calculated at once, as what follows may depend on them. The result is one value for all rows,
# or a column that has for each row the value of its group.

lower_aggregate <- function(node, block) {
  if (is.null(block$calibration)) aggregate_value(node, block) else calibrated_aggregate(node, block)
}

aggregate_value <- function(node, block) {
  if (gives_any_length(list(node$argument)) && has_parts(block, block_groups(block, node$within))) {
    call <- new_call(aggregate_function(node), node$word$name, list(node$argument), node$shown, node$env,
                     within = node$within)
    call$outer <- node$word$fun
    return(call_r(call, block))
  }
  argument <- aggregate_argument(node, block)
  if (!is_for_core(node, argument, block)) {
    return(aggregate_with_r(node, argument, block_groups(block, node$within), block))
  }
  groups <- if (is_moment(node$word)) block_numbered_groups(block, node$within) else block_groups(block, node$within)
  order <- if (node$word$memory == "edge") block_order(block)
  key <- paste(argument$id, node$word$name, node$skip_missing, node$share, groups$key, order$key)
  if (is.null(block$aggregates[[key]])) {
    calculate(block, argument$id)
    block$aggregates[[key]] <- calculate_aggregate(node, argument$id, argument$type, groups, block)
  }
  block$aggregates[[key]]
}

aggregate_argument <- function(node, block) {
  argument <- lower_unguarded(node$argument, block)
  if (argument$kind == "classed") {
    argument <- typed_slot(column_slot(argument, block), "other")
    calculate(block, argument$id)
  }
  check_can_aggregate(node, argument$type, likes_of(list(argument), block)[[1]], block)
  if (is_for_core(node, argument, block) && argument$kind != "slot") new_pending(block, argument) else argument
}

# For each group its value alone, which has not to be given to all rows.
aggregate_for_groups <- function(node, sides) {
  block <- sides$rows
  by_rows <- function() {
    values <- node_values(list(aggregate_value(node, block)), block)[[1]]
    if (length(values) == block$rows) take_rows(values, sides$first) else rep(values, length(sides$first))
  }
  if (gives_any_length(list(node$argument))) return(by_rows())
  argument <- aggregate_argument(node, block)
  if (!is_for_core(node, argument, block)) return(by_rows())
  calculate(block, argument$id)
  value_of <- function(groups) aggregate_of_each(node, argument$id, argument$type, groups, block)
  if (is.null(sides$numbered) || !is_moment(node$word)) return(value_of(groups_of_rows(sides)))
  take_rows(value_of(sides$numbered), sides$place)
}

# What is said of each group by itself, so that it does no harm if some have no rows.
is_moment <- function(word) word$memory == "moments" && word$what %in% c("sum", "mean", "variance")

is_category <- function(node, block) node$kind == "slot" && is.factor(block$values[[node$id]])

# The rest is R's: texts in the order of a language, complex numbers, what can't be added up.
is_for_core <- function(node, argument, block) {
  word <- node$word
  if (is.null(word$memory) || argument$kind == "constant") return(FALSE)
  if (word$memory == "truth") return(argument$type %in% c("logical", "integer"))
  if (argument$type %in% c("logical", "integer", "double")) return(TRUE)
  if (word$memory == "edge" && argument$kind == "slot") return(TRUE)
  if (word$memory == "rows") {
    return(argument$type == "text" || argument$kind == "slot" && is_stored_as_values(block$values[[argument$id]]))
  }
  argument$kind == "slot" && isTRUE(word$of_days) && is_day_or_time(block$values[[argument$id]])
}

# What has a class, and of which equal values are stored alike.
is_stored_as_values <- function(x) {
  is.atomic(x) && class(x)[1] %in% c("Date", "POSIXct", "difftime", "factor", "ordered", "integer64")
}

calculate_aggregate <- function(node, id, type, groups, block) {
  values <- aggregate_of_each(node, id, type, groups, block)
  if (is.null(groups)) return(typed_value(values, block))
  if (node$word$memory == "edge") return(new_slot(block, values_in_rows(values, groups$of_row + 1L)))
  like <- attributes(values)
  slot <- spread_groups_cpp(values, groups$of_row, getOption("rowanroot.threads", 0L))
  attributes(slot) <- like
  new_slot(block, slot)
}

# One value, or one for each group.
aggregate_of_each <- function(node, id, type, groups, block) {
  switch(node$word$memory,
    moments = aggregate_moments(node, id, type, groups, block),
    quantile = aggregate_quantile(node, id, type, groups, block),
    truth = aggregate_truth(node, id, groups, block),
    rows = aggregate_rows(node, id, type, groups, block),
    edge = edge_value(node, id, groups, block)
  )
}

# The column without its class, and the class for what is made of it.
bare_column <- function(id, block) {
  column <- block$values[[id]]
  if (!is.null(attributes(column))) attributes(column) <- NULL
  column
}

aggregate_moments <- function(node, id, type, groups, block) {
  word <- node$word
  values <- if (is.null(groups)) whole_aggregate(word$what, id, node$skip_missing, block)
            else if (word$what %in% c("sum", "mean")) mean_or_sum(word$what, id, node$skip_missing, groups, block)
            else of_each_group(word$what, bare_column(id, block), node$skip_missing, groups)
  if (word$what %in% c("least", "greatest")) warn_no_values(values, node, id, groups, block)
  if (!is.null(word$finish)) values <- word$finish(values)
  if (type == "other") return(with_class_of(values, block$values[[id]]))
  if (type != "double" && word$of_whole == "integer") whole_numbers(values, node, block) else values
}

# R's own warning: the least of nothing is infinite.
warn_no_values <- function(values, node, id, groups, block) {
  if (!any(is.infinite(values))) return(invisible())
  known <- if (is.null(groups)) sum(!is.na(block$values[[id]])) else of_each_group("known", bare_column(id, block),
      TRUE,
      groups)
  empty <- sum(known == 0)
  if (!empty) return(invisible())
  warn_because(c(paste0("{.code {label_of(node)}} has no ",
                        "values{if (!is.null(groups)) paste(' in', counted(empty, 'group'))}: it is ",
                        "{values[known == 0][1]} there."),
                 "in" = "{block$formula}"), "no_values", block$call)
}

of_each_group <- function(what, column, skip_missing, groups) {
  aggregate_groups_cpp(what, column, skip_missing, groups$of_row, group_count(groups),
                       getOption("rowanroot.threads", 0L))
}

# Sums and means come from one pass.
mean_or_sum <- function(what, id, skip_missing, groups, block) {
  key <- paste("sums", id, skip_missing, groups$key)
  if (is.null(block$aggregates[[key]])) {
    block$aggregates[[key]] <- group_sums_cpp(bare_column(id, block), skip_missing, groups$of_row, group_count(groups),
                                              getOption("rowanroot.threads", 0L))
  }
  sums <- block$aggregates[[key]]
  if (skip_missing) sums[[what]] else complete_sums_cpp(sums[[what]], sums$unknown)
}

# The mean and the standard deviation are mostly wanted together: one pass gives both.
whole_aggregate <- function(what, id, skip_missing, block) {
  column <- bare_column(id, block)
  threads <- getOption("rowanroot.threads", 0L)
  if (!what %in% c("mean", "variance")) return(aggregate_cpp(what, column, skip_missing, threads))
  key <- paste("moments", id)
  if (is.null(block$aggregates[[key]])) block$aggregates[[key]] <- mean_and_variance_cpp(column, threads)
  moments <- block$aggregates[[key]]
  known <- moments[["known"]]
  if (known < block$rows && !skip_missing) return(aggregate_cpp(what, column, skip_missing, threads))
  if (what == "mean") return(moments[["mean"]])
  if (known > 1) moments[["squares"]] / (known - 1) else NA_real_
}

# A sum that is too large is missing, with a warning, as `+` has it: R's is a double, and the column's type would
# depend on its values. The least of nothing is Inf, a double.
whole_numbers <- function(values, node, block) {
  if (any(is.infinite(values))) return(values)
  too_large <- !is.na(values) & abs(values) > .Machine$integer.max
  if (any(too_large)) {
    warn_because(c(paste0("Integer overflow in {.code {block$formula}}: {.code {label_of(node)}} is ",
                          "missing{if (length(values) > 1) paste(' for', sum(too_large), 'groups')}."),
                   "try" = "Add up doubles: {.code sum(as.numeric(x))}."), "overflow", block$call)
    values[too_large] <- NA
  }
  as.integer(values)
}

# A column as one group, or its groups.
groups_or_one <- function(groups, block) {
  if (is.null(groups)) list(of_row = integer(block$rows), sizes = block$rows) else groups
}

# A median of whole numbers is whole where each group has a middle one, as R has it.
aggregate_quantile <- function(node, id, type, groups, block) {
  column <- bare_column(id, block)
  if (isTRUE(node$word$needs_known) && !node$skip_missing && anyNA(column)) {
    stop_because(c("{.code {label_of(node)}} can't have missing values.",
                   "found" = paste0("In {.code {block$formula}} it has ",
                                    "{counted(sum(is.na(column)), 'missing value')}, ",
                                    "row {which(is.na(column))[1]} first."),
                   "try" = "To leave them out write {.code na.rm = TRUE}."), "formula_failed", block$call)
  }
  one <- groups_or_one(groups, block)
  share <- if (is.null(node$share)) NA_real_ else as.numeric(node$share)
  values <- quantiles_cpp(column, share, node$skip_missing, one$of_row, length(one$sizes))
  if (type == "other") return(with_class_of(values, block$values[[id]]))
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
aggregate_truth <- function(node, id, groups, block) {
  column <- as.logical(block$values[[id]])
  one <- groups_or_one(groups, block)
  count <- function(what) of_each_group(what, column, TRUE, one)
  known <- count("known")
  true <- count("sum")
  unknown <- if (node$skip_missing) FALSE else known < one$sizes
  if (node$word$what == "any") ifelse(true > 0, TRUE, ifelse(unknown, NA, FALSE))
  else ifelse(true < known, FALSE, ifelse(unknown, NA, TRUE))
}

aggregate_rows <- function(node, id, type, groups, block) {
  one <- groups_or_one(groups, block)
  column <- block$values[[id]]
  switch(node$word$what,
    length = as.integer(one$sizes),
    count_known = as.integer(of_each_group("sum", !is.na(column), FALSE, one)),
    count_distinct = count_distinct_cpp(group_values(column, block$call), one$of_row, length(one$sizes))
  )
}

# The first or last row's value, of any type, in the block's order.
edge_value <- function(node, id, groups, block) {
  column <- block$values[[id]]
  order <- order_rows(block_order(block))
  last <- node$word$what == "last"
  if (is.null(groups)) {
    row <- if (last) max(block$rows, 1) else 1
    return(column[if (is.null(order) || block$rows == 0) row else order[row] + 1L])
  }
  of_row <- if (is.null(order)) groups$of_row else groups$of_row[order + 1L]
  rows <- group_edges_cpp(of_row, length(groups$sizes), last)
  if (!is.null(order)) rows <- order[rows] + 1L
  column[rows]
}

# Of text, dates and the like R makes the aggregate.
aggregate_with_r <- function(node, argument, groups, block) {
  if (argument$type == "text" && !is.null(node$word$texts)) node$word$r <- node$word$texts
  call <- new_call(aggregate_function(node), node$word$name, list(node$argument), node$shown, node$env)
  call$outer <- node$word$fun
  call_r_function(call, list(argument), block, groups)
}

# R's function, with the options that the formula gives.
aggregate_function <- function(node) {
  fun <- node$word$r
  given <- c(if (node$skip_missing) list(na.rm = TRUE),
             if (!is.null(node$share)) list(probs = node$share, names = FALSE))
  if (length(given)) function(x) do.call(fun, c(list(x), given)) else fun
}
