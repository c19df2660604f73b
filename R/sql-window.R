# Words that look at several rows, as SQL: ranks, running and moving words, which are windows.

# The groups of a node, or those of the step.
groups_of <- function(node, items) {
  groups <- if (is.null(node$within)) items$within else lapply(node$within, column_operand, items = items)
  note_crossing(groups, items)
  lapply(groups, group_operand)
}

# NaN and missing values are groups of their own in R, and there too.
group_operand <- function(group) {
  if (group$type == "opaque") not_in_sql("groups by a column that is only carried along")
  group
}

# The order of the rows for a node: its own, or the step's, and that of the table, which may only break ties.
order_of <- function(node, items, breaks_ties = FALSE) {
  along <- if (is.null(node$along)) items$along else along_operands(node$along, items)
  own <- if (!is.null(along)) order_terms(along$columns, along$descending, FALSE, items$dialect)
  if (!items$relation$has_key) needs_order(breaks_ties || !is.null(own) || items$relation$is_sorted, node)
  list(terms = c(own, items$relation$order), level = level_of(along$columns))
}

window_text <- function(groups, order = NULL, frame = NULL) {
  by <- sql_of(groups)
  parts <- c(if (length(by)) paste("PARTITION BY", paste(by, collapse = ", ")),
             if (length(order)) paste("ORDER BY", paste(order, collapse = ", ")), frame)
  paste0(" OVER (", paste(parts, collapse = " "), ")")
}

# An item that is a window over operands.
add_window <- function(sql, type, operands, items, level = 0, nan = FALSE) {
  add_item(items, new_operand(sql, type, max(level, level_of(operands)), nan = nan))
}

