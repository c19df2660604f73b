# Values of another table: one that is there is joined, one that is here is sent with the statement.

most_sent <- 10000

sql_look_up <- function(node, items) {
  arguments <- node$arguments
  given <- names_or_none(as.list(arguments))
  option <- function(name) arguments[[name]]$value
  if (!is.null(items$groups) || !is.null(option("match"))) not_in_sql("`look_up()` like this")
  keys <- lapply(unname(arguments[!nzchar(given)]), function(key) once(sql_node(key, items), items))
  there <- items$relation$tables[[c(node$looked_up$origin$key, "")[1]]]
  joined <- if (is.null(there)) look_up_sent(option("table"), option("by"), option("take"), keys, items)
            else look_up_there(there, option("by"), option("take"), keys, items)
  # What is not found makes the statement fail: here the error says which.
  failure <- failure_as(joined$type, items$dialect)
  known <- paste0(vapply(keys, known_number, ""), " IS NOT NULL", collapse = " AND ")
  cases <- c(if (option("unknown") == "error") paste(joined$found, "IS NULL AND", known), joined$fails)
  sql <- if (!length(cases)) joined$sql
         else paste0("(CASE", paste0(" WHEN ", cases, " THEN ", failure, collapse = ""), " ELSE ", joined$sql, " END)")
  new_operand(sql, joined$type, joined$level, nan = joined$type == "double" && items$dialect$has_nan)
}

look_up_sent <- function(table, by, take, keys, items) {
  sent <- sent_table(table, by, take)
  Map(check_key_in_sql, keys, lapply(sent$keys, sent_type))
  if (any(vapply(keys, `[[`, NA, "nan"))) not_in_sql("keys that may be NaN")
  join_sent(sent, keys, items)
}

check_key_in_sql <- function(key, type) {
  if (!key$type %in% c("logical", "integer", "double", "text", "date")) not_in_sql("keys of type ", key$type)
  if (key$type != type && !all(c(key$type, type) %in% c("integer", "double"))) not_in_sql("keys of type ", key$type)
}

# One row of each key; if any has several, what is looked up fails.
look_up_there <- function(there, by, take, keys, items) {
  if (length(take) != 1) not_in_sql("`look_up()` of several columns")
  columns <- there$columns[c(by, take)]
  types <- types_in_sql(columns)
  Map(check_key_in_sql, keys, types[seq_along(by)])
  if (!types[length(types)] %in% names(items$dialect$types)) not_in_sql("`look_up()` of this")
  items$crosses <- TRUE
  items$prepare <- c(items$prepare, there$prepare)
  own <- sql_of(columns)
  known <- vapply(lapply(columns[seq_along(by)], column_as_operand), known_number, "")
  values <- vapply(columns, function(column) item_name(items, NULL), "")
  place <- item_name(items, NULL)
  times <- item_name(items, NULL)
  over <- paste0("OVER (PARTITION BY ", paste(own[seq_along(by)], collapse = ", "))
  there <- with_part(there, c(paste(own, "AS", values),
                              paste0("row_number() ", over, " ORDER BY ", own[1], ") AS ", place),
                              paste0("count(*) ", over, ") AS ", times)),
                     paste0("\n  WHERE ", paste(known, "IS NOT NULL", collapse = " AND ")))
  there <- with_part(there, c(values, place, paste0("max(", times, ") OVER () AS ", times)))
  there <- with_part(there, c(values, times), paste0("\n  WHERE ", place, " = 1"))
  found <- join_part(paste("SELECT * FROM", subquery(there), "AS other"), NULL, utils::head(values, -1), keys, items)
  list(sql = values[[length(values)]], found = values[[1]], type = types[[length(types)]], level = found,
       fails = paste(times, "> 1"))
}

