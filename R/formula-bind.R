# From code to a tree with every name bound: to a column, or to a value of the script. Nothing is
# calculated but the parts of a formula that no column enters: those are values of the script.
#
# A node is a list with a `kind`:
#   column   name                    a column, as it is at that point of the block
#   rows     name                    `.row` or `.rows`
#   value    value, shown            anything from the script, and literals
#   word     word, arguments         a word of the language
#   choose   condition, yes, no
#   aggregate  entry, argument, within   one value of a column or a group
#   ordered  entry, argument, options, within, along   a word that depends on the order of rows or on groups
#   running  formula, start, within, along   a recurrence; in its formula `above` stands for the row above
#   r_call   fun, name, arguments    a function that the language does not know
#   r_code   expr, columns, env      code that takes columns by name: a function or a model formula
#   shared   memory                  what is used in several places (formula-function.R)
#   deep     parts, node             a formula of very many levels, cut into parts (formula-deep.R)

# `columns` are the names that are columns here, `env` is where the block was written, `line` is the code
# for messages, `locals` has the nodes of names that the formula itself gives.
#
# Code is made into text only when a message needs it: nodes keep the code that they were written as.
#
# `whole` says that what is bound goes into something that takes whole columns, `for_groups` that a block has one value a group,
# and `in_function` that it is the body of a function of one row.
new_scope <- function(columns, env, line, call, locals = list()) {
  list(columns = columns, env = env, line = line, call = call, locals = locals, whole = FALSE, is_cut = FALSE)
}

scope_text <- function(scope) line_text(scope$line)

bind_formula <- function(expr, scope) {
  if (is.symbol(expr)) return(bind_name(as.character(expr), scope))
  if (!is.call(expr)) return(value_node(expr, expr))
  head <- head_name(expr)
  if (!scope$is_cut) {
    scope$is_cut <- TRUE
    if (has_many_levels(expr)) return(bind_deep(expr, scope))
  }
  if (!match(head, seen_through, 0L)) scope$is_cut <- FALSE
  before <- switch(head, "(" = return(bind_formula(expr[[2]], scope)), "{" = bind_braces, column_named = bind_named)
  if (!is.null(before)) return(before(expr, scope))
  if (is_script_code(expr, scope)) return(bind_script_value(expr, scope))
  if (match(head, not_in_formulas, 0L)) stop_no_formula(expr, scope)
  switch(head, "if" = bind_if, switch = bind_switch, "function" = , "~" = , quote = , bquote = bind_code, bind_call)(expr, scope)
}

not_in_formulas <- c("for", "while", "repeat", "break", "next", "return", "<-", "<<-", "=", "->")

stop_no_formula <- function(expr, scope) {
  stop_because(c("A formula has no {.code {as.character(expr[[1]])}}.",
                 "x" = "It stands in {.code {scope_text(scope)}}.",
                 "i" = "Each line of the block is run for all rows at once: no loop is needed, and a line sets one column."),
               "bad_formula", scope$call)
}

# Code that no column enters, and that means the same in R: an `if` is the language's own.
is_script_code <- function(expr, scope) {
  !mentions(expr, scope) && !any(match(not_script_code, called_names(expr), 0L))
}

not_script_code <- c("if", "switch", "column_named", not_in_formulas)

bind_named <- function(expr, scope) {
  name <- named_in_code(expr, scope$env, scope$call)
  if (!is_column(name, scope)) stop_unknown_column(name, scope$columns, scope$call, scope_text(scope))
  list(kind = "column", name = name)
}

# Whether names mean something in a formula. A function of one row sees neither columns nor row numbers but by its arguments.
is_in_scope <- function(names, scope) {
  is_column(names, scope) | match(names, c(base::names(scope$locals), if (is.null(scope$in_function)) reserved_names), 0L) > 0L
}

# Of very many columns, a block has an environment with their names: to match against all of them for each line takes too long.
is_column <- function(names, scope) {
  if (is.null(scope$known)) return(match(names, scope$columns, 0L) > 0L)
  vapply(names, exists, NA, envir = scope$known, inherits = FALSE, USE.NAMES = FALSE)
}

value_node <- function(value, shown) list(kind = "value", value = value, shown = shown)

