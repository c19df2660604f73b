# What the language leaves to R: functions that it does not know, called once with whole columns.

call_r <- function(node, block) {
  learns <- !is.null(block$calibration) && !is.null(node$word$learns) && node$word$learns(node)
  if (learns) calibrated_levels(node, block) else r_value(node, block)
}

r_value <- function(node, block) {
  if (gives_any_length(node$arguments) && has_parts(block, block_groups(block, node$within))) node <- as_one_call(node)
  by_value <- goes_by_value(node$word, node$arguments)
  arguments <- lapply(node$arguments, if (by_value) lower_node else lower_unguarded, block = block)
  if (by_value) arguments <- lapply(arguments, guarded, block = block)
  call_r_function(node, arguments, block, block_groups(block, node$within))
}

# `groups` are those of the block, or none where the function gives for each value what it gives for it alone.
call_r_function <- function(node, arguments, block, groups = block_groups(block)) {
  check_no_above(arguments, node, block)
  by_value <- goes_by_value(node$word, node$arguments)
  if (!by_value) check_means_whole_columns(node$name, arguments, node, block)
  if (has_parts(block, groups) && !by_value) return(call_r_by_group(arguments, node, block, groups))
  values <- argument_values(arguments, block)
  if (identical(node$fun, base::`%in%`) && length(values) == 2) check_can_be_in(values, node, block)
  if (identical(node$fun, base::`%in%`) && length(values) == 2 &&
      is_table_for(values[[2]], arguments[[2]], arguments[[1]])) {
    return(new_slot(block, find_members_cpp(values[[1]], table_like(values[[2]], arguments[[1]]$type),
                                          getOption("rowanroot.threads", 0L))))
  }
  found <- if (by_value) call_by_value(arguments, values, node, block)
  if (!is.null(found)) return(found)
  result <- call_r_once(values, node, block)
  if (isTRUE(node$picks) && arguments[[1]]$kind %in% c("slot", "operation", "choose") && length(result) == 1 &&
      block$rows > 1) stop_picks_by_place(node$shown, block$formula, block$call)
  if (!by_value) check_not_for_one_row(result, block$rows, node$name, arguments, node, block)
  typed_value(result, block)
}

has_parts <- function(block, groups) !is.null(groups) || !is.null(block_order(block))

# Whether R's functions are called for arguments that may have any length, as by `sort(unique(x))`.
gives_any_length <- function(arguments) {
  is_any_length <- function(node, children) is_plain_call(node) &&
    (!goes_by_value(node$word, node$arguments) || any(unlist(children)))
  any(vapply(unname(arguments), fold_node, NA, f = is_any_length, stop_at = Negate(is_plain_call)))
}

is_plain_call <- function(node) node$kind == "r_call" && is.null(node$within)

# Calls in calls as one function of the columns in them, to be called for each group.
as_one_call <- function(node) {
  leaves <- list()
  calculation <- function(node, children) {
    if (is_plain_call(node)) {
      names(children) <- names(node$arguments)
      return(function(values) do.call(node$fun, lapply(children, function(part) part(values)), quote = TRUE))
    }
    leaves[[length(leaves) + 1]] <<- node
    at <- length(leaves)
    function(values) values[[at]]
  }
  within <- node$within
  node$within <- NULL
  calculate <- fold_node(node, calculation, stop_at = Negate(is_plain_call))
  call <- new_call(function(...) calculate(unname(list(...))), node$name, leaves, node$shown, node$env, within = within)
  call$outer <- called_function(node)
  call
}

# R would look for a number among texts as a text.
check_can_be_in <- function(values, node, block) {
  is_text <- vapply(values, is.character, NA)
  is_number <- vapply(values, function(value) is.numeric(value) && !is.object(value), NA)
  # The values are looked at only where the types differ: what is only missing fits everything.
  if (!any(is_text) || !any(is_number) || !length(values[[1]]) || all(is.na(values[[1]])) ||
      all(is.na(values[[2]]))) {
    return(invisible())
  }
  stop_because(c("Can't compare {if (is_text[1]) 'text with numbers' else 'numbers with text'}.",
                 "found" = "{.code {label_of(node)}} does.", "in" = "{block$formula}",
                 "try" = "Convert one of them with {.code as.numeric()} or {.code as.character()}."),
               "type_mismatch", block$call)
}

