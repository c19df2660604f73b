# What a tree is to the core. Types are found once more while columns are calculated, since only R knows what its own
# functions give: a tree becomes the nodes that have a program (tree-node.R).
#
# The type "missing" is that of a bare NA, and of a column that was set to it: it fits every type.

constant_of <- function(value) typed_constant(value, if (is_missing_literal(value)) "missing" else value_type(value))

# What a value of the script or a result of R is to a formula over `rows` rows.
typed_value <- function(value, block) {
  type <- value_type(value)
  if (type != "other" && length(value) == 1) return(constant_of(value))
  if (is_column_like(value, block$rows)) return(new_slot(block, value))
  typed_object(value)
}

lower_node <- function(node, block) {
  switch(node$kind,
    column = block_column(block, node$name),
    rows = row_counts(block, node$name),
    value = typed_value(node$value, block),
    shared = lower_shared(node, block),
    deep = lower_deep(node, block),
    aggregate = lower_aggregate(node, block),
    ordered = lower_ordered(node, block),
    above = lower_above(node, block),
    running = lower_running(node, block),
    pick = lower_pick(node, block),
    word = lower_word(node, block),
    choose = lower_choose(node, block),
    r_call = call_r(node, block),
    r_code = typed_code(node),
    convert = convert(lower_node(node$argument, block), node$to),
    typed = node$typed
  )
}

# What is used in several places gets a slot of its own, for this block.
lower_shared <- function(node, block) {
  for (one in block$shared[[node$id]]) if (is.null(one$guard) || identical(one$guard, block$guard)) return(one$typed)
  was_guarded <- block$guarded
  block$guarded <- FALSE
  typed <- lower_node(node$part$node, block)
  if (has_above(typed)) {
    typed <- new_shared(typed)
  } else if (typed$kind %in% c("operation", "choose", "classed")) {
    counts <- counts_overflows(typed, block)
    typed <- typed_slot(column_slot(typed, block), typed$type)
    block$counting[typed$id] <- counts
  }
  block$shared[[node$id]] <- c(block$shared[[node$id]],
                               list(list(typed = typed, guard = if (block$guarded) block$guard)))
  block$guarded <- was_guarded || block$guarded
  typed
}

# Each part is looked at before those that it is in.
lower_deep <- function(node, block) {
  for (part in node$parts) lower_node(part, block)
  lower_node(node$node, block)
}

# R's functions are given whole columns, where a formula may use what they give in some rows only. Overflows in
# their arguments count for those rows alone: in the others the argument is missing. The guard is a condition that
# is true in those that a part of a formula is for, if it isn't for all.
guarded <- function(node, block) {
  if (is.null(block$guard) || !is.null(block$above) || !counts_overflows(node, block)) return(node)
  block$guarded <- TRUE
  if (node$kind == "classed") return(typed_classed(guarded(node$of, block), node$like))
  typed_choice(block$guard, node, convert(constant_of(NA), node$type), node$type)
}

lower_under <- function(node, condition, block) {
  outer <- block$guard
  on.exit(block$guard <- outer)
  block$guard <- if (is.null(outer) || is.null(condition)) condition else logic_node("and_then", outer, condition)
  lower_node(node, block)
}

lower_unguarded <- function(node, block) lower_under(node, NULL, block)

logic_node <- function(name, ...) typed_operation(name, list(...), "logical")

block_column <- function(block, name) {
  id <- block$columns[[match(name, names(block$columns))]]
  typed_slot(id, block$types[[id]])
}

# `.row` and `.rows`, of the group under `within`; `.row` counts in the block's order.
row_counts <- function(block, name) {
  groups <- block_groups(block)
  if (name == ".rows" && is.null(groups)) return(constant_of(block$rows))
  if (is.null(block$row_counts[[name]])) {
    order <- if (name == ".row") order_rows(block_order(block))
    block$row_counts[[name]] <- new_slot(block, if (name == ".rows") spread_groups_cpp(groups$sizes, groups$of_row,
                                                getOption("rowanroot.threads", 0L))
                                            else if (is.null(groups) && is.null(order)) seq_len(block$rows) +
                                              rows_before(block)
                                            else number_in_group_cpp(block$rows, order, groups$of_row,
                                                length(groups$sizes)))
  }
  block$row_counts[[name]]
}