bind_name <- function(name, scope) {
  if (!is.null(scope$locals[[name]])) return(scope$locals[[name]])
  # A parameter that was not given is not the script's value of that name.
  if (name %in% scope$absent) give_up()
  if (name %in% c(".row", ".rows") && is.null(scope$in_function)) return(list(kind = "rows", name = name))
  if (is_column(name, scope)) return(list(kind = "column", name = name))
  if (name == ".above") stop_above_alone(scope)
  value <- script_value(name, scope)
  if (is.function(value)) {
    stop_because(c("{.code {name}} is a function, and no column.",
                   "x" = "It is used as a value in {.code {scope_text(scope)}}.",
                   "i" = "To call it, write {.code {name}(\u2026)}."), "unknown_column", scope$call, column = name)
  }
  value_node(value, as.name(name))
}

script_value <- function(name, scope) {
  if (!nzchar(name)) {
    stop_because(c("An argument is empty in {.code {scope_text(scope)}}.", "i" = "Give a value, or take the comma away."),
                 "bad_formula", scope$call)
  }
  if (exists(name, envir = scope$env)) return(get(name, envir = scope$env))
  stop_unknown_column(name, scope$columns, scope$call, scope_text(scope))
}

# Does the code look up a name that means something in the formula? R's own list of names says at once that it does not, or that it does
# where no sign has a meaning of its own.
mentions <- function(expr, scope) {
  if (!any(is_in_scope(all.vars(expr), scope))) return(FALSE)
  if (!any(match(c("$", "@", "::", ":::", "function"), all.names(expr), 0L))) return(TRUE)
  any(is_in_scope(mentioned_names(expr), scope))
}

# Names that a piece of code looks up, but for what stands right of `$` and `@`.
mentioned_names <- function(expr) {
  if (is.symbol(expr)) return(as.character(expr))
  if (!is.call(expr)) return(character())
  if (is.symbol(expr[[1]])) {
    head <- as.character(expr[[1]])
    if (head %in% c("$", "@", "::", ":::")) return(if (head %in% c("$", "@")) mentioned_names(expr[[2]]) else character())
    if (head == "function") return(setdiff(mentioned_names(expr[[3]]), names(expr[[2]])))
    parts <- as.list(expr)[-1]
  } else {
    parts <- as.list(expr)
  }
  unlist(lapply(parts, function(part) if (!missing(part)) mentioned_names(part)), use.names = FALSE)
}

# A part that no column enters is the script's: its value counts, not how it came about.
bind_script_value <- function(expr, scope) {
  value <- tryCatch(eval(expr, scope$env), error = function(e) {
    if (inherits(e, "rowanroot_error")) stop_in_formula(e, scope_text(scope), scope$call)
    names <- mentioned_names(expr)
    unknown <- names[!vapply(names, exists, NA, envir = scope$env)]
    if (length(unknown)) stop_unknown_column(unknown[1], scope$columns, scope$call, scope_text(scope), parent = e)
    check_functions_exist(called_names(expr), scope)
    stop_formula_failed(one_line(expr), scope_text(scope), e, scope$call)
  })
  value_node(value, expr)
}

# Braces in a formula: local names, then the value of the last line.
bind_braces <- function(expr, scope) {
  lines <- as.list(expr)[-1]
  if (!length(lines)) {
    stop_because(c("Empty braces have no value.", "x" = "They stand in {.code {scope_text(scope)}}."), "bad_formula", scope$call)
  }
  tryCatch(follow(lines, scope)$value, not_taken_in = function(condition) {
    stop_because(c("Braces in a formula hold local names, {.code if}, and a value at the end.",
                   "x" = "Those in {.code {scope_text(scope)}} hold something else."), "bad_formula", scope$call)
  })
}

# Where the script alone decides, only the branch that it takes is looked at.
bind_if <- function(expr, scope) {
  condition <- bind_formula(expr[[2]], scope)
  no <- if (length(expr) == 4) expr[[4]] else NA
  if (condition$kind == "value" && rlang::is_bool(condition$value)) {
    return(bind_formula(if (condition$value) expr[[3]] else no, scope))
  }
  list(kind = "choose", condition = condition, yes = bind_formula(expr[[3]], scope), no = bind_formula(no, scope),
       shown = expr[[2]])
}

