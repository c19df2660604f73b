# Words that are short for a longer formula: it is bound in their place, and so compiled with the rest.

# A word that is row-wise may stand in a function of one row.
derived_word <- function(name, fun, bind, row_wise = FALSE) list(name = name, fun = fun, bind = bind, row_wise = row_wise)

make_derived_words <- function() {
  across <- function(name, fun, what) derived_word(name, fun, function(given, expr, scope) bind_across(what, given, expr, scope), row_wise = TRUE)
  entries <- list(
    derived_word("z_score", z_score, bind_z_score), derived_word("min_max", min_max, bind_min_max), derived_word("share", share, bind_share),
    derived_word("change", change, bind_change), derived_word("only_once", only_once, bind_only_once),
    derived_word("first_known", first_known, bind_first_known, row_wise = TRUE), derived_word("known", known, bind_known, row_wise = TRUE),
    derived_word("in_range", in_range, bind_in_range, row_wise = TRUE),
    across("row_total", row_total, "total"), across("row_mean", row_mean, "mean"), across("row_min", row_min, "min"), across("row_max", row_max, "max")
  )
  stats::setNames(entries, vapply(entries, `[[`, "", "name"))
}

delayedAssign("derived_words", make_derived_words())

bind_derived <- function(name, fun, expr, scope) {
  entry <- derived_words[[name]]
  if (is.null(entry) || !identical(entry$fun, fun)) return(NULL)
  if (!is.null(scope$in_function) && !entry$row_wise) give_up()
  given <- word_given(fun, expr, scope)
  if ("x" %in% names(formals(fun)) && is.null(given$x)) {
    stop_because(c("{.code {name}()} needs a column.", "x" = "None is given in {.code {scope_text(scope)}}."), "bad_argument", scope$call)
  }
  entry$bind(given, expr, scope)
}

word_node <- function(name, ..., shown) list(kind = "word", word = words[[name]], arguments = list(...), shown = shown)

# Over the column or the group, without what is missing.
known_aggregate <- function(name, x, given, expr, scope) {
  list(kind = "aggregate", entry = aggregates[[name]], argument = x, skip_missing = TRUE, within = given_groups(given, scope),
       shown = expr, env = scope$env)
}

bind_z_score <- function(given, expr, scope) {
  x <- shared(bind_formula(given$x, scope))
  sd <- option_values(given["sd"[!is.null(given$sd)]], scope)$sd
  sd <- check_one_of(if (is.null(sd)) "sample" else sd, c("sample", "population"), "sd", scope$call)
  spread <- known_aggregate("sd", x, given, expr, scope)
  if (sd == "population") {
    count <- shared(known_aggregate("count_known", x, given, expr, scope))
    less_one <- word_node("-", count, value_node(1, 1), shown = expr)
    spread <- word_node("*", spread, word_node("sqrt", word_node("/", less_one, count, shown = expr), shown = expr), shown = expr)
  }
  word_node("/", word_node("-", x, known_aggregate("mean", x, given, expr, scope), shown = expr), spread, shown = expr)
}

bind_min_max <- function(given, expr, scope) {
  x <- shared(bind_formula(given$x, scope))
  to <- option_values(given["to"[!is.null(given$to)]], scope)$to
  if (is.null(to)) to <- c(0, 1)
  if (!is.numeric(to) || length(to) != 2 || anyNA(to)) {
    stop_because(c("{.arg to} must be two numbers, the ends of the range.", "x" = "It is {what_is(to)}."), "bad_argument", scope$call)
  }
  least <- shared(known_aggregate("min", x, given, expr, scope))
  greatest <- known_aggregate("max", x, given, expr, scope)
  # The distance of two whole numbers may be too large for one.
  distance <- function(a, b) list(kind = "word", word = real_difference, arguments = list(a, b), shown = expr)
  position <- word_node("/", distance(x, least), distance(greatest, least), shown = expr)
  if (identical(as.numeric(to), c(0, 1))) return(position)
  width <- value_node(to[2] - to[1], to[2] - to[1])
  word_node("+", value_node(to[1], to[1]), word_node("*", position, width, shown = expr), shown = expr)
}