lower_word <- function(node, block) {
  word <- node$word
  arguments <- if (is.null(word$settled_by)) lapply(node$arguments, lower_node, block = block) else lower_in_turn(node,
      block)
  types <- vapply(arguments, `[[`, "", "type")
  rule <- if (!any(types == "other")) word$type(types)
  if (is.null(rule)) {
    classed <- if (any(types == "other")) lower_classed(node, arguments, block)
    return(if (is.null(classed)) lower_by_r(node, arguments, types, block) else classed)
  }
  operands <- unname(arguments)
  for (k in which(types != rule$operands)) operands[[k]] <- convert(operands[[k]], rule$operands[k])
  if (!nzchar(word$memory)) return(operands[[1]])
  simplified(typed_operation(word$memory, operands, rule$result, block$line))
}

# What the core does not calculate, R's function does.
lower_by_r <- function(node, arguments, types, block) {
  word <- node$word
  # What was typed before (tree-type.R) was checked then.
  if (!is_typed(node)) check_arguments(node, types, likes_of(arguments, block), texts_of(arguments), block)
  are_texts <- any(types == "text") && all(types %in% c("text", "missing"))
  fun <- if (are_texts && !is.null(word$texts)) word$texts else word$r
  call <- new_call(fun, word$name, node$arguments, node$shown, NULL, word)
  call$outer <- word$fun
  call_r_function(call, lapply(arguments, guarded, block = block), block, groups = NULL)
}

# The second condition counts where the first one leaves it open.
lower_in_turn <- function(node, block) {
  first <- lower_node(node$arguments[[1]], block)
  if (!is_numeric_type(first$type)) return(list(first, lower_node(node$arguments[[2]], block)))
  decides <- convert(first, "logical")
  if (!node$word$settled_by) decides <- logic_node("not", decides)
  list(first, lower_under(node$arguments[[2]], logic_node("not", logic_node("is_true", decides)), block))
}

# x^2 is x * x in R too.
simplified <- function(node) {
  is_square <- node$name == "power" && node$operands[[2]]$kind == "constant" && identical(node$operands[[2]]$value, 2)
  if (is_square) {
    node$name <- "square"
    node$operands <- node$operands[1]
  }
  node
}

convert <- function(node, type) {
  if (node$type == type) return(node)
  if (node$type == "missing") return(typed_constant(as.vector(NA, vector_mode(type)), type))
  if (node$kind == "constant") return(typed_constant(as.vector(node$value, vector_mode(type)), type))
  name <- c(integer = "to_integer", logical = "to_logical", double = "to_real")[[type]]
  typed_operation(name, list(node), type)
}

vector_mode <- function(type) if (type == "text") "character" else type

lower_choose <- function(node, block) {
  condition <- lower_condition(node, block)
  if (isTRUE(node$some_rows)) condition <- logic_node("is_true", condition)
  yes <- lower_under(node$yes, condition, block)
  no <- lower_under(node$no, logic_node("not", condition), block)
  types <- c(yes$type, no$type)
  if (any(types == "other")) {
    chosen <- choose_classed(condition, yes, no, block)
    return(if (is.null(chosen)) choose_with_r(guarded(condition, block), yes, no, node, block) else chosen)
  }
  type <- common_type(types)
  if (is.na(type)) stop_branches_differ(yes, no, node, block)
  typed_choice(condition, convert(yes, type), convert(no, type), type)
}

lower_condition <- function(node, block, as_row_condition = FALSE) {
  condition <- lower_node(node$condition, block)
  check_condition(node, condition$type, as_row_condition, block)
  convert(condition, "logical")
}

# Columns without rows of the classes of these, and the texts that are the same in all rows.
likes_of <- function(nodes, block) {
  lapply(nodes, function(node) if (node$kind == "slot") like_of(block$values[[node$id]]))
}

texts_of <- function(nodes) lapply(nodes, function(node) if (node$kind == "constant" && node$type == "text") node$value)