bind_code <- function(expr, scope) {
  columns <- intersect(mentioned_names(expr), scope$columns)
  local <- intersect(mentioned_names(expr), names(scope$locals))
  if (length(local)) {
    stop_because(c("{.code {one_line(expr)}} can't use {.code {local[1]}}, a name of this formula alone.",
                   "i" = "Make it a scratch column: {.code .{local[1]} <- \u2026} on a line of its own."),
                 "bad_formula", scope$call)
  }
  list(kind = "r_code", expr = expr, columns = columns, env = scope$env, shown = expr)
}

bind_call <- function(expr, scope) {
  name <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else one_line(expr[[1]])
  fun <- call_function(expr, scope)
  arguments <- as.list(expr)[-1]
  # What most calls are comes first.
  entry <- if (is.null(names(arguments))) find_word(name, fun, arguments)
  if (!is.null(entry) && length(arguments) == entry$arguments) return(bound_word(entry, arguments, expr, scope))
  if (identical(fun, base::ifelse) && length(arguments) == 3 && is.null(names(arguments))) {
    return(bind_if(as.call(c(quote(`if`), arguments)), scope))
  }
  check_means_one_thing(name, fun, arguments, scope)
  check_takes_every_row(fun, arguments, expr, scope)
  if (identical(fun, base::`$`)) {
    fun <- named_part
    arguments[[2]] <- as.character(arguments[[2]])
  }
  if (identical(fun, look_up)) return(bind_look_up(expr, scope))
  if (identical(fun, base::missing) && !is.null(scope$given)) return(value_node(!as.character(expr[[2]]) %in% scope$given, expr))
  if (identical(fun, base::identical)) return(bind_identical(arguments, expr, scope))
  if (!is.null(scope$in_function)) {
    of_row <- bind_parts_of_row(name, fun, arguments, expr, scope)
    if (!is.null(of_row)) return(of_row)
  }
  word <- bind_word(name, fun, arguments, expr, scope)
  if (!is.null(word)) return(word)
  aggregate <- bind_aggregate(name, fun, arguments, expr, scope)
  if (!is.null(aggregate)) return(if (is.null(scope$in_function)) aggregate else give_up())
  ordered <- bind_ordered(name, fun, expr, scope)
  if (is.null(ordered)) ordered <- bind_running(fun, expr, scope)
  if (is.null(ordered)) ordered <- bind_derived(name, fun, expr, scope)
  if (!is.null(ordered)) return(ordered)
  taken_in <- take_in(fun, expr, scope)
  if (!is.null(taken_in)) return(taken_in)
  within <- own_groups(fun, arguments, scope)
  if (!is.null(within)) arguments$within <- NULL
  # A function that joins rows is given whole columns: what stands in it may be of any length.
  inner <- scope
  inner$whole <- scope$whole || !is_value_by_value(name, fun)
  bound <- lapply(arguments, bind_argument, scope = inner)
  if (!is.null(scope$in_function) && !is_value_by_value(name, fun, bound)) give_up()
  list(kind = "r_call", fun = fun, name = name, arguments = bound, within = within, shown = expr, env = scope$env,
       picks = identical(fun, base::`[`) && picks_rows(arguments, scope))
}

bind_word <- function(name, fun, arguments, expr, scope) {
  # The least of three is the lesser of the third and the lesser of the others.
  if (name %in% c("pmin", "pmax") && length(arguments) > 2 && is.null(names(arguments))) {
    arguments <- list(as.call(c(expr[[1]], utils::head(arguments, -1))), arguments[[length(arguments)]])
  }
  if (name %in% c("pmin", "pmax") && identical(fun, words[[name]]$fun) && identical(arguments$na.rm, TRUE)) {
    columns <- lapply(unname(arguments[names(arguments) != "na.rm"]), bind_formula, scope = scope)
    if (length(columns) > 1) return(join_columns(substr(name, 2, 4), columns, "skip", expr))
  }
  entry <- find_word(name, fun, arguments)
  if (is.null(entry)) return(NULL)
  if (!is.null(names(arguments)) || length(arguments) < entry$arguments) arguments <- word_arguments(entry, arguments)
  if (is.null(arguments)) return(NULL)
  bound_word(entry, arguments, expr, scope)
}

bound_word <- function(entry, arguments, expr, scope) {
  list(kind = "word", word = entry, arguments = lapply(arguments, bind_formula, scope = scope), shown = expr)
}

