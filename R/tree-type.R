# Types of trees, found without calculating and without an engine: from the columns' types to a tree whose nodes have a
# `type`, in which numbers are converted by nodes of their own. What must have another type is an error here.
#
# A type is "logical", "integer", "double", "text"; "missing", that of a bare NA and of a column that was set to it,
# which fits every type; "number" where only the values say whether it is a whole number or a double; "other" for
# what has a class, which `like`, a column without rows, has too; and "unknown" where a function must be called to
# see what it gives.

# What is known of a table's columns: their `types` by name, and `likes` of those that have a class. `rows` may be
# unknown.
new_schema <- function(types, likes, rows = NA_integer_) {
  structure(list(types = types, likes = likes, rows = rows), class = "schema")
}

schema_of <- function(data) {
  columns <- as.list(data)
  types <- vapply(columns, value_type, "")
  new_schema(types, lapply(columns[types == "other"], like_of), nrow(data))
}

# A column without rows that has the class of another.
like_of <- function(column) if (is.object(column) && is.null(dim(column))) column[0]

set_in_schema <- function(schema, name, type, like) {
  schema$types[[name]] <- type
  schema$likes[[name]] <- like
  schema
}

is_typed <- function(node) !is.null(node$type) && node$type != "unknown"

# The tree with its types. `about` has the `formula` and the `call` for messages; `above` has the type, and what it is
# like, of each column of a recurrence, in the row above.
type_tree <- function(node, schema, about, above = NULL) {
  map_node(node, function(node) type_one(node, schema, about, above), stop_at = function(node) node$kind == "running")
}

type_one <- function(node, schema, about, above) {
  switch(node$kind,
    column = with_type(node, column_type(schema, node$name), schema$likes[[node$name]]),
    rows = with_type(node, "integer"),
    value = type_value(node, schema$rows),
    above = with_type(node, above[[node$of]]$type, above[[node$of]]$like),
    word = type_word(node, about),
    choose = type_choice(node, about),
    condition = type_rows(node, about),
    aggregate = type_aggregate(node, about),
    ordered = type_ordered(node, about),
    running = type_running(node, schema, about),
    pick = type_pick(node),
    r_call = type_call(node),
    with_type(node, "unknown")
  )
}

with_type <- function(node, type, like = NULL) {
  node$type <- type
  node$like <- like
  node
}

column_type <- function(schema, name) if (name %in% names(schema$types)) schema$types[[name]] else "unknown"

# A vector of the script is a column if it is as long.
type_value <- function(node, rows) {
  value <- node$value
  type <- value_type(value)
  if (is_missing_literal(value)) return(with_type(node, "missing"))
  if (type != "other" && length(value) == 1) return(with_type(node, type))
  if (is_vector_like(value) && length(value) == 1) return(with_type(node, "other", like_of(value)))
  is_column <- !is.na(rows) && is_column_like(value, rows)
  if (is_column && type != "other") with_type(node, type) else with_type(node, "unknown")
}

types_of <- function(nodes) vapply(unname(nodes), function(node) if (is.null(node$type)) "unknown" else node$type, "")

# A number that is to be of another type.
converted <- function(node, type) {
  if (node$type == type || node$type %in% c("missing", "number", "unknown")) return(node)
  with_type(new_conversion(node, type), type)
}

type_word <- function(node, about) {
  types <- types_of(node$arguments)
  if (any(types == "unknown")) return(with_type(node, "unknown"))
  rule <- if (!any(types == "other")) rule_of_types(node$word, types)
  if (is.null(rule)) {
    check_arguments(node, types, lapply(node$arguments, `[[`, "like"), lapply(node$arguments, text_of), about)
    return(type_by_example(node, node$word$r, node$arguments))
  }
  node$arguments <- Map(function(argument, type) if (is.na(type)) argument else converted(argument, type),
                        node$arguments, rule$operands)
  with_type(node, rule$result)
}

text_of <- function(node) if (node$kind == "value" && is.character(node$value) && length(node$value) == 1) node$value

check_arguments <- function(node, types, likes, texts, about) {
  check_types_fit(node, types, about)
  if (!any(types == "other")) return(invisible())
  check_no_category(node, likes, about)
  check_levels(node, likes, texts, about)
}