# `column %in% table`, where the table is a vector of the script and both are texts or both are not.
is_table_for <- function(table, argument, column) {
  type <- value_type(table)
  argument$kind %in% c("constant", "object") && column$kind != "constant" && is.atomic(table) && type != "other" &&
    !is.na(common_type(c(type, column$type))) &&
    column$type %in% c("logical", "integer", "double", "text")
}

# The table's values that a column of this type can have. A NaN is not a missing integer.
table_like <- function(table, type) {
  if (type %in% c("text", "double")) return(as.vector(table, vector_mode(type)))
  if (is.double(table)) {
    table <- table[!is.nan(table) & (is.na(table) | table == floor(table) & abs(table) <= .Machine$integer.max)]
  }
  as.integer(table)
}

call_r_once <- function(values, node, block) {
  names(values) <- names(node$arguments)
  labels <- unique_labels(node$arguments)
  env <- if (is.null(node$env)) block$env else node$env
  careful <- if (is_script_function(called_function(node))) stop_at_one else identity
  result <- tryCatch(
    careful(call_by_labels(node$fun, node$name, values, labels, env)),
    error = function(e) {
      if (inherits(e, "rowanroot_error")) stop_in_formula(e, block$formula, block$call)
      stop_formula_failed(label_of(node), block$formula, e, block$call, way_out(e, node$fun, node$name, labels))
    }
  )
  # A broken-down time is a list of parts: a column has the moments themselves. Rows have no names.
  if (inherits(result, "POSIXlt")) result <- as.POSIXct(result)
  if (is.atomic(result) && !is.null(names(result))) names(result) <- NULL
  result
}

# Once for each group, with the group's rows of each column, in the block's order if it has one. Each group gives
# one value, or one a row.
call_r_by_group <- function(arguments, node, block, groups) {
  members <- group_members(block, groups)
  whole <- argument_values(arguments, block)
  kinds <- vapply(arguments, `[[`, "", "kind")
  is_code <- kinds == "code"
  is_column <- !kinds %in% c("code", "constant") & vapply(whole, is_column_like, NA, rows = block$rows)
  results <- lapply(members, function(rows) {
    values <- whole
    values[is_column] <- lapply(whole[is_column], `[`, rows)
    values[is_code] <- lapply(arguments[is_code], function(code) eval_code(code$node, rows, block))
    result <- call_r_once(values, node, block)
    check_not_for_one_row(result, length(rows), node$name, arguments, node, block)
    if (!is_vector_like(result) || !length(result) %in% c(1, length(rows))) stop_wrong_group(result, rows, node, block)
    if (length(result) == length(rows)) result else rep(result, length(rows))
  })
  if (!length(results)) return(typed_value(call_r_once(whole, node, block)[0], block))
  typed_value(do.call(c, results)[order(unlist(members))], block)
}

stop_wrong_group <- function(result, rows, node, block) {
  stop_because(c("Each group must get one value, or one for each of its rows.",
                 "found" = paste0("In {.code {block$formula}}, {.code {label_of(node)}} gives {what_is(result)} for a ",
                              "group of {counted_rows(length(rows))}."),
                 "try" = "Put the calculation in a function of the columns: it is called for each group."),
               "wrong_length", block$call, found = length(result), expected = length(rows))
}

# A function that failed because it was given more than one value at a time.
way_out <- function(error, fun, name, labels) {
  if (!is_users_function(fun) || !grepl(meant_for_one, conditionMessage(error))) return(NULL)
  paste0("It was given whole columns. To call it for one row at a time, which is slow, write `one_by_one(",
         paste(c(name, labels), collapse = ", "), ")`.")
}

