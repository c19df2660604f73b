# Words that depend on the order of rows or on their groups: ranks, running words, moving windows, neighbours.
# The table of them: an entry has the package's function of the name, a check of its options, which gives them with
# their defaults, and what calculates it (engine-ordered.R).

ordered_word <- function(name, fun, check, calculate) list(name = name, fun = fun, check = check, calculate = calculate)

make_ordered_words <- function() {
  running <- function(name, what) ordered_word(name, get(name), check_running, function(x, options, place, about) calculate_running(what, x, options, place, about))
  moving <- function(name, what) ordered_word(name, get(name), check_moving, function(x, options, place, about) calculate_moving(what, x, options, place, about))
  entries <- list(
    ordered_word("ranking", ranking, check_ranking, calculate_ranking),
    running("running_total", "total"), running("running_mean", "mean"), running("running_count", "count"),
    running("running_min", "least"), running("running_max", "greatest"), running("running_product", "product"),
    moving("moving_total", "total"), moving("moving_mean", "mean"), moving("moving_min", "least"), moving("moving_max", "greatest"),
    ordered_word("previous", previous, check_neighbour, function(x, options, place, about) calculate_neighbour(1, x, options, place, about)),
    ordered_word("following", following, check_neighbour, function(x, options, place, about) calculate_neighbour(-1, x, options, place, about))
  )
  stats::setNames(entries, vapply(entries, `[[`, "", "name"))
}

delayedAssign("ordered_words", make_ordered_words())

# A node for `ranking(net_kg, best = "highest", within = apiary)` and the like; NULL for anything else.
bind_ordered <- function(name, fun, expr, scope) {
  entry <- ordered_words[[name]]
  if (is.null(entry) || !identical(entry$fun, fun)) return(NULL)
  if (!is.null(scope$in_function)) give_up()
  given <- word_given(fun, expr, scope)
  if (is.null(given$x)) {
    stop_because(c("{.code {name}()} needs a column.", "x" = "None is given in {.code {scope_text(scope)}}."), "bad_argument", scope$call)
  }
  options <- option_values(given[setdiff(names(given), c("x", "within", "along"))], scope)
  list(kind = "ordered", entry = entry, argument = bind_formula(given$x, scope), options = entry$check(options, scope$call),
       within = given_groups(given, scope), along = given_order(given, scope), shown = expr, env = scope$env)
}

# The arguments of a call under their names.
word_given <- function(fun, expr, scope) {
  tryCatch(as.list(match.call(fun, expr))[-1], error = function(e) {
    stop_because(c("Can't call {.code {one_line(expr[[1]])}()} like this.", "x" = "R said: {conditionMessage(e)}",
                   "i" = "Its arguments are {.code {names(formals(fun))}}."), "bad_argument", scope$call)
  })
}

# Options are the script's: they can't differ from row to row.
option_values <- function(given, scope) {
  lapply(stats::setNames(nm = names(given)), function(name) {
    node <- bind_formula(given[[name]], scope)
    if (node$kind == "value") return(node$value)
    stop_because(c("{.arg {name}} must be the same for all rows.",
                   "x" = "It depends on columns in {.code {scope_text(scope)}}."), "bad_argument", scope$call)
  })
}

given_groups <- function(given, scope) if (!is.null(given$within)) choose_columns(given$within, scope$columns, scope$env, scope$call)

given_order <- function(given, scope) if (!is.null(given$along)) choose_order(given$along, scope$columns, scope$env, scope$call)

# The value of an option that is one of a few words.
check_one_of <- function(value, choices, name, call) {
  if (is.character(value) && length(value) == 1 && value %in% choices) return(value)
  hint <- if (is.character(value) && length(value) == 1) nearest_name(value, choices)
  found <- if (is.character(value) && length(value) == 1) encodeString(value, quote = "\"") else what_is(value)
  stop_because(c("{.arg {name}} must be one of {.or {.val {choices}}}, not {found}.",
                 "i" = if (length(hint)) "Did you mean {.val {hint}}?"), "bad_argument", call)
}

check_whole_number <- function(value, least, name, call) {
  if (is.numeric(value) && length(value) == 1 && !is.na(value) && value == floor(value) && value >= least && is.finite(value)) return(as.numeric(value))
  found <- if (is.numeric(value) && length(value) == 1) format(value) else what_is(value)
  stop_because("{.arg {name}} must be a whole number of at least {least}, not {found}.", "bad_argument", call)
}

check_options <- function(options, defaults) {
  defaults[names(options)] <- options
  defaults
}

# The same words on vectors outside a block: the vectors are the columns of a table without a name.
word_on_vectors <- function(name, x, options, within = NULL, along = NULL, call) {
  groups <- as_columns(within, "within")
  order <- as_columns(along, "along")
  by <- lapply(names(order), function(one) if (is_descending(order[[one]])) call("descending", as.name(one)) else as.name(one))
  order <- lapply(order, function(one) if (is_descending(one)) one$x else one)
  columns <- c(list(x = x), groups, order)
  check_same_length(columns, call)
  code <- as.call(c(as.name(name), quote(x), options))
  if (length(groups)) code$within <- as.call(c(quote(c), lapply(names(groups), as.name)))
  if (length(order)) code$along <- as.call(c(quote(c), by))
  calculate_code(code, columns, call)
}

as_columns <- function(x, name) {
  if (is.null(x)) return(list())
  columns <- if (is.list(x) && !is_descending(x)) x else list(x)
  stats::setNames(columns, paste0(name, seq_along(columns)))
}

check_same_length <- function(columns, call) {
  lengths <- lengths(columns)
  for (k in which(vapply(columns, is_column_like, NA, rows = lengths[1]) == FALSE)) {
    stop_because(c("{.arg {sub('[0-9]+$', '', names(columns)[k])}} must be a vector as long as {.arg x}.",
                   "x" = "{.arg x} has {counted(lengths[1], 'value')}, and it is {what_is(columns[[k]])}."), "wrong_length", call)
  }
}

# What a piece of code comes to for these columns.
calculate_code <- function(code, columns, call) {
  run <- new_run(columns, length(columns[[1]]), call)
  start_line(run, code)
  node <- bind_formula(code, new_scope(names(columns), environment(calculate_code), code, call))
  id <- column_slot(type_node(node, run), run)
  calculate(run, id)
  value <- run$values[[id]]
  if (is.null(value)) rep_len(NA, run$rows) else value
}