sql_row_number <- function(name, items) {
  if (name == ".rows" && !is.null(items$groups)) {
    return(add_group_item(items, as_integer_sql(items$dialect$count("*", ""), items$dialect), "integer"))
  }
  groups <- groups_of(list(), items)
  if (name == ".rows") {
    return(add_window(as_integer_sql(paste0("count(*)", window_text(groups)), items$dialect), "integer", groups, items))
  }
  order <- order_of(list(), items)
  number <- as_integer_sql(paste0("row_number()", window_text(groups, order$terms)), items$dialect)
  add_window(number, "integer", groups, items, order$level)
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
    known_only(as_integer_sql(value, items$dialect), x, "integer", groups, items, order$level)
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

as_integer_sql <- function(sql, dialect) paste0("CAST(", sql, " AS ", dialect$types[["integer"]], ")")

# Values of an operand as numbers of a type, whole or double.
as_number_sql <- function(sql, operand, type, dialect) {
  is_other <- operand$type == "logical" || operand$type == "integer" && type == "double"
  if (is_other) dialect$convert(sql, operand$type, type) else sql
}

# Missing values in a part of their own, so that those that are known are ranked among themselves.
with_known <- function(groups, x) c(groups, list(list(sql = paste0("(", known_number(x), " IS NULL)"))))

rank_order <- function(node, x, items, ties) {
  own <- order_terms(list(x), node$options$best == "highest", FALSE, items$dialect)
  if (!ties %in% c("first", "last")) return(list(terms = own, level = 0))
  order <- order_of(node, items, breaks_ties = TRUE)
  list(terms = c(own, if (ties == "last") reversed_order(order$terms) else order$terms), level = order$level)
}

reversed_order <- function(terms) {
  down <- grepl(" DESC NULLS", terms)
  terms <- ifelse(down, sub(" DESC NULLS", " NULLS", terms), sub(" NULLS", " DESC NULLS", terms))
  ifelse(grepl("NULLS LAST$", terms), sub("LAST$", "FIRST", terms), sub("FIRST$", "LAST", terms))
}

known_only <- function(sql, x, type, groups, items, level = 0) {
  add_window(paste0("(CASE WHEN ", is_known_number(x), " THEN ", sql, " END)"), type, c(list(x), groups),
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
  if (options$ties == "average" || options$as == "share") {
    position <- paste0("CAST(", position, " AS ", items$dialect$types[["double"]], ")")
    if (options$as == "share") position <- paste0(position, " / count(", known_number(x), ")", window_text(groups))
    return(known_only(position, x, "double", groups, items, order$level))
  }
  known_only(as_integer_sql(position, items$dialect), x, "integer", groups, items, order$level)
}

# What comes of the values in a window, `over`, of an ordered word: list of `sql` and `type`.
total_in_window <- function(node, x, known, over, items) {
  dialect <- items$dialect
  what <- node$word$what
  if (!x$type %in% c("logical", "integer", "double")) not_in_sql("`", node$word$name, "()` of this")
  if (what == "count") {
    return(list(sql = as_integer_sql(paste0("count(", known, ")", over), dialect), type = "integer"))
  }
  make <- dialect$aggregates[[if (what == "deviation") "variance" else what]]
  if (is.null(make)) not_in_sql("`", node$word$name, "()`")
  type <- if (what %in% c("mean", "deviation") || x$type == "double") "double" else "integer"
  if (type == "double" && !what %in% c("least", "greatest")) note_rounded(node$word, items)
  sql <- make(as_number_sql(known, x, type, dialect), over)
  if (what == "deviation") sql <- paste0("sqrt(", sql, ")")
  list(sql = if (type == "integer") dialect$whole(sql) else sql, type = type)
}

# NaN is missing to these words; where it stands it stays.
running_sql <- function(node, x, groups, items) {
  if (!node$options$missing %in% c("skip", "carry")) not_in_sql("`", node$word$name, "()` that stops")
  order <- order_of(node, items)
  over <- window_text(groups, order$terms, "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW")
  known <- known_number(x)
  found <- total_in_window(node, x, known, over, items)
  # Carried, a total of nothing is 0.
  if (node$options$missing == "carry" && node$word$what == "total") {
    found$sql <- paste0("coalesce(", found$sql, ", ", items$dialect$literal(0, found$type), ")")
  }
  if (node$options$missing == "skip") {
    found$sql <- paste0("(CASE WHEN ", is_known_number(x), " THEN ", found$sql,
                        if (x$nan && found$type == "double") paste(" ELSE", x$sql), " END)")
  }
  add_window(found$sql, found$type, c(list(x), groups), items, order$level, nan = items$dialect$has_nan)
}

# A missing value in the window makes the result missing, and NaN makes it NaN, unless they are skipped.
moving_sql <- function(node, x, groups, items) {
  # What is usual is left out of the options.
  options <- utils::modifyList(list(align = "end", missing = "stop"), node$options)
  is_time <- inherits(options$rows, "rowanroot_time_window")
  window <- if (is_time) window_of_time(node, options, groups, items) else window_of_rows(node, options, x, items)
  over <- window_text(groups, window$terms, window$frame)
  known <- known_number(x)
  found <- total_in_window(node, x, known, over, items)
  count <- function(what) paste0("count(", what, ")", over)
  stops <- options$missing == "stop" && node$word$what != "count"
  if (stops && x$nan) {
    found$sql <- paste0("CASE WHEN ", count(known), " = ", count(x$sql), " THEN ", found$sql, " ELSE ",
                        as_sql_type(sql_value(NaN, items), found$type, items)$sql, " END")
  }
  conditions <- c(window$conditions, if (options$short == "missing") window$whole(over),
                  if (stops) paste(count(x$sql), "=", count("*")))
  if (length(conditions)) {
    # A window that is longer than the table is an error.
    fails <- if (options$short == "missing" && !is_time) {
      sprintf(" WHEN count(*) OVER () < %.0f THEN %s", options$rows, failure_as(found$type, items$dialect))
    }
    found$sql <- paste0("(CASE WHEN ", paste(conditions, collapse = " AND "), " THEN ", found$sql, fails, " END)")
  }
  add_window(found$sql, found$type, c(list(x), groups), items, window$level, nan = items$dialect$has_nan)
}

# The order and the frame of a moving word, what must hold where it has a value, and what must hold where no row of the
# window lacks.
window_of_rows <- function(node, options, x, items) {
  order <- order_of(node, items)
  before <- switch(options$align, end = options$rows - 1, start = 0, centre = floor(options$rows / 2))
  frame <- sprintf("ROWS BETWEEN %.0f PRECEDING AND %.0f FOLLOWING", before, options$rows - 1 - before)
  is_rounded <- node$word$what == "mean" || node$word$what == "total" && x$type == "double"
  if (is_rounded) frame <- items$dialect$frame_of_sums(frame, options$rows)
  list(terms = order$terms, frame = frame, level = order$level,
       whole = function(over) sprintf("count(*)%s = %.0f", over, options$rows))
}

# All rows of the days in it, which are whole.
window_of_time <- function(node, options, groups, items) {
  along <- if (is.null(node$along)) items$along else along_operands(node$along, items)
  is_one_day <- length(along$columns) == 1 && along$columns[[1]]$type == "date" && !any(along$descending)
  if (!is_one_day) not_in_sql("a window of time that is not along a date")
  if (is.null(items$dialect$days_around)) not_in_sql("a window of time")
  day <- along$columns[[1]]
  window <- options$rows
  if (!window$unit %in% c(names(months_in), "days", "weeks")) not_in_sql("a window of ", window$unit, " along a date")
  half <- window$seconds / 86400 / 2
  so_long <- less_a_day(window$count, window$unit)
  reach <- switch(options$align, end = list(so_long, no_time), start = list(no_time, so_long),
                  centre = list(c(months = 0, days = floor(half)), c(months = 0, days = ceiling(half) - 1)))
  later <- function(sql, count, unit) {
    by <- lapply(list(count = count, unit = unit), sql_value, items = items)
    items$dialect$words$later_date(c(list(x = new_operand(sql, "date")), by), "date")$sql
  }
  of_group <- function(name) paste0(name, "(", day$sql, ")", window_text(groups))
  # It may begin or end a day beyond the group's own days.
  first <- function(count, unit) paste(later(day$sql, -count, unit), ">=", later(of_group("min"), -1, "days"))
  last <- function(count, unit) paste(later(day$sql, count, unit), "<=", later(of_group("max"), 1, "days"))
  whole <- function(over) {
    switch(options$align, end = first(window$count, window$unit), start = last(window$count, window$unit),
           centre = c(first(ceiling(half), "days"), last(ceiling(half), "days")))
  }
  c(items$dialect$days_around(day$sql, reach),
    list(conditions = paste(day$sql, "IS NOT NULL"), level = level_of(list(day)), whole = whole))
}

# From a day, that of so many units later being another window's.
less_a_day <- function(count, unit) {
  if (unit %in% names(months_in)) return(c(months = count * months_in[[unit]], days = -1))
  c(months = 0, days = count * c(days = 1, weeks = 7)[[unit]] - 1)
}

no_time <- c(months = 0, days = 0)

# Rows from one known value to before the next have counted as many; of their values one is known.
known_sql <- function(node, x, groups, items) {
  order <- order_of(node, items)
  frame <- if (node$word$what > 0) "ROWS BETWEEN UNBOUNDED PRECEDING AND CURRENT ROW"
           else "ROWS BETWEEN CURRENT ROW AND UNBOUNDED FOLLOWING"
  known <- known_number(x)
  counted <- add_window(paste0("count(", known, ")", window_text(groups, order$terms, frame)), "integer",
                        c(list(x), groups), items, order$level)
  make <- one_of_same(x$type, items$dialect)
  if (!x$type %in% c("logical", "integer", "double", "text", "date")) not_in_sql("`", node$word$name, "()` of this")
  add_window(make(known, window_text(c(groups, list(counted)))), x$type, c(list(x, counted), groups), items)
}

