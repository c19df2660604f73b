# Types are found while a block is run, since only R knows what its own functions give: a tree becomes typed nodes
# (tree-node.R).
#
# The type "missing" is that of a bare NA, and of a column that was set to it: it fits every type.

constant_of <- function(value) typed_constant(value, if (is_missing_literal(value)) "missing" else value_type(value))

# What a value of the script or a result of R is to a formula over `rows` rows.
typed_value <- function(value, run) {
  type <- value_type(value)
  if (type != "other" && length(value) == 1) return(constant_of(value))
  if (is_column_like(value, run$rows)) return(new_slot(run, value))
  typed_object(value)
}

type_node <- function(node, run) {
  switch(node$kind,
    column = run_column(run, node$name),
    rows = row_counts(run, node$name),
    value = typed_value(node$value, run),
    shared = type_shared(node, run),
    deep = type_deep(node, run),
    aggregate = type_aggregate(node, run),
    ordered = type_ordered(node, run),
    above = typed_above(run$above),
    running = type_running(node, run),
    word = type_word(node, run),
    choose = type_choose(node, run),
    r_call = call_r(node, run),
    r_code = typed_code(node),
    convert = convert(type_node(node$argument, run), node$to),
    typed = node$typed
  )
}

# What is used in several places gets a slot of its own, for this run.
type_shared <- function(node, run) {
  for (one in run$shared[[node$id]]) if (is.null(one$guard) || identical(one$guard, run$guard)) return(one$typed)
  was_guarded <- run$guarded
  run$guarded <- FALSE
  typed <- type_node(node$part$node, run)
  if (has_above(typed)) {
    typed <- new_shared(typed)
  } else if (typed$kind %in% c("operation", "choose")) {
    counts <- counts_overflows(typed, run)
    typed <- new_pending(run, typed)
    run$counting[typed$id] <- counts
  }
  run$shared[[node$id]] <- c(run$shared[[node$id]], list(list(typed = typed, guard = if (run$guarded) run$guard)))
  run$guarded <- was_guarded || run$guarded
  typed
}

# Each part is looked at before those that it is in.
type_deep <- function(node, run) {
  for (part in node$parts) type_node(part, run)
  type_node(node$node, run)
}

# R's functions are given whole columns, where a formula may use what they give in some rows only. Overflows in
# their arguments count for those rows alone: in the others the argument is missing. The guard is a condition that
# is true in those that a part of a formula is for, if it isn't for all.
guarded <- function(node, run) {
  if (is.null(run$guard) || !is.null(run$above) || !counts_overflows(node, run)) return(node)
  run$guarded <- TRUE
  typed_choice(run$guard, node, convert(constant_of(NA), node$type), node$type)
}

type_under <- function(node, condition, run) {
  outer <- run$guard
  on.exit(run$guard <- outer)
  run$guard <- if (is.null(outer) || is.null(condition)) condition else logic_node("and_then", outer, condition)
  type_node(node, run)
}

type_unguarded <- function(node, run) type_under(node, NULL, run)

logic_node <- function(name, ...) typed_operation(name, list(...), "logical")

run_column <- function(run, name) {
  id <- run$columns[[match(name, names(run$columns))]]
  typed_slot(id, run$types[[id]])
}

# `.row` and `.rows`, of the group under `within`; `.row` counts in the block's order.
row_counts <- function(run, name) {
  groups <- run_groups(run)
  if (name == ".rows" && is.null(groups)) return(constant_of(run$rows))
  if (is.null(run$row_counts[[name]])) {
    order <- if (name == ".row") order_rows(run_order(run))
    run$row_counts[[name]] <- new_slot(run, if (name == ".rows") spread_groups_cpp(groups$sizes, groups$of_row)
                                            else if (is.null(groups) && is.null(order)) seq_len(run$rows) +
                                              rows_before(run)
                                            else number_in_group_cpp(run$rows, order, groups$of_row,
                                                length(groups$sizes)))
  }
  run$row_counts[[name]]
}

type_word <- function(node, run) {
  word <- node$word
  arguments <- if (is.null(word$settled_by)) lapply(node$arguments, type_node, run = run) else type_in_turn(node, run)
  types <- vapply(arguments, `[[`, "", "type")
  rule <- if (!any(types == "other")) word$type(types)
  if (is.null(rule)) return(type_by_r(node, arguments, types, run))
  operands <- unname(arguments)
  for (k in which(types != rule$operands)) operands[[k]] <- convert(operands[[k]], rule$operands[k])
  if (!nzchar(word$memory)) return(operands[[1]])
  simplified(typed_operation(word$memory, operands, rule$result, run$line))
}

# What the core does not calculate, R's function does.
type_by_r <- function(node, arguments, types, run) {
  word <- node$word
  # What was typed before (tree-type.R) was checked then.
  if (!is_typed(node)) check_arguments(node, types, likes_of(arguments, run), texts_of(arguments), run)
  are_texts <- any(types == "text") && all(types %in% c("text", "missing"))
  fun <- if (are_texts && !is.null(word$texts)) word$texts else word$r
  call <- new_call(fun, word$name, node$arguments, node$shown, NULL, word)
  call$outer <- word$fun
  call_r_function(call, lapply(arguments, guarded, run = run), run, groups = NULL)
}

# The second condition counts where the first one leaves it open.
type_in_turn <- function(node, run) {
  first <- type_node(node$arguments[[1]], run)
  if (!is_numeric_type(first$type)) return(list(first, type_node(node$arguments[[2]], run)))
  decides <- convert(first, "logical")
  if (!node$word$settled_by) decides <- logic_node("not", decides)
  list(first, type_under(node$arguments[[2]], logic_node("not", logic_node("is_true", decides)), run))
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

type_choose <- function(node, run) {
  condition <- type_condition(node, run)
  if (isTRUE(node$some_rows)) condition <- logic_node("is_true", condition)
  yes <- type_under(node$yes, condition, run)
  no <- type_under(node$no, logic_node("not", condition), run)
  types <- c(yes$type, no$type)
  if (any(types == "other")) return(choose_with_r(guarded(condition, run), yes, no, node, run))
  type <- common_type(types)
  if (is.na(type)) stop_branches_differ(yes, no, node, run)
  typed_choice(condition, convert(yes, type), convert(no, type), type)
}

type_condition <- function(node, run, as_row_condition = FALSE) {
  condition <- type_node(node$condition, run)
  check_condition(node, condition$type, as_row_condition, run)
  convert(condition, "logical")
}

# Columns without rows of the classes of these, and the texts that are the same in all rows.
likes_of <- function(nodes, run) lapply(nodes, function(node) if (node$kind == "slot") like_of(run$values[[node$id]]))

texts_of <- function(nodes) lapply(nodes, function(node) if (node$kind == "constant" && node$type == "text") node$value)
