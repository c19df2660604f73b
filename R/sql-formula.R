# Formulas as SQL. What a statement of the language gives is an item of a subquery: windows can't stand in each other,
# and a column that is set may be used by the next line, so each item has a level. It is calculated in the subquery of
# that level, from what those before it have; columns of the table have level 0.

# Items of formulas for the rows of a relation. `within` and `along` are the step's own groups and order.
new_items <- function(relation, within = NULL, along = NULL) {
  items <- list2env(list(relation = relation, dialect = relation$dialect, columns = list(), levels = list(),
                         joins = list(), sent = character(),
                         shared = list(), taken = character(), within = NULL, along = NULL, groups = NULL),
                    parent = emptyenv())
  items$columns <- lapply(relation$columns, column_as_operand)
  items$taken <- c(sql_of(relation$columns), relation$hidden)
  items$within <- lapply(within, column_operand, items = items)
  items$along <- along_operands(along, items)
  items
}

new_operand <- function(sql, type, level = 0, nan = FALSE, simple = FALSE, value = NULL) {
  list(sql = sql, type = type, level = level, nan = nan && type == "double", simple = simple, value = value)
}

# A column of a relation.
column_as_operand <- function(column, sql = column$sql) {
  new_operand(sql, column$type, nan = isTRUE(column$nan), simple = TRUE)
}

along_operands <- function(along, items) {
  if (is.null(along$names)) return(NULL)
  list(columns = lapply(along$names, column_operand, items = items), descending = along$descending)
}

column_operand <- function(name, items) {
  column <- items$columns[[name]]
  if (is.null(column)) not_in_sql("the column `", name, "`")
  column
}

level_of <- function(operands) max(0, vapply(operands, `[[`, 0, "level"))

# An item of its own, under the name of a column or another; gives the operand that stands for it.
add_item <- function(items, operand, name = NULL) {
  level <- operand$level + 1
  alias <- item_name(items, name)
  items$levels <- with_length(items$levels, level)
  items$levels[[level]][[alias]] <- operand$sql
  new_operand(alias, operand$type, level, operand$nan, simple = TRUE)
}

# As many levels, at least.
with_length <- function(levels, count) c(levels, rep(list(character()), max(0, count - length(levels))))

# Servers cut off names that are too long, and some take capitals for small letters.
item_name <- function(items, name) {
  if (!is.null(name) && nchar(enc2utf8(name), "bytes") > longest_name) name <- NULL
  alias <- if (!is.null(name)) sql_name(items$dialect, name)
  number <- 0
  while (is.null(alias) || is_taken(alias, items$taken)) {
    number <- number + 1
    alias <- sql_name(items$dialect, paste0(if (is.null(name)) ".item" else name, " ", number))
  }
  items$taken <- c(items$taken, alias)
  alias
}

longest_name <- 50

is_taken <- function(names, taken) tolower(names) %in% tolower(taken)

# An item that was made last for a formula has the name of the column that is set to it.
with_name_of_column <- function(operand, items, name) {
  last <- utils::tail(items$taken, 1)
  if (operand$sql != last || operand$level < 1) return(operand)
  of_level <- items$levels[[operand$level]]
  alias <- item_name(items, name)
  items$taken <- setdiff(items$taken, last)
  names(of_level)[names(of_level) == last] <- alias
  items$levels[[operand$level]] <- of_level
  operand$sql <- alias
  operand
}

# An operand that may be written more than once.
once <- function(operand, items) {
  if (operand$simple || !is.null(operand$value) || isTRUE(items$is_row)) operand else add_item(items, operand)
}

sql_node <- function(node, items) {
  switch(node$kind,
    column = if (isTRUE(items$is_row)) input_of_row(node$name, items) else column_operand(node$name, items),
    above = items$above[[node$of]],
    pick = sql_pick(node, items),
    running = sql_recurrence(node, items),
    value = sql_value(node$value, items),
    rows = sql_row_number(node$name, items),
    word = sql_word(node, items),
    r_call = sql_call(node, items),
    choose = sql_choice(node, items),
    aggregate = sql_aggregate(node, items),
    ordered = sql_ordered(node, items),
    shared = sql_shared(node, items),
    convert = as_sql_type(sql_node(node$argument, items), node$to, items),
    not_in_sql("`", one_line(shown_code(node), 40L), "`")
  )
}

