# Steps as subqueries. A step that a server can't run as memory does is refused with the reason (not_in_sql()).

# The relation after a step.
sql_step <- function(step, relation) UseMethod("sql_step")

#' @export
sql_step.default <- function(step, relation) not_in_sql("`", step_lines(step)[[1]]$text, "`")

#' @export
sql_step.step_set_columns <- function(step, relation) {
  if (!is.null(step$calibration)) not_in_sql("what a routine has learned")
  items <- new_items(relation, step$within, step$along)
  for (statement in step$statements) set_in_sql(statement, items)
  relation_with_items(items, step$columns)
}

set_in_sql <- function(statement, items) {
  targets <- statement$targets
  if (statement$removes) {
    items$columns[targets] <- NULL
    return(invisible())
  }
  operands <- operands_of(statement, items)
  for (k in seq_along(targets)) {
    operand <- operands[[k]]
    if (operand$type == "missing") operand <- as_sql_type(operand, "logical", items)
    is_window <- length(targets) == 1 && statement$node$kind %in% c("ordered", "aggregate")
    items$columns[[targets[k]]] <- if (!operand$simple) add_item(items, operand, targets[k])
                                   else if (is_window) with_name_of_column(operand, items, targets[k])
                                   else operand
  }
}

# An operand for each column that a statement sets.
operands_of <- function(statement, items) {
  node <- statement$node
  nodes <- if (node$kind == "several") node$parts else list(node)
  count <- length(statement$targets)
  if (length(nodes) == 1 && identical(nodes[[1]]$word$sql, "split_text")) {
    return(sql_split_text(nodes[[1]], items, count))
  }
  if (length(nodes) != count) not_in_sql("`", line_text(statement$line), "`")
  lapply(nodes, sql_node, items = items)
}

#' @export
sql_step.step_keep_rows <- function(step, relation) {
  if (!is.null(step$calibration)) not_in_sql("what a routine has learned")
  items <- new_items(relation, step$within)
  condition <- sql_node(step$node, items)
  if (condition$type != "logical") not_in_sql("a condition that is a number")
  if (step$verb == "drop_rows") condition$sql <- paste0("(NOT coalesce(", condition$sql, ", FALSE))")
  relation_with_items(items, step$columns, condition)
}

#' @export
sql_step.step_sort_rows <- function(step, relation) {
  items <- new_items(relation)
  own <- order_terms(lapply(step$order$names, column_operand, items = items), step$order$descending,
                     step$missing == "first", relation$dialect)
  relation$order <- c(own, relation$order)
  relation$is_sorted <- TRUE
  relation
}

# Rows of groups follow each other, as the first rows of the groups do, from the best on.
#' @export
sql_step.step_top_rows <- function(step, relation) {
  if (length(step$by) > 1) not_in_sql("first rows by several columns")
  items <- new_items(relation)
  by <- column_operand(step$by, items)
  groups <- lapply(step$within, column_operand, items = items)
  note_crossing(groups, items)
  own <- order_terms(list(by), step$verb == "top_rows", FALSE, relation$dialect)
  if (step$ties == "cut") own <- c(own, order_of(list(), items, breaks_ties = TRUE)$terms)
  position <- add_window(paste0(if (step$ties == "cut") "row_number()" else "rank()", window_text(groups, own)),
                         "integer", list(by), items)
  first <- if (length(groups)) first_of_groups(groups, items)
  where <- new_operand(paste0("(", is_known_number(by), " AND ", position$sql, " <= ",
                              format(step$count, scientific = FALSE), ")"), "logical",
                       level_of(c(list(position), list(first)[!is.null(first)])))
  relation <- relation_with_items(items, step$columns, where)
  relation$order <- c(first$sql, own, setdiff(relation$order, own))
  relation
}

# For each row the place of the first row of its group.
first_of_groups <- function(groups, items) {
  order <- order_of(list(), items, breaks_ties = TRUE)
  place <- add_window(paste0("row_number()", window_text(list(), order$terms)), "integer", groups, items)
  add_window(paste0("min(", place$sql, ")", window_text(groups)), "integer", c(list(place), groups), items)
}