# What R does when it is given several values and uses only one: an error in some versions, a warning in others.
meant_for_one <- "length > 1|length 1|logical\\(1\\)|only the first used|only the first element"

# Equal code may have given different values, but for columns.
unique_labels <- function(arguments) {
  labels <- vapply(arguments, label_of, "")
  columns <- vapply(arguments, `[[`, "", "kind") == "column"
  ifelse(columns, labels, make.unique(labels))
}

# The call as it was typed, with its arguments under the code that gave them: so R's messages are short,
# and a function that shows its arguments shows what the user wrote. A column may be named as the function.
call_by_labels <- function(fun, name, values, labels, env) {
  functions <- list2env(stats::setNames(list(fun), name), parent = if (is.null(env)) baseenv() else env)
  arguments <- list2env(stats::setNames(values, labels), parent = functions)
  call <- as.call(c(as.name(name), stats::setNames(lapply(labels, as.name), names(values))))
  eval(call, arguments)
}

# The values of arguments, code that takes columns by name among them.
argument_values <- function(arguments, block) {
  is_code <- vapply(arguments, function(argument) argument$kind == "code", NA)
  values <- vector("list", length(arguments))
  values[!is_code] <- node_values(arguments[!is_code], block)
  values[is_code] <- lapply(arguments[is_code], function(code) eval_code(code$node, NULL, block))
  values
}

# The R values of typed nodes. What is yet to be calculated is, with all that is pending, in one pass.
node_values <- function(nodes, block) {
  ids <- vapply(nodes, function(node) {
    switch(node$kind, slot = node$id, operation = , choose = , classed = column_slot(node, block), 0L)
  }, 0L)
  if (any(ids > 0)) calculate(block, ids[ids > 0])
  Map(function(node, id) if (id > 0) block$values[[id]] else node$value, nodes, ids)
}

# Code that takes columns by name sees these rows of them (NULL: all) in an environment of their own.
eval_code <- function(node, rows, block) {
  columns <- new.env(parent = node$env)
  values <- node_values(lapply(node$columns, block_column, block = block), block)
  if (!is.null(rows)) values <- lapply(values, `[`, rows)
  for (k in seq_along(values)) assign(node$columns[k], values[[k]], envir = columns)
  eval(node$expr, columns)
}

# A choice between values that have classes. They must be of one sort, so that nothing is converted.
choose_with_r <- function(condition, yes, no, node, block) {
  values <- node_values(list(condition, yes, no), block)
  condition <- rep_len(values[[1]], block$rows)
  types <- c(yes$type, no$type)
  for (value in values[2:3][types != "missing"]) {
    if (!length(value) %in% c(1, block$rows)) stop_wrong_length(value, block)
  }
  check_one_sort(values[2:3], types, node, block)
  model <- if (yes$type == "missing" || yes$type == "text") values[[3]] else values[[2]]
  result <- rep(model, length.out = block$rows)
  result[] <- NA
  for (k in 1:2) {
    rows <- which(if (k == 1) condition else !condition)
    value <- values[[k + 1]]
    if (inherits(model, "difftime") && inherits(value, "difftime")) units(value) <- units(model)
    if (is.factor(model) && is.character(value)) check_are_levels(value, rows, levels(model), block)
    if (c(yes$type, no$type)[k] != "missing") result[rows] <- if (length(value) == 1) value else value[rows]
  }
  typed_value(result, block)
}

# One text for a category, or texts in the rows that take them: it keeps its levels.
check_are_levels <- function(texts, rows, levels, block) {
  new <- setdiff(if (length(texts) == 1) texts else texts[rows], c(levels, NA))
  if (!length(new)) return(invisible())
  stop_because(c("{.val {new[1]}} is not a level of the category in {.code {block$formula}}.",
                 "try" = level_hint(new[1], levels),
                 "try" = paste0("Add levels with {.code as_category(x, levels = c(\u2026))}, or convert it to text ",
                              "with {.code as.character()}.")), "no_level", block$call)
}
