# Formulas as SQL. What a statement of the language gives is an item of a subquery: windows can't stand in each other,
# and a column that is set may be used by the next line, so each item has a level. It is calculated in the subquery of
# that level, from what those before it have; columns of the table have level 0.

# Items of formulas for the rows of a relation. `within` and `along` are the step's own groups and order.
new_items <- function(relation, within = NULL, along = NULL) {
  items <- list2env(list(relation = relation, dialect = relation$dialect, columns = list(), levels = list(),
                         joins = list(), sent = character(),
                         shared = list(), taken = character(), within = NULL, along = NULL, groups = NULL),
                    parent = emptyenv())
  items$columns <- lapply(relation$columns, function(column) {
    new_operand(column$sql, column$type, nan = isTRUE(column$nan), simple = TRUE)
  })
  items$taken <- c(vapply(relation$columns, `[[`, "", "sql"), relation$hidden)
  items$within <- lapply(within, column_operand, items = items)
  items$along <- along_operands(along, items)
  items
}

new_operand <- function(sql, type, level = 0, nan = FALSE, simple = FALSE, value = NULL) {
  list(sql = sql, type = type, level = level, nan = nan && type == "double", simple = simple, value = value)
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
  while (length(items$levels) < level) items$levels <- c(items$levels, list(character()))
  items$levels[[level]][[alias]] <- operand$sql
  new_operand(alias, operand$type, level, operand$nan, simple = TRUE)
}

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
once <- function(operand, items) if (operand$simple || !is.null(operand$value)) operand else add_item(items, operand)

