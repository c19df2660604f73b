# Which parts of a tree have one value for each group.

# Whether a tree has one value for each group: NA if only its values can show it.
values_of_group <- function(node, of_group) {
  fold_node(node, function(node, children) {
    of_all <- all(unlist(children))
    switch(node$kind,
      value = TRUE,
      column = node$name %in% of_group,
      rows = node$name == ".rows",
      aggregate = is.null(node$within) || all(node$within %in% of_group),
      word = , choose = , several = , convert = of_all,
      r_call = if (goes_by_value(node$word, node$arguments) && isTRUE(of_all)) TRUE else NA,
      r_code = NA,
      FALSE
    )
  })
}

# The parts of a tree that are given whole columns.
whole_parts <- function(node) {
  find_nodes(node, function(node) {
    node$kind == "aggregate" || node$kind == "r_call" && !goes_by_value(node$word, node$arguments)
  })
}

# Whether a tree has only aggregates of the groups, and columns that these have.
is_for_groups <- function(node, columns) {
  fold_node(node, function(node, children) {
    of_all <- all(unlist(children))
    switch(node$kind,
      value = is_one_value(node),
      column = node$name %in% columns,
      rows = node$name == ".rows",
      aggregate = is.null(node$within),
      word = , choose = , several = , convert = of_all,
      r_call = is.null(node$within) && goes_by_value(node$word, node$arguments) && of_all,
      FALSE
    )
  })
}

columns_in_aggregates <- function(node) {
  unique(unlist(lapply(find_nodes(node, function(node) node$kind == "aggregate"),
                       function(one) node_columns(one$argument))))
}

# The tree with the values of its aggregates in their place: for each group one.
with_aggregates <- function(node, value_of, sizes) {
  map_node(node, function(node) {
    switch(node$kind, aggregate = new_found(value_of(node), node$shown), rows = new_value(sizes, node$shown), node)
  }, stop_at = function(node) node$kind == "aggregate")
}

# Whether a tree has words that depend on the block's groups or order.
goes_by_groups <- function(node) {
  any_node(node, function(node) {
    switch(node$kind, aggregate = , ordered = , running = is.null(node$within) || is.null(node$along),
           r_call = is.null(node$within) && !goes_by_value(node$word, node$arguments), rows = , r_code = TRUE, FALSE)
  })
}

stop_not_one_value <- function(formula, call) {
  stop_because(c("{.code {formula}} has a value for each row, not one for each group.",
                 "try" = "Summarise it, for example with {.code mean()}, {.code max()} or {.code first_value()}.",
                 "try" = "A column that is only used on the way is a scratch column: begin its name with a dot."),
               "not_one_value", call)
}