#' @export
sql_step.step_columns <- function(step, relation) {
  if (!all(step$from %in% names(relation$columns))) not_in_sql("columns that are not there")
  before <- sql_of(relation$columns)
  relation$columns <- stats::setNames(relation$columns[step$from], step$columns)
  relation$hidden <- setdiff(c(relation$hidden, before), sql_of(relation$columns))
  relation
}

# Checks leave the table as it is. They are made before it is looked at, by statements of their own: `checks` has, for
# each step of them, the step and a relation with a column for each condition.
#' @export
sql_step.step_conditions <- function(step, relation) {
  items <- new_items(relation, step$within)
  conditions <- lapply(step$nodes, function(node) {
    if (!length(step$within) && isTRUE(values_of_group(node, character()))) not_in_sql("a check of the whole table")
    condition <- sql_node(node, items)
    if (condition$type != "logical") not_in_sql("a condition that is a number")
    add_item(items, condition)
  })
  result <- relation_with_items(items, names(relation$columns))
  check <- list(step = step, relation = result, conditions = sql_of(conditions))
  relation$checks <- c(relation$checks, list(check))
  relation
}

# Rows that are missing in the order never come before others, from whichever end one looks.
#' @export
sql_step.step_one_of_each <- function(step, relation) {
  items <- new_items(relation)
  is_last <- step$keep == "last"
  if (!relation$has_key) needs_order(TRUE)
  order <- step$order
  own <- if (!is.null(order)) order_terms(lapply(order$names, column_operand, items = items), order$descending, is_last,
                                          relation$dialect)
  terms <- c(own, relation$order)
  groups <- lapply(lapply(step$by, column_operand, items = items), group_operand)
  note_crossing(groups, items)
  place <- add_window(paste0("row_number()", window_text(groups, if (is_last) reversed_order(terms) else terms)),
                      "integer", groups, items)
  relation_with_items(items, step$columns, new_operand(paste(place$sql, "= 1"), "logical", place$level))
}

# Each row with each of the labels, whose columns it then takes.
#' @export
sql_step.step_rows_from <- function(step, relation) {
  items <- new_items(relation)
  dialect <- relation$dialect
  label <- fresh_name(relation, "label")
  each <- seq_along(step$labels)
  by_label <- function(values) paste0("(CASE ", label, paste0(" WHEN ", each, " THEN ", values, collapse = ""), " END)")
  made <- lapply(step$from, function(names) {
    operands <- lapply(names, column_operand, items = items)
    type <- type_below(types_in_sql(operands), names[1])
    operands <- lapply(operands, as_sql_type, type = type, items = items)
    new_operand(by_label(sql_of(operands)), type, nan = any(vapply(operands, `[[`, NA, "nan")))
  })
  labels <- new_operand(by_label(vapply(step$labels, sql_text, "", dialect = dialect)), "text")
  part <- paste0("labels_", length(relation$parts) + 1)
  relation$parts[[paste0(part, " (", label, ")")]] <- paste0("VALUES ", paste0("(", each, ")", collapse = ", "))
  relation <- with_part(relation, "*", paste0(" CROSS JOIN ", part))
  relation$hidden <- c(relation$hidden, label)
  items <- new_items(relation)
  items$columns[[step$name]] <- add_item(items, labels, step$name)
  for (name in names(made)) items$columns[[name]] <- add_item(items, made[[name]], name)
  result <- relation_with_items(items, step$columns)
  result$order <- c(relation$order, paste(label, "NULLS LAST"))
  result
}