sql_node <- function(node, items) {
  switch(node$kind,
    column = column_operand(node$name, items),
    value = sql_value(node$value, items),
    rows = sql_row_number(node$name, items),
    word = sql_word(node, items),
    r_call = if (identical(node$word$kind, "look_up")) sql_look_up(node, items)
             else if (identical(node$word$sql, "in_values")) sql_in_values(node, items)
             else sql_call(node, items),
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
  operands <- lapply(unname(node$arguments), sql_node, items = items)
  types <- vapply(operands, `[[`, "", "type")
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
  new_operand(made$sql, type, level_of(operands), nan = items$dialect$has_nan && type == "double")
}

# A call of a function of R's or of ours, given its arguments in order: what it gives has the type of the first, or that
# which the dialect says.
sql_call <- function(node, items) {
  word <- node$word
  if (is.null(word$sql) || !goes_by_value(word, node$arguments) || !is.null(node$within)) {
    not_in_sql("`", node$name, "()`")
  }
  arguments <- as.list(node$arguments)
  given <- names_or_none(arguments)
  if (any(nzchar(given) & given != names(formals(word$fun))[seq_along(given)])) {
    not_in_sql("`", node$name, "()` with arguments in another order")
  }
  operands <- lapply(unname(arguments), sql_node, items = items)
  if (length(operands) != length(formals(word$fun))) not_in_sql("`", node$name, "()` like this")
  operands <- lapply(operands, once, items = items)
  made_of_word(word, operands, operands[[1]]$type, items)
}

# A missing condition gives a missing value; but where it picks rows, these stay as they are.
sql_choice <- function(node, items) {
  condition <- sql_node(node$condition, items)
  if (!condition$type %in% c("logical", "missing")) not_in_sql("a condition that is a number")
  condition <- as_sql_type(condition, "logical", items)
  branches <- lapply(node[c("yes", "no")], sql_node, items = items)
  type <- common_sql_type(vapply(branches, `[[`, "", "type"))
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
  if (length(known) == 1 && !known %in% c("logical", "integer", "double", "text")) return(known)
  if (any(known %in% c("date", "opaque"))) not_in_sql("branches of several types")
  type <- common_type(types)
  if (is.na(type)) not_in_sql("branches of several types")
  type
}

# Windows.

# The groups of a node, or those of the step.
groups_of <- function(node, items) {
  groups <- if (is.null(node$within)) items$within else lapply(node$within, column_operand, items = items)
  lapply(groups, group_operand, items = items)
}

# NaN and missing values are groups of their own in R, and so are they here.
group_operand <- function(group, items) {
  if (group$type == "opaque") not_in_sql("groups by a column that is only carried along")
  group
}

# The order of the rows for a node: its own, or the step's, and that of the table.
order_of <- function(node, items) {
  along <- if (is.null(node$along)) items$along else along_operands(node$along, items)
  own <- if (!is.null(along)) order_terms(along$columns, along$descending, FALSE, items$dialect)
  if (!items$relation$has_key) {
    if (is.null(own)) not_in_sql("the order of rows: the table has no primary key, and no `along` is given")
    not_in_sql("the order of rows that are alike in `along`: the table has no primary key")
  }
  list(terms = c(own, items$relation$order), level = level_of(along$columns))
}

window_text <- function(groups, order = NULL, frame = NULL) {
  by <- vapply(groups, `[[`, "", "sql")
  parts <- c(if (length(by)) paste("PARTITION BY", paste(by, collapse = ", ")),
             if (length(order)) paste("ORDER BY", paste(order, collapse = ", ")), frame)
  paste0(" OVER (", paste(parts, collapse = " "), ")")
}

# An item that is a window over operands.
add_window <- function(sql, type, operands, items, level = 0, nan = FALSE) {
  add_item(items, new_operand(sql, type, max(level, level_of(operands)), nan = nan))
}

sql_row_number <- function(name, items) {
  groups <- groups_of(list(), items)
  if (name == ".rows") {
    if (!is.null(items$groups)) return(add_group_item(items, as_integer_sql("count(*)", items), "integer"))
    return(add_window(as_integer_sql(paste0("count(*)", window_text(groups)), items), "integer", groups, items))
  }
  order <- order_of(list(), items)
  add_window(as_integer_sql(paste0("row_number()", window_text(groups, order$terms)), items), "integer", groups, items,
             order$level)
}

# What is left out, or makes the result missing, is decided here, for all servers and all aggregates.
sql_aggregate <- function(node, items) {
  word <- node$word
  in_groups <- !is.null(items$groups)
  if (in_groups && !is.null(node$within)) not_in_sql("groups within groups")
  rows <- if (in_groups) items$groups else items
  x <- once(sql_node(node$argument, rows), rows)
  groups <- if (!in_groups) groups_of(node, items) else list()
  over <- if (in_groups) "" else window_text(groups)
  found <- aggregate_sql(word, x, node$skip_missing, over, items$dialect)
  if (in_groups) return(add_group_item(items, found$sql, found$type, found$nan, x$level))
  add_window(found$sql, found$type, c(list(x), groups), items, nan = found$nan)
}

aggregate_sql <- function(word, x, skip, over, dialect) {
  count <- function(what) paste0("count(", what, ")", over)
  as_whole <- function(sql) paste0("CAST(", sql, " AS ", dialect$types[["integer"]], ")")
  what <- word$what
  if (word$name == "length") return(list(sql = as_whole(count("*")), type = "integer", nan = FALSE))
  known <- if (skip) known_number(x) else x$sql
  if (word$name == "count_known") return(list(sql = as_whole(count(known_number(x))), type = "integer", nan = FALSE))
  make <- if (word$memory %in% c("moments", "truth")) dialect$aggregates[[what]]
  if (is.null(make)) not_in_sql("`", word$name, "()`")
  type <- aggregate_type(word, x$type)
  if (what %in% c("any", "all")) return(list(sql = truth_sql(what, make, known, skip, over), type = type, nan = FALSE))
  argument <- if (type == "double" && x$type != "double") dialect$convert(known, x$type, "double")
              else if (x$type == "logical") dialect$convert(known, "logical", "integer")
              else paste0(known, if (type == "text") paste(" COLLATE", dialect$collation))
  sql <- make(argument, over)
  if (type == "integer") sql <- dialect$whole(sql)
  if (identical(word$finish, sqrt)) sql <- paste0("sqrt(", sql, ")")
  if (x$nan && !skip && what %in% c("least", "greatest")) {
    sql <- paste0("CASE WHEN ", count(known_number(x)), " = ", count("*"), " THEN ", sql, " ELSE 'NaN' END")
  }
  sql <- if (!skip) paste0("(CASE WHEN ", count(known), " = ", count("*"), " THEN ", sql, " END)")
         else if (what == "sum") paste0("coalesce(", sql, ", 0)")
         else if (what == "mean") dialect$mean_of_none(sql)
         else if (what == "variance") sql
         else paste0("(CASE WHEN ", dialect$not_nought(count(known)), " THEN ", sql, " END)")
  list(sql = sql, type = type, nan = dialect$has_nan && type == "double")
}

aggregate_type <- function(word, type) {
  if (word$what %in% c("any", "all")) {
    if (type != "logical") not_in_sql("`", word$name, "()` of numbers")
    return("logical")
  }
  if (type %in% c("text", "date")) {
    if (word$what %in% c("least", "greatest")) return(type)
    not_in_sql("`", word$name, "()` of columns of type ", type)
  }
  if (!type %in% c("logical", "integer", "double")) not_in_sql("`", word$name, "()` of this")
  if (word$what %in% c("mean", "variance") || type == "double") "double" else "integer"
}

# any() of a missing value and no TRUE is missing.
truth_sql <- function(which, make, x, skip, over) {
  found <- make(x, over)
  settled <- if (which == "any") "TRUE" else "FALSE"
  other <- if (which == "any") "FALSE" else "TRUE"
  if (skip) return(paste0("coalesce(", found, ", ", other, ")"))
  paste0("(CASE WHEN ", found, " = ", settled, " THEN ", settled, " WHEN count(", x, ")", over, " = count(*)", over,
         " THEN ", other, " END)")
}

sql_ordered <- function(node, items) {
  make <- ordered_in_sql[[c(node$word$memory, "none")[1]]]
  if (is.null(make)) not_in_sql("`", node$word$name, "()`")
  make(node, once(sql_node(node$argument, items), items), groups_of(node, items), items)
}

# Ordered words by the way in which the engine in memory has them.
ordered_in_sql <- list(
  ranking = function(node, x, groups, items) ranking_sql(node, x, groups, items),
  parts = function(node, x, groups, items) {
    order <- rank_order(node, x, items, "first")
    value <- paste0("ntile(", format(node$options$parts, scientific = FALSE), ")",
                    window_text(with_known(groups, x), order$terms))
    known_only(as_integer_sql(value, items), x, "integer", groups, items, order$level)
  },
  neighbour = function(node, x, groups, items) {
    order <- order_of(node, items)
    default <- sql_value(node$options$default, items)
    default <- if (default$type != "missing") paste0(", ", as_sql_type(default, x$type, items)$sql)
    name <- if (node$word$what > 0) "lag" else "lead"
    add_window(paste0(name, "(", x$sql, ", ", format(node$options$rows, scientific = FALSE), default, ")",
                      window_text(groups, order$terms)), x$type, c(list(x), groups), items, order$level, nan = x$nan)
  },
  running = function(node, x, groups, items) running_sql(node, x, groups, items),
  moving = function(node, x, groups, items) moving_sql(node, x, groups, items),
  known = function(node, x, groups, items) known_sql(node, x, groups, items)
)

as_integer_sql <- function(sql, items) paste0("CAST(", sql, " AS ", items$dialect$types[["integer"]], ")")

# Missing values in a part of their own, so that those that are known are ranked among themselves.
with_known <- function(groups, x) c(groups, list(list(sql = paste0("(", known_number(x), " IS NULL)"))))

rank_order <- function(node, x, items, ties) {
  own <- order_terms(list(x), node$options$best == "highest", FALSE, items$dialect)
  if (!ties %in% c("first", "last")) return(list(terms = own, level = 0))
  order <- order_of(node, items)
  list(terms = c(own, if (ties == "last") reversed_order(order$terms) else order$terms), level = order$level)
}

reversed_order <- function(terms) {
  down <- grepl(" DESC NULLS", terms)
  terms <- ifelse(down, sub(" DESC NULLS", " NULLS", terms), sub(" NULLS", " DESC NULLS", terms))
  ifelse(grepl("NULLS LAST$", terms), sub("LAST$", "FIRST", terms), sub("FIRST$", "LAST", terms))
}

known_only <- function(sql, x, type, groups, items, level = 0) {
  add_window(paste0("(CASE WHEN ", known_number(x), " IS NOT NULL THEN ", sql, " END)"), type, c(list(x), groups),
             items, level)
}

ranking_sql <- function(node, x, groups, items) {
  options <- node$options
  if (options$missing != "keep") not_in_sql("ranks of missing values")
  # The two of the standard have a rule of their own for ties.
  ties <- if (options$as %in% c("percent_rank", "cume_dist")) "min" else options$ties
  order <- rank_order(node, x, items, ties)
  # Missing values come last: they count only where all rows are counted.
  parts <- if (options$as == "position") groups else with_known(groups, x)
  over <- window_text(parts, order$terms)
  if (options$as %in% c("percent_rank", "cume_dist")) {
    return(known_only(paste0(options$as, "()", over), x, "double", groups, items))
  }
  equals <- paste0("count(*)", window_text(c(parts, list(list(sql = known_number(x))))))
  position <- switch(options$ties,
    min = paste0("rank()", over), dense = paste0("dense_rank()", over),
    first = , last = paste0("row_number()", over),
    max = paste0("(rank()", over, " + ", equals, " - 1)"),
    average = paste0("(rank()", over, " + (", equals, " - 1) / 2.0)")
  )
  if (options$as == "share") not_in_sql("`ranking(as = \"share\")`")
  if (options$ties == "average") {
    position <- paste0("CAST(", position, " AS ", items$dialect$types[["double"]], ")")
    return(known_only(position, x, "double", groups, items))
  }
  known_only(as_integer_sql(position, items), x, "integer", groups, items, order$level)
}

# What comes of the values in a window, `over`, of an ordered word: list of `sql` and `type`.
total_in_window <- function(node, x, known, over, items) {
  dialect <- items$dialect
  what <- node$word$what
  if (!x$type %in% c("logical", "integer", "double")) not_in_sql("`", node$word$name, "()` of this")
  if (what == "count") return(list(sql = as_integer_sql(paste0("count(", known, ")", over), items), type = "integer"))
  make <- dialect$aggregates[[what]]
  if (is.null(make)) not_in_sql("`", node$word$name, "()`")
  type <- if (what == "mean" || x$type == "double") "double" else "integer"
  argument <- if (x$type != "double" && (type == "double" || x$type == "logical")) dialect$convert(known, x$type, type)
              else known
  sql <- make(argument, over)
  list(sql = if (type == "integer") dialect$whole(sql) else sql, type = type)
}

# NaN is missing to these words; where it stands it stays.
running_sql <- function(node, x, groups, items) {
  if (!node$options$missing %in% c("skip", "carry")) not_in_sql("`", node$word$name, "()` that stops")
  order <- order_of(node, items)
  over <- window_text(groups, order$terms, "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW")
  known <- known_number(x)
  found <- total_in_window(node, x, known, over, items)
  if (node$options$missing == "skip") {
    found$sql <- paste0("(CASE WHEN ", known, " IS NOT NULL THEN ", found$sql,
                        if (x$nan && found$type == "double") paste(" ELSE", x$sql), " END)")
  }
  add_window(found$sql, found$type, c(list(x), groups), items, order$level, nan = items$dialect$has_nan)
}

moving_sql <- function(node, x, groups, items) {
  # What is usual is left out of the options.
  options <- utils::modifyList(list(align = "end", missing = "stop"), node$options)
  if (!is.numeric(options$rows) || is.object(options$rows)) not_in_sql("windows of time")
  if (x$nan && (node$word$what != "count" || options$missing == "skip")) not_in_sql("moving words of what may be NaN")
  before <- switch(options$align, end = options$rows - 1, start = 0, centre = (options$rows - 1) / 2)
  if (before != floor(before)) not_in_sql("a window of an even number of rows around a row")
  order <- order_of(node, items)
  over <- window_text(groups, order$terms, sprintf("ROWS BETWEEN %.0f PRECEDING AND %.0f FOLLOWING", before,
                                                   options$rows - 1 - before))
  found <- total_in_window(node, x, known_number(x), over, items)
  conditions <- c(if (options$short == "missing") sprintf("count(*)%s = %.0f", over, options$rows),
                  if (options$missing == "stop" && node$word$what != "count") {
                    paste0("count(", x$sql, ")", over, " = count(*)", over)
                  })
  if (length(conditions)) {
    found$sql <- paste0("(CASE WHEN ", paste(conditions, collapse = " AND "), " THEN ", found$sql, " END)")
  }
  if (options$missing == "skip" && node$word$what == "total") not_in_sql("`moving_total()` that skips")
  add_window(found$sql, found$type, c(list(x), groups), items, order$level)
}

# Rows from one known value to before the next have counted as many; of their values one is known.
known_sql <- function(node, x, groups, items) {
  order <- order_of(node, items)
  frame <- if (node$word$what > 0) "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW"
           else "ROWS BETWEEN CURRENT ROW AND UNBOUNDED FOLLOWING"
  known <- known_number(x)
  counted <- add_window(paste0("count(", known, ")", window_text(groups, order$terms, frame)), "integer",
                        c(list(x), groups), items, order$level)
  make <- items$dialect$aggregates[[if (x$type == "logical") "any" else "greatest"]]
  if (!x$type %in% c("logical", "integer", "double", "text", "date")) not_in_sql("`", node$word$name, "()` of this")
  add_window(make(known, window_text(c(groups, list(counted)))), x$type, c(list(x, counted), groups), items)
}

# Subqueries for all items, up to what `select` has: columns by name as operands.
relation_with_items <- function(items, columns, where = NULL) {
  relation <- items$relation
  relation$parts <- c(relation$parts, items$sent)
  for (level in seq_along(items$levels)) {
    of_level <- items$levels[[level]]
    joins <- if (level <= length(items$joins)) items$joins[[level]]
    if (length(joins) && !grepl("^step_[0-9]+$", relation$from)) relation <- with_part(relation, "*")
    rest <- paste0(if (length(joins)) paste0(" AS base", paste(joins, collapse = "")),
                   if (level %% 4 == 0) items$dialect$fence)
    relation <- with_part(relation, c("*", selected(of_level, names(of_level))), rest)
  }
  if (!is.null(where)) relation <- with_part(relation, "*", paste0("\n  WHERE ", where$sql))
  relation$columns <- lapply(stats::setNames(nm = columns), function(name) {
    operand <- items$columns[[name]]
    list(sql = operand$sql, type = operand$type, nan = operand$nan)
  })
  relation$hidden <- setdiff(c(items$taken, relation$hidden), vapply(relation$columns, `[[`, "", "sql"))
  relation
}
