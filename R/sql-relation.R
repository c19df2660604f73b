# A relation is what a statement gives: a table of a database, and what steps make of it.
#   dialect     of the server
#   parts       the subqueries so far, by name; `from` is what the next one reads from
#   columns     by the names that the table has for them here: a list with the name there, quoted, as `sql`, the `type`,
#               "logical", "integer", "double", "text", "date", or "opaque" for what is only carried along, and whether
#               it may be `nan`
#   order       the order of the rows: terms of ORDER BY, over columns that `hidden` has if the table has not
#   has_key     whether that order is that of a key, so that no two rows are alike in it
#   prepare     statements that the session must have run before, each of which may be run again
#   tables      relations of other tables that steps take, by the keys of their values
#   checks      those of the steps so far: see sql_step.step_conditions()
#   servers, partitions, crosses  where the rows are, if they are on several servers (source-servers.R); the same
#               relation of each partition; whether what was calculated needs rows of several of them
#   is_sorted   whether a step has sorted the rows
#   last        of the last part, if it has nothing but more columns: its `name`, what it reads `from`, and its `items`
#   fewer, rounded  whether its last step leaves rows out, and the word in it whose last digits could be others

new_relation <- function(dialect, table, columns, order, has_key) {
  list(dialect = dialect, parts = character(), from = table, columns = columns, order = order, hidden = character(),
       has_key = has_key, is_sorted = FALSE)
}

# Whether all rows of each group are on one server.
note_crossing <- function(groups, items) {
  by <- items$relation$servers$by
  if (!is.null(by) && !all(by %in% sql_of(groups))) items$crosses <- TRUE
}

# Rows without a key are in the order of all their columns, so that only what is alike is in any order. What needs an
# order goes by their places in that one, which all that a statement calculates then agrees upon: see steps_in_sql().
needs_order <- function(is_given, node = NULL) {
  word <- if (is.null(node$word)) ".row" else paste0(node$word$name, "()")
  stop(structure(class = c("rowanroot_needs_places", "condition"),
                 list(message = "", call = NULL, word = if (!is_given) word)))
}

with_places <- function(relation) {
  if (any(types_in_sql(relation$columns) == "opaque")) not_in_sql("an order, as there is no primary key")
  place <- fresh_name(relation, "place")
  relation <- with_part(relation, c("*", paste0("row_number()", window_text(list(), relation$order), " AS ", place)),
                        relation$dialect$fence)
  relation$hidden <- c(relation$hidden, place)
  relation$order <- paste(place, "NULLS LAST")
  relation$has_key <- TRUE
  relation$partitions <- lapply(relation$partitions, with_places)
  relation
}

# Another subquery: `select` has what it gives, by names as they are there.
with_part <- function(relation, select, rest = "") {
  name <- paste0("step_", length(relation$parts) + 1)
  relation$parts[[name]] <- paste0("SELECT ", paste(select, collapse = ", "), "\n  FROM ", relation$from, rest)
  relation$from <- name
  relation
}

selected <- function(sql, as) ifelse(sql == as, sql, paste(sql, "AS", as))

# The statement; `ordered` says whether it is to give the rows in their order.
relation_sql <- function(relation, ordered = TRUE) {
  if (ordered) relation <- with_order_apart(relation)
  names <- sql_name(relation$dialect, names(relation$columns))
  sql <- sql_of(relation$columns)
  last <- if (goes_out_last(relation, sql, ordered)) relation$last
  if (!is.null(last)) {
    relation$parts <- relation$parts[names(relation$parts) != last$name]
    relation$from <- last$from
    is_item <- sql %in% names(last$items)
    sql[is_item] <- last$items[sql[is_item]]
  }
  select <- selected(sql, names)
  with <- if (length(relation$parts)) paste0("WITH ", with_parts(relation), "\n")
  paste0(with, "SELECT ", paste(select, collapse = ", "), "\nFROM ", relation$from,
         if (ordered && length(relation$order)) paste("\nORDER BY", paste(relation$order, collapse = ", ")))
}

# Whether what the last part calculates stands in the statement itself, which saves a server another pass.
goes_out_last <- function(relation, sql, ordered) {
  last <- relation$last
  if (is.null(last) || relation$from != last$name) return(FALSE)
  is_in <- function(alias) any(grepl(alias, relation$order, fixed = TRUE))
  !anyDuplicated(sql[sql %in% names(last$items)]) && !(ordered && any(vapply(names(last$items), is_in, NA)))
}

with_parts <- function(relation) {
  paste0(names(relation$parts), " AS (\n  ", relation$parts, "\n)", collapse = ", ")
}

# In ORDER BY a name stands for a column of the result: where one has the name of another column there, what the rows
# are put in order by gets names of its own.
with_order_apart <- function(relation) {
  names <- sql_name(relation$dialect, names(relation$columns))
  sql <- sql_of(relation$columns)
  if (!any(sql != names & is_taken(names, c(sql, relation$hidden)))) return(relation)
  ending <- "( COLLATE (\"C\"|BINARY))?( DESC)?( NULLS (FIRST|LAST))?$"
  own <- sub(ending, "", relation$order)
  as <- sql_name(relation$dialect, paste0(".order ", seq_along(own), recycle0 = TRUE))
  ends <- substring(relation$order, nchar(own) + 1)
  alike <- is_taken(names, names[duplicated(tolower(names))])
  names[alike] <- sql_name(relation$dialect, paste0(".column ", which(alike), recycle0 = TRUE))
  relation <- with_part(relation, c(selected(sql, names), selected(own, as)))
  for (k in seq_along(names)) relation$columns[[k]]$sql <- names[k]
  relation$order <- paste0(as, ends, recycle0 = TRUE)
  relation
}

# A name that no column there has.
fresh_name <- function(relation, stem) {
  taken <- c(sql_of(relation$columns), relation$hidden)
  number <- 1
  repeat {
    name <- sql_name(relation$dialect, paste0(".", stem, number))
    if (!is_taken(name, taken)) return(name)
    number <- number + 1
  }
}

# Columns in the order of rows: `descending` for each of these operands.
order_terms <- function(operands, descending, missing_first, dialect) {
  sql <- vapply(operands, function(operand) {
    if (operand$type == "opaque") not_in_sql("the order of a column that is only carried along")
    if (is_category_type(operand$type)) not_in_sql("the order of categories")
    in_code_points(known_number(operand), operand, dialect$collation)
  }, "")
  paste0(sql, ifelse(descending, " DESC", ""), if (missing_first) " NULLS FIRST" else " NULLS LAST")
}