# The value of a cell is that of its one row; of several the statement fails: here the error says which.
#' @export
sql_step.step_columns_from <- function(step, relation) {
  rows <- new_items(relation)
  can_be_cell <- vapply(step$values, function(node) node$kind %in% c("column", "aggregate"), NA)
  name <- column_operand(step$name, rows)
  if (!length(step$ids) || !all(can_be_cell) || name$type != "text" || length(step$labels) > most_labels) {
    not_in_sql("`", step_lines(step)[[1]]$text, "`")
  }
  groups <- groups_in_sql(step$ids, rows, relation)
  dialect <- relation$dialect
  for (k in seq_along(step$made)) {
    label <- new_operand(sql_text(dialect, step$labels[(k - 1) %% length(step$labels) + 1]), "text")
    cell <- list(is_so = compared("=", dialect$collation)(list(name, label)), absent = step$absent)
    node <- step$values[[(k - 1) %/% length(step$labels) + 1]]
    made <- if (node$kind == "column") one_value_in_cell(node, cell, rows) else aggregate_in_cell(node, cell, rows)
    groups$columns[[step$made[k]]] <- add_group_item(groups, made$sql, made$type, made$nan, made$level)
  }
  relation_of_groups(groups, step$columns)
}

one_value_in_cell <- function(node, cell, rows) {
  dialect <- rows$dialect
  value <- column_operand(node$name, rows)
  if (!value$type %in% names(dialect$types)) not_in_sql("values like these in cells")
  of_cell <- paste0("CASE WHEN ", cell$is_so, " THEN ", value$sql, " END")
  one <- one_of_same(value$type, dialect)(in_code_points(of_cell, value, dialect$collation), "")
  absent <- as_sql_type(sql_value(cell$absent, rows), value$type, rows)$sql
  sql <- paste0("CASE count(CASE WHEN ", cell$is_so, " THEN 1 END) WHEN 0 THEN ", absent, " WHEN 1 THEN ", one,
                " ELSE ", failure_as(value$type, dialect), " END")
  list(sql = sql, type = value$type, nan = value$nan, level = 0)
}

# An aggregate of the rows of the cell alone.
aggregate_in_cell <- function(node, cell, rows) {
  if (!node$word$memory %in% c("moments", "truth", "rows") || !is.null(node$within)) {
    not_in_sql("`", node$word$name, "()` of cells")
  }
  x <- once(sql_node(node$argument, rows), rows)
  only <- paste0(" FILTER (WHERE ", cell$is_so, ")")
  found <- aggregate_sql(node$word, x, node$skip_missing, only, rows$dialect)
  if (found$type == "double" && !node$word$what %in% c("least", "greatest")) note_rounded(node$word, rows)
  absent <- sql_value(cell$absent, rows)
  if (absent$type == "double" && found$type == "integer") not_in_sql("whole numbers in cells beside a double")
  sql <- paste0("CASE count(*)", only, " WHEN 0 THEN ", as_sql_type(absent, found$type, rows)$sql, " ELSE ", found$sql,
                " END")
  list(sql = sql, type = found$type, nan = found$nan, level = x$level)
}

# With more the statement would be too long.
most_labels <- 200

#' @export
sql_step.step_one_row_per <- function(step, relation) {
  if (!length(step$keys)) not_in_sql("one row of all")
  in_parts <- tryCatch(groups_of_servers(step, relation), rowanroot_not_in_sql = function(e) NULL)
  if (!is.null(in_parts)) return(in_parts)
  groups <- groups_in_sql(step$keys, new_items(relation), relation)
  set_of_groups(step, groups)
  relation_of_groups(groups, step$columns)
}

set_of_groups <- function(step, groups) {
  for (statement in step$statements) {
    if (!statement$removes && !is_for_groups(statement$node, names(groups$columns))) {
      not_in_sql("`", line_text(statement$line), "` for each row")
    }
    set_in_sql(statement, groups)
  }
}