# Any function can be called for each group, unless `within` means something to itself.
own_groups <- function(fun, arguments, scope) {
  if (is.null(arguments[["within"]]) || "within" %in% names(formals(args(fun)))) return(NULL)
  choose_columns(arguments[["within"]], scope$columns, scope$env, scope$call)
}

# What stands right of `$` is a name, not a column.
named_part <- function(x, name) eval(call("$", x, as.name(name)))

# R's functions may be given functions.
bind_argument <- function(expr, scope) {
  name <- if (is.symbol(expr)) as.character(expr) else ""
  if (nzchar(name) && !is_in_scope(name, scope)) {
    value <- script_value(name, scope)
    if (is.function(value)) return(value_node(value, expr))
  }
  bind_formula(expr, scope)
}

call_function <- function(expr, scope) {
  head <- expr[[1]]
  if (is.symbol(head)) {
    fun <- get0(as.character(head), envir = scope$env, mode = "function")
    if (is.null(fun)) check_functions_exist(as.character(head), scope)
    return(fun)
  }
  if (mentions(head, scope)) {
    stop_because(c("Can't call {.code {one_line(head)}}: a column holds no functions.",
                   "x" = "It is called in {.code {scope_text(scope)}}."), "bad_formula", scope$call)
  }
  fun <- bind_script_value(head, scope)$value
  if (!is.function(fun)) {
    stop_because(c("{.code {one_line(head)}} is not a function.", "x" = "It is called in {.code {scope_text(scope)}}."),
                 "unknown_function", scope$call)
  }
  fun
}

check_functions_exist <- function(names, scope) {
  unknown <- names[!vapply(names, exists, NA, envir = scope$env, mode = "function")]
  if (!length(unknown)) return(invisible())
  hint <- nearest_name(unknown[1], function_names(scope$env))
  stop_because(c("There is no function {.code {unknown[1]}()}.",
                 "x" = "It is called in {.code {scope_text(scope)}}.",
                 "i" = if (length(hint)) "Did you mean {.code {hint}()}?" else "Is a {.code library()} missing at the top of the script?"),
               "unknown_function", scope$call, name = unknown[1])
}

function_names <- function(env) {
  own <- if (isNamespace(topenv(env)) || identical(env, globalenv())) ls(env) else c(ls(env), ls(globalenv()))
  unique(c(own, grep("^[[:alpha:].]", names(words), value = TRUE), "mean", "median", "round", "toupper", "tolower", "paste", "nchar", "substr", "is.na"))
}

# Functions that a call surely needs: its own, and those of a call given as an argument.
called_names <- function(expr) {
  if (!is.call(expr)) return(character())
  head <- head_name(expr)
  if (head %in% c("function", "~", "quote", "bquote", "::", ":::")) return(character())
  if (!nzchar(head)) head <- character()
  c(head, unlist(lapply(as.list(expr)[-1], function(part) if (!missing(part)) called_names(part))))
}

# Of a column, `x[[1]]` or `x[1]` would be the first row's value in every row, which nobody means who writes for
# one row; and a handler of errors would be called for all rows at once.
check_takes_every_row <- function(fun, arguments, expr, scope) {
  if (identical(fun, base::`[`)) return(check_not_by_number(arguments, expr, scope))
  if (is.null(scope$in_function) && is_handler(fun)) return(check_no_handler(arguments, expr, scope))
  if (!identical(fun, base::`[[`) || !mentions(arguments[[1]], scope)) return(invisible())
  stop_because(c("{.code {one_line(expr)}} would give every row the same value.",
                 "x" = "It is used in {.code {scope_text(scope)}}, and {.code [[} takes one value out of a whole column.",
                 "i" = "For a value of each row, use {.code vapply({one_line(arguments[[1]])}, `[`, \"\", 1)}, or a function that works on whole columns."),
               "not_row_wise", scope$call)
}

# Within what takes whole columns, and where one value a group is wanted, rows are picked by number.
check_not_by_number <- function(arguments, expr, scope) {
  if (!picks_by_place(arguments, scope) || !goes_by_value(arguments[[1]], scope)) return(invisible())
  stop_picks_by_place(expr, scope_text(scope), scope$call)
}