# The word's rule. Where values will say whether a number is whole, what both have in common.
rule_of_types <- function(word, types) {
  if (!any(types == "number")) return(word$type(types))
  whole <- word$type(ifelse(types == "number", "integer", types))
  real <- word$type(ifelse(types == "number", "double", types))
  if (is.null(whole) || is.null(real)) return(list(operands = rep(NA, length(types)), result = "unknown"))
  list(operands = ifelse(whole$operands == real$operands, whole$operands, NA),
       result = if (whole$result == real$result) whole$result
                else if (all(c(whole$result, real$result) %in% c("integer", "double"))) "number"
                else "unknown")
}

# What R's function gives for columns without rows.
type_by_example <- function(node, fun, arguments) {
  values <- lapply(arguments, example_of)
  if (any(vapply(values, is.null, NA))) return(with_type(node, "unknown"))
  found <- tryCatch(suppressWarnings(do.call(fun, values, quote = TRUE)), error = function(e) NULL)
  if (is.null(found) || length(found) || !is_vector_like(found)) return(with_type(node, "unknown"))
  type <- value_type(found)
  with_type(node, type, if (type == "other") like_of(found))
}

example_of <- function(node) {
  if (node$kind == "value") return(node$value)
  switch(node$type, logical = logical(), integer = integer(), double = double(), text = character(),
         missing = logical(), other = node$like)
}

# Words that go value by value are asked what they give; other functions are not called before it is their turn.
type_call <- function(node) {
  if (!goes_by_value(node$word, node$arguments) || !is_of_r(node$word)) return(with_type(node, "unknown"))
  type_by_example(node, node$fun, node$arguments)
}

type_choice <- function(node, about) {
  if (node$condition$type != "unknown") {
    check_condition(node, node$condition$type, FALSE, about)
    node$condition <- converted(node$condition, "logical")
  }
  types <- types_of(node[c("yes", "no")])
  if (any(types == "unknown")) return(with_type(node, "unknown"))
  if (any(types == "other")) return(type_choice_of_classes(node, types, about))
  type <- common_type(types)
  if (is.na(type)) stop_branches_differ(node$yes, node$no, node, about)
  if (type != "number") node[c("yes", "no")] <- lapply(node[c("yes", "no")], converted, type = type)
  with_type(node, if (all(types == "missing")) "logical" else type)
}

type_choice_of_classes <- function(node, types, about) {
  likes <- lapply(node[c("yes", "no")], example_of)
  if (any(vapply(likes, is.null, NA))) return(with_type(node, "unknown"))
  check_one_sort(likes, types, node, about)
  with_type(node, "other", likes[[if (types[1] %in% c("missing", "text")) 2 else 1]])
}

type_rows <- function(node, about) {
  if (node$condition$type == "unknown") return(with_type(node, "unknown"))
  check_condition(node, node$condition$type, TRUE, about)
  with_type(node, "logical")
}

type_aggregate <- function(node, about) {
  type <- node$argument$type
  if (type %in% c("unknown", "missing")) return(with_type(node, "unknown"))
  check_can_aggregate(node, type, node$argument$like, about)
  if (is.null(node$word$memory)) return(with_type(node, "unknown"))
  like <- node$argument$like
  switch(node$word$memory,
    rows = with_type(node, "integer"),
    truth = with_type(node, "logical"),
    edge = with_type(node, type, like),
    if (type == "other") with_type(node, if (is.null(like) || !is_day_or_time(like)) "unknown" else "other", like)
    else if (type == "text") with_type(node, "text")
    else if (type == "double" || node$word$what %in% c("mean", "variance") || !is.null(node$share)) {
      with_type(node, "double")
    } else with_type(node, "number")
  )
}

type_ordered <- function(node, about) {
  type <- node$argument$type
  if (type == "unknown" || is.null(node$word$memory)) return(with_type(node, "unknown"))
  what <- list(name = node$word$name, label = label_of(node$argument), formula = about$formula, call = about$call)
  like <- if (type == "other") node$argument$like else example_of(node$argument)
  if (node$word$memory %in% c("running", "moving") && node$word$what != "count" && !is.null(like)) {
    check_numbers(like, what, classes_it_takes(node$word$memory, node$word$what))
  }
  switch(node$word$memory,
    neighbour = , known = with_type(node, if (type == "missing") "logical" else type, node$argument$like),
    ranking = with_type(node, "number"),
    parts = with_type(node, "integer"),
    if (type != "other") with_type(node, "number")
    else if (node$word$what == "count") with_type(node, "integer")
    else if (is_long_integer(node$argument$like) && !node$word$what %in% c("total", "least", "greatest")) {
      with_type(node, "double")
    }
    else with_type(node, "other", node$argument$like)
  )
}

