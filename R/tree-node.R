# A formula is a tree of nodes. All of them are made here; tree-walk.R has the ways through a tree. A node has a `kind`,
# its parts, and `shown`: the code that it was written as, for messages. It is a plain list: if it had a class, R would
# look for a method at each `$`, which takes twenty times as long.

new_node <- function(kind, ..., shown = NULL) list(kind = kind, ..., shown = shown)

# A column, as it is at that point of the block.
new_column <- function(name) new_node("column", name = name)

# `.row` or `.rows`.
new_row_number <- function(name) new_node("rows", name = name)

# A literal, or anything that the script has.
new_value <- function(value, shown = value) new_node("value", value = value, shown = shown)

# A word of the language that goes row by row.
new_word <- function(word, arguments, shown) new_node("word", word = word, arguments = arguments, shown = shown)

# An `if`. With `some_rows`, the condition picks the rows of a column that are set; `of` is the word that chooses among
# columns.
new_choice <- function(condition, yes, no, shown, some_rows = FALSE, of = NULL) {
  new_node("choose", condition = condition, yes = yes, no = no, some_rows = some_rows, of = of, shown = shown)
}

# A condition of rows, by itself.
new_condition <- function(condition, shown) new_node("condition", condition = condition, shown = shown)

# One value of a whole column, or of each group.
new_aggregate <- function(word, argument, shown, env, skip_missing = FALSE, share = NULL, within = NULL) {
  new_node("aggregate", word = word, argument = argument, skip_missing = skip_missing, share = share, within = within,
           env = env, shown = shown)
}

# What depends on the order of rows, or on their groups.
new_ordered <- function(word, argument, options, shown, env, within = NULL, along = NULL) {
  new_node("ordered", word = word, argument = argument, options = options, within = within, along = along, env = env,
           shown = shown)
}

# A recurrence of a column or more. In its `formulas` `above` stands for their own values in the row above; `starts` are
# what these are in a group's first row.
new_recurrence <- function(formulas, starts, shown, env, within = NULL, along = NULL) {
  new_node("running", formulas = formulas, starts = starts, within = within, along = along, env = env, shown = shown)
}

# `of` is the number of the column.
new_above <- function(of, shown = quote(.above)) new_node("above", of = of, shown = shown)

# One column of a recurrence of several.
new_pick <- function(argument, number) {
  new_node("pick", argument = argument, number = number, shown = argument$shown)
}

# A call of a function of R. `word` is its record, if the language has one; `picks` says that it picks rows.
new_call <- function(fun, name, arguments, shown, env, word = NULL, within = NULL, picks = FALSE, looked_up = NULL) {
  new_node("r_call", fun = fun, name = name, arguments = arguments, word = word, within = within, picks = picks,
           looked_up = looked_up, env = env, shown = shown)
}

# Code that takes columns by name: a function or a model formula.
new_code <- function(expr, columns, env) new_node("r_code", expr = expr, columns = columns, env = env, shown = expr)

# Several columns from one formula.
new_several <- function(parts) new_node("several", parts = parts)

# What is used in several places, so that it is calculated, and looked at, once. It stands in an environment, as R walks
# through all of a list that is put in another.
new_shared <- function(node) {
  if (node$kind %in% c("column", "value", "rows", "shared")) return(node)
  state$shared_nodes <- c(state$shared_nodes, 0)[1] + 1
  new_node("shared", id = as.character(state$shared_nodes), part = list2env(list(node = node)), type = node$type,
           like = node$like, shown = node$shown)
}

# A formula of very many levels, cut into shared parts (tree-deep.R).
new_deep <- function(parts, node, shown) new_node("deep", parts = parts, node = node, shown = shown)

# A number that becomes another type of number.
new_conversion <- function(argument, type) {
  new_node("convert", argument = argument, to = type, shown = shown_code(argument))
}

shown_code <- function(node) if (node$kind %in% c("column", "rows")) as.name(node$name) else node$shown

# Typed nodes: what an engine calculates. Each has a `type`.

# A column of the block, by its number.
typed_slot <- function(id, type) new_node("slot", id = id, type = type)

typed_constant <- function(value, type) new_node("constant", value = value, type = type)

# An operation of the core; `line` is the line of the block that it belongs to.
typed_operation <- function(name, operands, type, line = NULL) {
  new_node("operation", name = name, operands = operands, type = type, line = line)
}

typed_choice <- function(condition, yes, no, type) {
  new_node("choose", condition = condition, yes = yes, no = no, type = type)
}

typed_above <- function(of, type) new_node("above", of = of, type = type)

# What the core calculates of the numbers, or the codes, of columns with the class of `like`, a column without rows.
typed_classed <- function(node, like) new_node("classed", of = node, like = like, type = "other")

# Several columns.
typed_columns <- function(slots) new_node("columns", slots = slots, type = "other")

# Anything else that R gave, good only as an argument of R's functions.
typed_object <- function(value) new_node("object", value = value, type = "other")

typed_code <- function(node) new_node("code", node = node, type = "other")

# The result of a node, in its place.
new_found <- function(typed, shown) new_node("typed", typed = typed, shown = shown)

# Lists of nodes, such as the arguments of a call, may have a node of that name, but no text.
is_node <- function(x) is.list(x) && is.character(x[["kind"]])

is_one_value <- function(node) node$kind == "value" && is.atomic(node$value) && length(node$value) == 1