# Rows of a column picked where a value for each row is wanted: by a number of the script; by a condition, there may be one.
picks_rows <- function(arguments, scope) {
  !scope$whole && !isTRUE(scope$for_groups) && is.null(scope$in_function) && length(arguments) == 2 &&
    mentions(arguments[[1]], scope) && !identical(arguments[[2]], quote(expr = ))
}

picks_by_place <- function(arguments, scope) picks_rows(arguments, scope) && !mentions(arguments[[2]], scope)

# What has a value for each row, by its code alone.
goes_by_value <- function(expr, scope) {
  if (!is.call(expr)) return(TRUE)
  if (is_call_to(expr, "(")) return(goes_by_value(expr[[2]], scope))
  name <- head_name(expr)
  fun <- if (nzchar(name)) get0(name, envir = scope$env, mode = "function")
  is_word_or_by_value(name, fun, as.list(expr)[-1])
}

stop_picks_by_place <- function(expr, formula, call) {
  column <- one_line(expr[[2]])
  stop_because(c("{.code {one_line(expr)}} would give every row the value of another one.",
                 "x" = "It is used in {.code {formula}}.",
                 "i" = "For the column's first value write {.code first_value({column})}, for that of the row above {.code previous({column})}.",
                 "i" = "To set only some rows write {.code name[.row == {one_line(expr[[3]])}] <- \u2026}."), "not_row_wise", call)
}

is_handler <- function(fun) identical(fun, base::tryCatch) || identical(fun, base::try) || identical(fun, base::withCallingHandlers)

check_no_handler <- function(arguments, expr, scope) {
  if (!any(vapply(arguments, mentions, NA, scope = scope))) return(invisible())
  name <- one_line(expr[[1]])
  stop_because(c("{.code {name}()} would handle the errors and warnings of all rows at once.",
                 "x" = "It is used in {.code {scope_text(scope)}}.",
                 "i" = "Put it in a function of one row and call that by {.code one_by_one(f, \u2026)}; {.code as_number()}, {.code as_date()} and the like have {.code unreadable = \"missing\"}."),
               "not_row_wise", scope$call)
}

# Several columns; or a column and a number, as in `max(x, 0)`.
check_means_one_thing <- function(name, fun, arguments, scope) {
  across <- ambiguous_words[[name]]
  if (is.null(across) || !identical(fun, get(name, envir = baseenv()))) return(invisible())
  if (!is.null(names(arguments))) arguments <- arguments[!names(arguments) %in% c("within", "na.rm")]
  over <- vapply(arguments, function(a) mentions(a, scope), NA)
  # Where one value a group is wanted, `max(x, 0)` can only be that.
  if (length(over) < 2 || !any(over) || isTRUE(scope$for_groups) && sum(over) < 2) return(invisible())
  inside <- vapply(unname(arguments), one_line, "")
  by_row <- across(inside)
  inside <- paste(inside, collapse = ", ")
  stop_because(c("{.code {name}()} of several columns could mean two things.",
                 "x" = "It is used in {.code {scope_text(scope)}}.",
                 "i" = "In each row: {.code {by_row}}.",
                 "i" = "Over all rows of all of them: {.code {name}(c({inside}))}."),
               "ambiguous_word", scope$call)
}

stop_formula_failed <- function(code, formula, error, call, way_out = NULL) {
  stop_because(c("Can't calculate {.code {formula}}.",
                 "x" = "In {.code {code}} R said: {conditionMessage(error)}",
                 "i" = if (length(way_out)) "{way_out}"),
               "formula_failed", call, r_message = conditionMessage(error))
}

# How a node was written.
label_of <- function(node) if (identical(node$kind, "column") || identical(node$kind, "rows")) node$name else one_line(node$shown)

# The columns that a tree reads.
node_columns <- function(node) {
  unique(as.character(switch(node$kind,
    column = node$name,
    shared = once(node, "columns", node_columns(node$memory$node)),
    deep = through_deep(node, node_columns),
    several = unlist(lapply(node$parts, node_columns), use.names = FALSE),
    aggregate = c(node_columns(node$argument), node$within),
    ordered = c(node_columns(node$argument), node$within, node$along$names),
    running = c(node_columns(node$formula), node$within, node$along$names),
    choose = c(node_columns(node$condition), node_columns(node$yes), node_columns(node$no)),
    word = , r_call = c(unlist(lapply(node$arguments, node_columns), use.names = FALSE), node$within),
    r_code = node$columns
  )))
}