# The row above has the type of what the formula gives: it may begin with whole numbers and give others.
type_running <- function(node, schema, about) {
  # What they warn of they warn of when they are calculated.
  starts <- lapply(node$starts, function(start) suppressWarnings(type_tree(start, schema, about)))
  above <- lapply(starts, function(start) start[c("type", "like")])
  node$links <- settled_links(above, node, about, function(k, above) {
    suppressWarnings(type_tree(node$formulas[[k]], schema, about, above))
  })
  if (length(node$formulas) > 1) return(with_type(node, "unknown"))
  with_type(node, node$links[[1]]$type, node$links[[1]]$like)
}

# Types of the columns of a recurrence that begin with `above`; `give(k, above)` has that of a formula for these. A text
# to begin with may be a level of a category: at first that is open.
settled_links <- function(above, node, about, give) {
  is_open <- vapply(above, function(one) one$type == "text", NA)
  for (round in 1:4) {
    before <- asked <- above
    if (round == 1) asked[is_open] <- list(list(type = "missing", like = NULL))
    for (k in seq_along(above)) {
      found <- give(k, asked)
      if (found$type == "unknown" || before[[k]]$type == "unknown") {
        return(rep(list(list(type = "unknown", like = NULL)), length(above)))
      }
      both <- one_link_type(before[[k]], found, node$starts[[k]])
      if (is.null(both)) stop_type_changes(node$formulas[[k]], before[[k]], found, about)
      above[[k]] <- both
    }
    if (identical(lapply(above, `[[`, "type"), lapply(asked, `[[`, "type"))) return(above)
  }
  stop_type_changes(node$formulas[[1]], before[[1]], above[[1]], about)
}

# The type of the row above and of what the formula gives, NULL if they don't fit. It may begin with a level of the
# category that it gives.
one_link_type <- function(above, found, start) {
  above$like <- as_doubles(above$like)
  found$like <- as_doubles(found$like)
  if (found$type == "missing") return(above)
  if (above$type == "missing") return(list(type = found$type, like = found$like))
  if (found$type != "other" && above$type != "other") {
    type <- common_type(c(above$type, found$type))
    return(if (!is.na(type)) list(type = type, like = NULL))
  }
  is_level <- above$type == "text" && start$kind == "value" && is.factor(found$like) &&
    start$value %in% levels(found$like)
  if (is_level || found$type == above$type && is_core_class(found$like) && same_class(above$like, found$like)) {
    list(type = "other", like = found$like)
  }
}

type_pick <- function(node) {
  inner <- if (node$argument$kind == "shared") node$argument$part$node else node$argument
  with_type(node, inner$links[[node$number]]$type, inner$links[[node$number]]$like)
}

# The statements of a block with typed trees, and the schema after it. Each is identified by its line.
type_block <- function(statements, schema, call, is_used = rep(TRUE, length(statements))) {
  for (k in which(is_used)) {
    statement <- statements[[k]]
    if (statement$removes) {
      schema$types <- schema$types[setdiff(names(schema$types), statement$targets)]
      next
    }
    about <- new_about(statement$line, call)
    statements[[k]]$node <- type_tree(statement$node, schema, about)
    schema <- schema_after(statements[[k]], schema)
  }
  list(statements = statements, schema = schema)
}

# The line's text is made when a message needs it.
new_about <- function(line, call) {
  about <- list2env(list(call = call), parent = emptyenv())
  delayedAssign("formula", line_text(line), assign.env = about)
  about
}

schema_after <- function(statement, schema) {
  nodes <- if (statement$node$kind == "several") statement$node$parts else list(statement$node)
  if (length(nodes) != length(statement$targets)) nodes <- rep(list(list(type = "unknown")), length(statement$targets))
  for (k in seq_along(nodes)) schema <- set_in_schema(schema, statement$targets[k], nodes[[k]]$type, nodes[[k]]$like)
  schema
}

# A condition of rows is checked.
check_type_of_condition <- function(node, shown, schema, call) {
  type_tree(new_condition(node, shown), schema, new_about(shown, call))
}

# These columns of a schema, `from` those of the names that they had.
columns_of_schema <- function(schema, columns, from = columns) {
  there <- from %in% names(schema$types)
  types <- stats::setNames(ifelse(there, schema$types[from], "unknown"), columns)
  types[types == "missing"] <- "logical"
  new_schema(types, stats::setNames(schema$likes[from], columns), schema$rows)
}
