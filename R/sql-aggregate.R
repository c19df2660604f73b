# Aggregates, as SQL: of groups that become one row, or windows.

# What is left out, or makes the result missing, is decided here, for all servers and all aggregates.
sql_aggregate <- function(node, items) {
  word <- node$word
  in_groups <- !is.null(items$groups)
  if (in_groups && !is.null(node$within)) not_in_sql("groups within groups")
  rows <- if (in_groups) items$groups else items
  x <- once(sql_node(node$argument, rows), rows)
  groups <- if (in_groups) items$groups$keys else groups_of(node, items)
  over <- if (in_groups) "" else window_text(groups)
  by_order <- aggregates_by_order[[c(if (word$memory != "rows") word$memory, word$name)[1]]]
  if (!is.null(by_order)) {
    if (!is.null(items$partials)) not_in_sql("`", word$name, "()` of several servers")
    return(by_order(node, x, groups, items))
  }
  found <- aggregate_sql(word, x, node$skip_missing, over, items$dialect)
  if (found$type == "double" && !word$what %in% c("least", "greatest")) note_rounded(word, items)
  if (in_groups) return(add_group_item(items, found$sql, found$type, found$nan, x$level))
  add_window(found$sql, found$type, c(list(x), groups), items, nan = found$nan)
}