# Items of groups, by the columns that make them; `rows` are those of their rows.
groups_in_sql <- function(keys, rows, relation) {
  keys <- lapply(stats::setNames(nm = keys), column_operand, items = rows)
  keys[] <- lapply(keys, group_operand)
  note_crossing(keys, rows)
  place <- if (relation$has_key) {
    add_window(paste0("row_number()", window_text(list(), order_of(list(), rows)$terms)), "integer", list(), rows)
  }
  groups <- new_items(relation)
  groups$columns <- lapply(keys, function(key) new_operand(key$sql, key$type, nan = key$nan, simple = TRUE))
  rows$keys <- unname(keys)
  groups$groups <- rows
  groups$of_groups <- character()
  groups$level_of_rows <- level_of(c(keys, list(place)[!is.null(place)]))
  if (!is.null(place)) {
    groups$first <- add_group_item(groups, paste0("min(", place$sql, ")"), "integer", level = place$level)
  }
  groups
}

# Groups are in the order of their first rows.
relation_of_groups <- function(groups, columns) {
  rows <- groups$groups
  by <- sql_of(rows$keys)
  groups$relation <- with_part(with_levels(rows, groups$level_of_rows),
                               c(by, selected(groups$of_groups, names(groups$of_groups))),
                               paste0("\n  GROUP BY ", paste(by, collapse = ", ")))
  result <- relation_with_items(groups, columns)
  result$order <- if (is.null(groups$first)) {
    order_terms(rows$keys, rep(FALSE, length(by)), FALSE, result$dialect)
  } else groups$first$sql
  result$crosses <- isTRUE(result$crosses) || isTRUE(rows$crosses)
  result$has_key <- TRUE
  result$fewer <- TRUE
  result$rounded <- c(groups$rounded, rows$rounded)[1]
  result
}

# A column of the groups.
add_group_item <- function(items, sql, type, nan = FALSE, level = 0) {
  alias <- item_name(items, NULL)
  items$of_groups[[alias]] <- sql
  items$level_of_rows <- max(items$level_of_rows, level)
  new_operand(alias, type, 0, nan, simple = TRUE)
}

# As many of the steps as a server can run, from the first on: the relation after `count` of them, and the `reason` why
# no more. `fetched` is the same for where all rows that come of them are fetched. Sums and the like, whose last digits
# differ from server to server, are then left to memory, if that does not fetch more rows, so that a script gives the
# same wherever its tables are; the reason is the first of these words. `lacks_order` is a word that needs an order,
# where the rows have none.
steps_in_sql <- function(steps, relation) {
  tryCatch(steps_from(steps, relation), rowanroot_needs_places = function(needed) {
    none <- list(relation = relation, count = 0)
    if (!is.null(needed$word)) return(c(none, list(lacks_order = needed$word)))
    with_places <- tryCatch(with_places(relation), rowanroot_not_in_sql = function(e) conditionMessage(e))
    if (is.list(with_places)) return(steps_from(steps, with_places))
    none$reason <- with_places
    c(none, list(fetched = none))
  })
}

steps_from <- function(steps, relation) {
  after <- list(relation)
  reason <- NULL
  for (step in steps) {
    before <- after[[length(after)]]
    before[c("rounded", "fewer")] <- NULL
    next_one <- tryCatch(sql_step(step, before), rowanroot_not_in_sql = function(e) conditionMessage(e))
    if (is.character(next_one)) {
      reason <- next_one
      break
    }
    next_one$partitions <- if (!isTRUE(next_one$crosses)) lapply(before$partitions, sql_step, step = step)
    after <- c(after, list(next_one))
  }
  found <- steps_found(after, reason)
  c(found, list(fetched = without_sums(after, found)))
}

steps_found <- function(after, reason) {
  list(relation = after[[length(after)]], count = length(after) - 1, reason = reason)
}

# What comes after the last step that leaves rows out is fetched.
without_sums <- function(after, found) {
  fewer <- max(1, which(vapply(after, function(relation) isTRUE(relation$fewer), NA)))
  rounded <- which(!vapply(after, function(relation) is.null(relation$rounded), NA))
  first <- rounded[rounded > fewer][1]
  if (is.na(first)) found else steps_found(after[seq_len(first - 1)], after[[first]]$rounded)
}

# What is added up differs in its last digits, by the order in which it is and by the digits that are kept on the way.
note_rounded <- function(word, items) items$rounded <- paste0("`", word$name, "()`")