sql_value <- function(value, items) {
  if (is.numeric(value) && !is.object(value)) attributes(value) <- NULL
  sql <- sql_literal(items$dialect, value)
  type <- if (inherits(value, "Date")) "date" else if (is_missing_literal(value)) "missing" else value_type(value)
  new_operand(sql, type, nan = is.double(value) && is.nan(value), value = value)
}

# A whole number in the code is compared with whole numbers as such.
with_whole_literals <- function(word, operands, items) {
  types <- types_in_sql(operands)
  if (!identical(word$text, "compared") || !setequal(types, c("integer", "double"))) return(operands)
  value <- operands[[match("double", types)]]$value
  is_whole <- !is.null(value) && is.finite(value) && value == floor(value) && abs(value) <= .Machine$integer.max
  if (is_whole) operands[[match("double", types)]] <- sql_value(as.integer(value), items)
  operands
}

# What stands in several places is calculated once.
sql_shared <- function(node, items) {
  known <- items$shared[[node$id]]
  if (is.null(known)) {
    known <- once(sql_node(node$part$node, items), items)
    items$shared[[node$id]] <- known
  }
  known
}

as_sql_type <- function(operand, type, items) {
  if (operand$type == type || is.na(type)) return(operand)
  if (operand$type == "missing") return(new_operand(typed_null(type, items), type))
  if (!is.null(operand$value) && operand$type %in% c("logical", "integer", "double")) {
    if (is.na(operand$value)) return(new_operand(typed_null(type, items), type))
    value <- switch(type, logical = as.logical(operand$value), integer = as.integer(operand$value),
                    double = as.numeric(operand$value))
    if (!is.null(value) && operand$type != "double") return(sql_value(value, items))
  }
  operand$sql <- items$dialect$convert(operand$sql, operand$type, type)
  operand$type <- type
  operand
}

typed_null <- function(type, items) {
  if (!type %in% names(items$dialect$types)) not_in_sql("a missing value of type ", type)
  paste0("CAST(NULL AS ", items$dialect$types[[type]], ")")
}

sql_word <- function(node, items) {
  operands <- with_whole_literals(node$word, lapply(unname(node$arguments), sql_node, items = items), items)
  types <- types_in_sql(operands)
  rule <- if (all(types %in% c("logical", "integer", "double", "text", "missing"))) node$word$type(types)
          else rule_of_dates(node$word, types)
  if (is.null(rule) && identical(node$word$text, "compared") && all(types %in% c("text", "missing"))) {
    rule <- list(operands = c("text", "text"), result = "logical")
  }
  if (is.null(rule)) not_in_sql("`", node$word$name, "`", sql_of_types(types))
  operands <- Map(as_sql_type, operands, rule$operands, list(items))
  made_of_word(node$word, lapply(operands, once, items = items), rule$result, items)
}

sql_of_types <- function(types) {
  others <- setdiff(types, c("logical", "integer", "double", "text", "missing"))
  if (!length(others)) return(NULL)
  if (is_category_type(others[1])) return(" of categories")
  if (others[1] == "opaque") " of columns that are only carried along" else paste(" of columns of type", others[1])
}

# Dates can be compared, and asked if they are missing.
rule_of_dates <- function(word, types) {
  if (is.null(word$memory) || word$memory != "is_missing" && !all(types %in% c("date", "missing"))) return(NULL)
  if (word$memory %in% c("is_missing", "equal", "not_equal", "less", "at_most", "greater", "at_least")) {
    list(operands = ifelse(types == "opaque", "opaque", "date"), result = "logical")
  }
}

# By the template of its record, or as the dialect knows it: by the name there, or that of the core's operation. A
# conversion has none.
made_of_word <- function(word, operands, type, items) {
  name <- c(word$sql, word$memory, "none")[1]
  if (name == "") return(operands[[1]])
  make <- items$dialect$words[[name]]
  if (grepl("{", name, fixed = TRUE)) make <- function(operands, type) fill_template(name, operands)
  if (is.null(make)) not_in_sql("`", word$name, "`")
  made <- make(operands, type)
  if (is.list(made)) type <- made$type else made <- list(sql = made)
  if (isTRUE(made$rounded)) note_rounded(word, items)
  new_operand(made$sql, type, level_of(operands), nan = items$dialect$has_nan && type == "double")
}