aggregate_sql <- function(word, x, skip, over, dialect) {
  count <- function(what) dialect$count(what, over)
  what <- word$what
  if (word$name == "length") return(list(sql = as_integer_sql(count("*"), dialect), type = "integer", nan = FALSE))
  known <- if (skip) known_number(x) else x$sql
  if (word$name == "count_known") return(list(sql = as_integer_sql(count(known_number(x)), dialect), type = "integer",
                                             nan = FALSE))
  make <- if (word$memory %in% c("moments", "truth")) dialect$aggregates[[what]]
  if (is.null(make)) not_in_sql("`", word$name, "()`")
  type <- aggregate_type(word, x$type)
  if (what %in% c("any", "all")) {
    return(list(sql = truth_sql(what, make, known, skip, over, count), type = type, nan = FALSE))
  }
  argument <- in_code_points(as_number_sql(known, x, type, dialect), x, dialect$collation)
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
truth_sql <- function(which, make, x, skip, over, count) {
  found <- make(x, over)
  settled <- if (which == "any") "TRUE" else "FALSE"
  other <- if (which == "any") "FALSE" else "TRUE"
  if (skip) return(paste0("coalesce(", found, ", ", other, ")"))
  all_known <- paste(count(x), "=", count("*"))
  paste0("(CASE WHEN ", found, " = ", settled, " THEN ", settled, " WHEN ", all_known, " THEN ", other, " END)")
}

# Aggregates for which the rows of a group are put in order first: each row gets its place, and those at certain places
# are picked.
aggregates_by_order <- list(
  edge = function(node, x, groups, items) edge_sql(node, x, groups, items),
  quantile = function(node, x, groups, items) quantile_sql(node, x, groups, items),
  count_distinct = function(node, x, groups, items) count_distinct_sql(x, groups, items)
)

# The rows that formulas see before they are put into groups.
rows_before_groups <- function(items) if (is.null(items$groups)) items else items$groups

# One value of each group: an aggregate of an operand of its rows. `make` is given the operand's SQL and the window.
group_value <- function(make, operand, type, groups, items, nan = FALSE) {
  if (!is.null(items$groups)) return(add_group_item(items, make(operand$sql, ""), type, nan, operand$level))
  add_window(make(operand$sql, window_text(groups)), type, c(list(operand), groups), items, nan = nan)
}

# All rows of the group get the value, of which one is picked.
edge_sql <- function(node, x, groups, items) {
  if (!x$type %in% names(items$dialect$types)) not_in_sql("`", node$word$name, "()` of this")
  rows <- rows_before_groups(items)
  order <- order_of(node, rows)
  terms <- if (node$word$what == "last") reversed_order(order$terms) else order$terms
  value <- add_window(paste0("first_value(", x$sql, ")", window_text(groups, terms)), x$type, c(list(x), groups), rows,
                      order$level, nan = x$nan)
  group_value(one_of_same(x$type, items$dialect), value, x$type, groups, items, nan = x$nan)
}

count_distinct_sql <- function(x, groups, items) {
  dialect <- items$dialect
  known <- in_code_points(known_number(x), x, dialect$collation)
  if (!x$type %in% names(dialect$types)) not_in_sql("`count_distinct()` of this")
  if (!is.null(items$groups)) {
    return(add_group_item(items, as_integer_sql(paste0("count(DISTINCT ", known, ")"), dialect), "integer",
                          level = x$level))
  }
  terms <- order_terms(list(x), FALSE, FALSE, dialect)
  number <- add_window(paste0("(CASE WHEN ", known, " IS NOT NULL THEN dense_rank()",
                              window_text(with_known(groups, x), terms), " END)"), "integer", c(list(x), groups), items)
  group_value(function(sql, over) as_integer_sql(paste0("coalesce(max(", sql, ")", over, ", 0)"), dialect), number,
              "integer", groups, items)
}

# The value in the middle, or the mean of the two there; or that between two at a share of the way. Of whole numbers it
# may be whole.
quantile_sql <- function(node, x, groups, items) {
  dialect <- items$dialect
  is_median <- node$word$name == "median"
  if (x$type != "double" && (is_median || x$type != "integer")) not_in_sql("`", node$word$name, "()` of this")
  rows <- rows_before_groups(items)
  note_rounded(node$word, items)
  known <- known_number(x)
  terms <- order_terms(list(x), FALSE, FALSE, dialect)
  place <- add_window(paste0("row_number()", window_text(with_known(groups, x), terms)), "integer",
                      c(list(x), groups), rows)
  count <- add_window(paste0("count(", known, ")", window_text(groups)), "integer", c(list(x), groups), rows)
  level <- level_of(c(list(x, place, count), groups))
  at <- function(places) {
    new_operand(paste0("(CASE WHEN ", known, " IS NOT NULL AND ", place$sql, " IN (", places, ") THEN ",
                       as_number_sql(x$sql, x, "double", dialect), " END)"), "double", level)
  }
  if (!is_median) return(between_sql(node, x, at, count, groups, items))
  make <- function(sql, over) {
    value <- dialect$aggregates$mean(sql, over)
    if (node$skip_missing) return(value)
    paste0("(CASE WHEN ", dialect$count(known, over), " = ", dialect$count("*", over), " THEN ", value, " END)")
  }
  middle <- at(paste0("(", count$sql, " + 1) / 2, (", count$sql, " + 2) / 2"))
  group_value(make, middle, "double", groups, items, nan = dialect$has_nan)
}

# R's seventh way: between the values at both sides of the place, as far as the place is from the first. The statement
# fails where values are missing, as R does.
between_sql <- function(node, x, at, count, groups, items) {
  dialect <- items$dialect
  place_of <- function(count) {
    share <- dialect$literal(as.numeric(node$share), "double")
    paste0("(", dialect$convert(paste0("(", count, " - 1)"), "integer", "double"), " * ", share, " + 1)")
  }
  whole <- function(count) dialect$whole_part(place_of(count))
  pick <- function(operand) group_value(dialect$aggregates$greatest, operand, "double", groups, items)
  lower <- once(pick(at(whole(count$sql))), items)
  upper <- once(pick(at(paste0(whole(count$sql), " + 1"))), items)
  known <- known_number(x)
  counted <- once(group_value(function(sql, over) paste0("count(", sql, ")", over), new_operand(known, x$type, x$level),
                              "integer", groups, items), items)
  all <- once(group_value(function(sql, over) paste0("count(*)", over), x, "integer", groups, items), items)
  beyond <- paste0("(", place_of(counted$sql), " - ", whole(counted$sql), ")")
  value <- paste0("CASE WHEN ", beyond, " > 0 AND ", upper$sql, " <> ", lower$sql, " THEN (1 - ", beyond, ") * ",
                  lower$sql, " + ", beyond, " * ", upper$sql, " ELSE ", lower$sql, " END")
  if (!node$skip_missing) {
    value <- paste0("CASE WHEN ", counted$sql, " = ", all$sql, " THEN ", value, " ELSE ", failure_as("double", dialect),
                    " END")
  }
  new_operand(paste0("(", value, ")"), "double", level_of(list(lower, upper, counted, all)))
}