# `x %in% c("a", "b")`: never missing; a missing value is among others if one of these is missing.
sql_in_values <- function(node, items) {
  x <- once(sql_node(node$arguments[[1]], items), items)
  values <- node$arguments[[2]]
  if (values$kind != "value" || !is.atomic(values$value)) not_in_sql("`%in%` of columns")
  values <- values$value
  type <- if (all(is.na(values))) x$type else sent_type(values)
  if (x$type == "integer" && type == "double") x <- as_sql_type(x, "double", items)
  if (x$type == "double" && type == "integer") type <- "double"
  if (x$type != type || !type %in% c("integer", "double", "text", "date")) not_in_sql("`%in%` of several types")
  if (any(is.nan(values))) not_in_sql("`%in%` with NaN")
  known <- unique(values[!is.na(values)])
  if (length(known) > most_sent) not_in_sql("`%in%` of more than ", format(most_sent, big.mark = ","), " values")
  one <- function(k) if (type == "double") as.numeric(known[k]) else known[k]
  literals <- vapply(seq_along(known), function(k) sql_literal(items$dialect, one(k)), "")
  compared <- in_code_points(known_number(x), x, items$dialect$collation)
  found <- if (length(known)) paste0("coalesce(", compared, " IN (", paste(literals, collapse = ", "), "), FALSE)")
  missing <- if (anyNA(values)) paste0(x$sql, " IS NULL")
  new_operand(paste0("(", paste(c(missing, found, if (!length(values)) "FALSE"), collapse = " OR "), ")"), "logical",
              x$level)
}

# The columns of a table, or a vector with names, that are sent: those of its `keys`, each once, and what is `taken`.
sent_table <- function(table, by, take) {
  if (!is.data.frame(table)) {
    keys <- list(names(table))
    taken <- unname(table)
  } else {
    if (length(take) != 1) not_in_sql("`look_up()` of several columns")
    keys <- unname(as.list(table)[by])
    taken <- table[[take]]
  }
  rows <- length(taken)
  if (rows > most_sent) not_in_sql("`look_up()` in a table of more than ", format(most_sent, big.mark = ","), " rows")
  if (!rows || any(vapply(keys, anyNA, NA))) not_in_sql("`look_up()` in a table without keys, or with missing ones")
  if (anyDuplicated(do.call(paste, c(keys, sep = "\r")))) not_in_sql("`look_up()` by keys that come again")
  list(keys = keys, taken = taken)
}

sent_type <- function(column) {
  if (inherits(column, "Date")) return("date")
  type <- value_type(column)
  if (type == "other") not_in_sql("a column of class ", class(column)[1], " that is here")
  type
}

# A part with the rows that are sent, and an item of the subquery that joins it.
join_sent <- function(sent, keys, items) {
  dialect <- items$dialect
  columns <- c(sent$keys, list(sent$taken))
  names <- vapply(columns, function(column) item_name(items, NULL), "")
  values <- lapply(columns, function(column) {
    null <- typed_null(sent_type(column), items)
    vapply(seq_along(column), function(k) {
      value <- column[k]
      if (is.na(value) && !is.nan(value)) null else sql_literal(dialect, value)
    }, "")
  })
  rows <- paste0("VALUES ", paste0("(", do.call(paste, c(values, sep = ", ")), ")", collapse = ",\n    "))
  level <- join_part(rows, names, utils::head(names, -1), keys, items)
  list(sql = utils::tail(names, 1), found = names[1], type = sent_type(sent$taken), level = level)
}

# Joins a part, whose columns get these `names`, by its columns `by`; gives the level at which all of its columns are
# there.
join_part <- function(sql, names, by, keys, items) {
  part <- paste0("look_", length(items$sent) + length(items$relation$parts) + 1)
  called <- if (length(names)) paste0(" (", paste(names, collapse = ", "), ")")
  items$sent[[paste0(part, called)]] <- sql
  level <- level_of(keys) + 1
  own <- vapply(keys, function(key) known_number(utils::modifyList(key, list(sql = paste0("base.", key$sql)))), "")
  items$levels <- with_length(items$levels, level)
  items$joins <- with_length(items$joins, level)
  on <- paste(own, "=", by, collapse = " AND ")
  items$joins[[level]] <- c(items$joins[[level]], paste0("\n  LEFT JOIN ", part, " ON ", on))
  level
}