# A missing condition gives a missing value; but where it picks rows, these stay as they are.
sql_choice <- function(node, items) {
  condition <- sql_node(node$condition, items)
  if (!condition$type %in% c("logical", "missing")) not_in_sql("a condition that is a number")
  condition <- as_sql_type(condition, "logical", items)
  branches <- lapply(node[c("yes", "no")], sql_node, items = items)
  type <- common_sql_type(types_in_sql(branches))
  branches <- lapply(branches, as_sql_type, type = type, items = items)
  sql <- if (isTRUE(node$some_rows)) {
    paste0("(CASE WHEN ", condition$sql, " THEN ", branches[[1]]$sql, " ELSE ", branches[[2]]$sql, " END)")
  } else {
    paste0("(CASE ", condition$sql, " WHEN TRUE THEN ", branches[[1]]$sql, " WHEN FALSE THEN ", branches[[2]]$sql,
           " END)")
  }
  new_operand(sql, type, level_of(c(list(condition), branches)), nan = any(vapply(branches, `[[`, NA, "nan")))
}

common_sql_type <- function(types) {
  known <- setdiff(types, "missing")
  basic <- c("logical", "integer", "double", "text")
  if (length(known) == 1 && !known %in% basic) return(known)
  if (!all(known %in% basic)) not_in_sql("branches of several types")
  type <- common_type(types)
  if (is.na(type)) not_in_sql("branches of several types")
  type
}

# The relation with a part for each of the first levels.
with_levels <- function(items, count) {
  relation <- items$relation
  relation$parts <- c(relation$parts, items$sent)
  for (level in seq_len(count)) {
    of_level <- items$levels[[level]]
    if (!length(of_level) && !length(unlist(items$joins[level]))) next
    joins <- if (level <= length(items$joins)) items$joins[[level]]
    if (length(joins) && !grepl("^step_[0-9]+$", relation$from)) relation <- with_part(relation, "*")
    rest <- c(if (length(joins)) c(" AS base", joins), if (level %% 4 == 0) items$dialect$fence)
    from <- relation$from
    relation <- with_part(relation, c("*", selected(of_level, names(of_level))), paste(rest, collapse = ""))
    relation$last <- if (!length(rest)) list(name = relation$from, from = from, items = of_level)
  }
  relation
}

# A window keeps a server from calculating what comes after it in the same pass over the rows: it waits until another
# item needs it.
with_windows_late <- function(levels, joins) {
  count <- length(levels)
  for (level in rev(seq_len(max(0, count - 1)))) {
    waits <- names(levels[[level]])[grepl(" OVER (", levels[[level]], fixed = TRUE)]
    for (alias in waits) {
      uses <- function(sql) any(grepl(alias, unlist(sql), fixed = TRUE))
      needed <- Filter(function(later) uses(levels[[later]]) || later <= length(joins) && uses(joins[[later]]),
                       seq(level + 1, count))
      to <- min(count, needed - 1)
      if (to == level) next
      levels[[to]] <- c(levels[[to]], levels[[level]][alias])
      levels[[level]] <- levels[[level]][names(levels[[level]]) != alias]
    }
  }
  levels
}

# The relation with all items, whose columns are these.
relation_with_items <- function(items, columns, where = NULL) {
  items$levels <- with_windows_late(items$levels, items$joins)
  relation <- with_levels(items, length(items$levels))
  relation$rounded <- items$rounded
  relation$prepare <- unique(c(relation$prepare, items$prepare))
  relation$crosses <- isTRUE(relation$crosses) || isTRUE(items$crosses)
  if (!is.null(where)) {
    relation <- with_part(relation, "*", paste0("\n  WHERE ", where$sql))
    relation$fewer <- TRUE
  }
  relation$columns <- lapply(stats::setNames(nm = columns), function(name) {
    operand <- items$columns[[name]]
    list(sql = operand$sql, type = operand$type, nan = operand$nan)
  })
  relation$hidden <- setdiff(c(items$taken, relation$hidden), sql_of(relation$columns))
  relation
}
