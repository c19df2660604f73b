# Recurrences. The parts of the formulas that do not need the row above are columns, calculated for all rows at once;
# the rest is a program that is run for one row after the other.

lower_running <- function(node, block) {
  if (!is.null(block$above)) {
    stop_because(c("A {.code running()} can't contain another.", "found" = "It does.", "in" = "{block$formula}",
                   "try" = "Put the inner one on a line of its own."), "bad_formula", block$call)
  }
  groups <- block_groups(block, node$within)
  order <- order_rows(block_order(block, node$along))
  starts <- lapply(node$starts, start_values, block = block, groups = groups, order = order)
  on.exit(block$above <- NULL)
  links <- lower_links(node, starts, block)
  links <- lapply(links, function(link) utils::modifyList(link, list(node = settle(link$node, block))))
  if (length(links) == 1 && !has_above(links[[1]]$node)) return(as_classed(links[[1]]$node, links[[1]]$like))
  begin <- Map(begin_of_groups, starts, links, MoreArgs = list(block = block))
  of_groups <- lapply(begin, `[[`, "of_groups")
  if (!is.null(block$chunks)) of_groups <- starts_in_chunk(block$chunks, node, begin, groups)
  result <- run_recurrence_cpp(lapply(links, `[[`, "node"), lapply(begin, `[[`, "value"), of_groups, block$values,
                               block$rows, order, groups$of_row, length(groups$sizes))
  if (!is.null(block$chunks)) keep_last_results(block$chunks, node, result$values, of_groups, groups)
  if (result$overflow_rows > 0) {
    warn_because(c("Integer overflow in {.code {block$formula}}: row {result$overflow_first} first.",
                   "try" = "Start with a double: {.code start = 0} instead of {.code start = 0L}."), "overflow",
                     block$call)
  }
  slots <- Map(function(values, link) {
    new_slot(block, if (is.null(link$like)) values else with_class_of(values, link$like))
  }, result$values, links)
  if (length(slots) == 1) slots[[1]] else typed_columns(slots)
}

as_classed <- function(node, like) if (is.null(like)) node else typed_classed(node, like)

lower_pick <- function(node, block) lower_node(node$argument, block)$slots[[node$number]]

# What a recurrence begins with: one value, or a column, of which each group's first row counts.
start_values <- function(node, block, groups, order) {
  if (node$kind == "value") {
    type <- if (is_missing_literal(node$value)) "missing" else value_type(node$value)
    return(list(value = node$value, type = type, like = if (type == "other") like_of(node$value)))
  }
  id <- column_slot(lower_unguarded(node, block), block)
  calculate(block, id)
  column <- block$values[[id]]
  rows <- if (is.null(order)) seq_len(block$rows) else order + 1L
  first <- if (is.null(groups)) rows[1] else rows[group_edges_cpp(groups$of_row[rows], length(groups$sizes), FALSE)]
  list(value = NA, of_groups = take_rows(column, first), type = value_type(column), like = like_of(column))
}

# For each column its node in the core, its type there, and what it is like.
lower_links <- function(node, starts, block) {
  shared <- block$shared
  typed <- list()
  settled <- settled_links(lapply(starts, `[`, c("type", "like")), node, block, function(k, above) {
    if (k == 1) block$shared <- shared
    block$above <- above
    typed[[k]] <<- lower_unguarded(node$formulas[[k]], block)
    list(type = typed[[k]]$type, like = if (typed[[k]]$type == "other") class_of_node(typed[[k]], block))
  })
  Map(function(one, node) {
    storage <- storage_of_link(one)
    seen <- if (one$type == "other" && node$type != "missing") core_view(node, block)$node else node
    list(node = convert(seen, storage), storage = storage, like = one$like)
  }, settled, typed)
}

storage_of_link <- function(one) {
  if (one$type == "missing") "logical" else if (one$type == "other") core_type(one$like) else one$type
}

lower_above <- function(node, block) {
  above <- block$above[[node$of]]
  if (above$type == "other") typed_classed(typed_above(node$of, storage_of_link(above)), above$like)
  else typed_above(node$of, above$type)
}

# The start in the core's type: one `value`, and those `of_groups` if they differ.
begin_of_groups <- function(start, link, block) {
  in_core <- function(x) {
    if (is.factor(link$like) && !is.factor(x)) x <- match(x, levels(link$like))
    as.vector(unclass(x), vector_mode(link$storage))
  }
  list(value = in_core(start$value), of_groups = if (!is.null(start$of_groups)) in_core(start$of_groups))
}

has_above <- function(node) any_node(node, function(node) node$kind == "above")

# The tree with everything that does not need the row above as a column that is there.
settle <- function(node, block) {
  is_there <- function(node) node$kind == "constant" || !has_above(node)
  map_node(node, function(node) {
    if (node$kind == "constant" || has_above(node)) return(node)
    id <- column_slot(node, block)
    calculate(block, id)
    typed_slot(id, node$type)
  }, stop_at = is_there)
}

# A function of R is called with whole columns: it can't have the row above.
check_no_above <- function(arguments, node, block) {
  if (!any(vapply(arguments, has_above, NA))) return(invisible())
  stop_because(c("{.code .above} can only be used in calculations that run row by row.",
                 "found" = if (is.null(node)) "{.code {block$formula}} uses it in a function that needs whole columns."
                       else "{.code {label_of(node)}} in {.code {block$formula}} needs whole columns.",
                 "try" = paste0("Use arithmetic, comparisons, {.code if}, {.code pmin()}, {.code round()}, or ",
                                "functions of one row made of these.")),
               "bad_formula", block$call)
}