bind_share <- function(given, expr, scope) {
  x <- shared(bind_formula(given$x, scope))
  word_node("/", x, known_aggregate("sum", word_node("as.numeric", x, shown = expr), given, expr, scope), shown = expr)
}

bind_change <- function(given, expr, scope) {
  x <- shared(bind_formula(given$x, scope))
  entry <- ordered_words$previous
  options <- entry$check(option_values(given["by"[!is.null(given$by)]], scope), scope$call)
  before <- list(kind = "ordered", entry = entry, argument = x, options = options, within = given_groups(given, scope),
                 along = given_order(given, scope), shown = expr, env = scope$env)
  word_node("-", x, before, shown = expr)
}

# Operations of the core under which a missing value gives way to one that is known. R's function is for columns with
# a class.
or_known <- function(operation, fun) list(name = operation, operation = operation, rule = rule_arithmetic, arguments = 2, fun = fun)

add_known <- function(a, b) {
  sum <- a + b
  sum[is.na(a)] <- rep_len(b, length(sum))[is.na(a)]
  sum[is.na(b)] <- rep_len(a, length(sum))[is.na(b)]
  sum
}

delayedAssign("known_words", list(
  total = or_known("add_known", add_known),
  min = or_known("lesser_known", function(a, b) pmin(a, b, na.rm = TRUE)),
  max = or_known("greater_known", function(a, b) pmax(a, b, na.rm = TRUE))
))

# Column after column.
bind_across <- function(what, given, expr, scope) {
  missing <- option_values(given["missing"[!is.null(given$missing)]], scope)$missing
  missing <- check_one_of(if (is.null(missing)) "keep" else missing, c("keep", "skip"), "missing", scope$call)
  columns <- unname(given[names(given) != "missing"])
  if (is.null(names(given))) columns <- given
  if (!length(columns)) {
    stop_because(c("{.code {one_line(expr)}} needs columns.", "x" = "None is given in {.code {scope_text(scope)}}."), "bad_argument", scope$call)
  }
  columns <- lapply(columns, function(column) shared(bind_formula(column, scope)))
  if (what == "mean") return(bind_row_mean(columns, missing, expr))
  join_columns(what, columns, missing, expr)
}

join_columns <- function(what, columns, missing, expr) {
  word <- if (missing == "skip") known_words[[what]] else words[[c(total = "+", min = "pmin", max = "pmax")[[what]]]]
  Reduce(function(a, b) list(kind = "word", word = word, arguments = list(a, b), shown = expr), columns)
}

# Where a column is missing, the next one counts.
bind_first_known <- function(given, expr, scope) {
  if (!length(given)) stop_because(c("{.code first_known()} needs columns.", "x" = "None is given in {.code {scope_text(scope)}}."), "bad_argument", scope$call)
  columns <- lapply(unname(given), function(one) shared(bind_formula(one, scope)))
  Reduce(function(column, rest) {
    list(kind = "choose", condition = word_node("is.na", column, shown = expr), yes = rest, no = column, shown = expr, of = "first_known")
  }, columns, right = TRUE)
}

bind_row_mean <- function(columns, missing, expr) {
  numbers <- lapply(columns, function(column) word_node("as.numeric", column, shown = column$shown))
  total <- join_columns("total", numbers, missing, expr)
  if (missing == "keep") return(word_node("/", total, value_node(length(columns), length(columns)), shown = expr))
  known <- lapply(columns, function(column) word_node("as.integer", word_node("!", word_node("is.na", column, shown = expr), shown = expr), shown = expr))
  word_node("/", total, join_columns("total", known, "keep", expr), shown = expr)
}
