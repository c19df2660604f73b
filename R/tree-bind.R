# From code to a tree with every name bound: to a column, or to a value of the script. Nothing is
# calculated but the parts of a formula that no column enters: those are values of the script.

# `columns` are the names that are columns here, `env` is where the block was written, `line` is the code
# for messages, `locals` has the nodes of names that the formula itself gives.
#
# Code is made into text only when a message needs it: nodes keep the code that they were written as.
#
# `whole` says that what is bound goes into something that takes whole columns, `for_groups` that a block has one
# value a group, and `in_function` that it is the body of a function of one row. What `language` gives is known as
# `find_word(name, fun, arguments)`, the record of what is called, `seen_through`, the names through which a formula of
# many levels is cut, and `words()`, the names to offer.
new_scope <- function(columns, env, line, call, language) {
  c(list(columns = columns, env = env, line = line, call = call, locals = list(), whole = FALSE, is_cut = FALSE),
    language)
}

scope_text <- function(scope) line_text(scope$line)

bind_formula <- function(expr, scope) {
  if (is.symbol(expr)) return(bind_name(as.character(expr), scope))
  if (!is.call(expr)) return(new_value(expr, expr))
  head <- head_name(expr)
  if (!scope$is_cut) {
    scope$is_cut <- TRUE
    if (has_many_levels(expr)) return(bind_deep(expr, scope))
  }
  if (!match(head, scope$seen_through, 0L)) scope$is_cut <- FALSE
  if (head == "$" && identical(expr[[2]], quote(.above))) return(bind_above_of(expr, scope))
  before <- switch(head, "(" = return(bind_formula(expr[[2]], scope)), "{" = bind_braces, column_named = bind_named)
  if (!is.null(before)) return(before(expr, scope))
  if (match(head, scope$takes_choices, 0L) && is.null(scope$in_function)) expr <- with_choices(expr, scope)
  if (is_script_code(expr, scope)) return(bind_script_value(expr, scope))
  if (match(head, not_in_formulas, 0L)) stop_no_formula(expr, scope)
  switch(head, "if" = bind_if, "function" = , "~" = , quote = , bquote = bind_code, bind_call)(expr, scope)
}

not_in_formulas <- c("for", "while", "repeat", "break", "next", "return", "<-", "<<-", "=", "->")

stop_no_formula <- function(expr, scope) {
  stop_because(c("A formula can't contain {.code {as.character(expr[[1]])}}.",
                 "in" = "{scope_text(scope)}",
                 "try" = "Rows need no loop: each line of the block runs for all of them, and sets a column."),
               "bad_formula", scope$call)
}

# Code that no column enters, and that means the same in R: an `if` is the language's own.
is_script_code <- function(expr, scope) {
  !mentions(expr, scope) && !any(match(not_script_code, called_names(expr), 0L))
}

# What chooses columns (tree-columns.R).
choice_words <- c("names_like", "columns_that", "columns_found", "all_columns")

not_script_code <- c("if", "switch", "column_named", choice_words, not_in_formulas)

bind_named <- function(expr, scope) {
  note_script(scope)
  name <- named_in_code(expr, scope$env, scope$call)
  if (!is_column(name, scope)) stop_unknown_column(name, scope$columns, scope$call, scope_text(scope))
  new_column(name)
}

# Whether names mean something in a formula. A function of one row sees neither columns nor row numbers but by its
# arguments.
is_in_scope <- function(names, scope) {
  found <- is_column(names, scope)
  if (all(found)) return(found)
  found | match(names, c(base::names(scope$locals), if (is.null(scope$in_function)) reserved_names), 0L) > 0L
}

# Of very many columns, a block has an environment with their names: to match against all of them for each line
# takes too long.
is_column <- function(names, scope) {
  if (is.null(scope$known)) return(match(names, scope$columns, 0L) > 0L)
  vapply(names, exists, NA, envir = scope$known, inherits = FALSE, USE.NAMES = FALSE)
}

value_node <- function(value, shown) list(kind = "value", value = value, shown = shown)

bind_name <- function(name, scope) {
  if (!is.null(scope$locals[[name]])) return(scope$locals[[name]])
  # A parameter that was not given is not the script's value of that name.
  if (length(scope$absent) && name %in% scope$absent) give_up()
  if (is_column(name, scope)) return(new_column(name))
  if (name %in% c(".row", ".rows") && is.null(scope$in_function)) return(new_row_number(name))
  if (name == ".above") stop_above_alone(scope)
  value <- script_value(name, scope)
  if (is.function(value)) {
    stop_because(c("{.code {name}} is a function, not a column.",
                   "found" = "It is used as a value.", "in" = "{scope_text(scope)}",
                   "try" = "To call it, write {.code {name}(\u2026)}."), "unknown_column", scope$call, column = name)
  }
  new_value(value, as.name(name))
}

script_value <- function(name, scope) {
  note_script(scope)
  if (!nzchar(name)) {
    stop_because(c("An argument is empty in {.code {scope_text(scope)}}.",
                   "try" = "Give a value, or remove the comma."),
                 "bad_formula", scope$call)
  }
  if (exists(name, envir = scope$env)) return(get(name, envir = scope$env))
  stop_unknown_column(name, scope$columns, scope$call, scope_text(scope))
}

# Does the code look up a name that means something in the formula? R's own list of names shows at once that it does
# not, or that it does where no sign has a meaning of its own.
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
    if (head %in% c("$", "@", "::", ":::")) {
      return(if (head %in% c("$", "@")) mentioned_names(expr[[2]]) else character())
    }
    if (head == "function") return(setdiff(mentioned_names(expr[[3]]), names(expr[[2]])))
    parts <- as.list(expr)[-1]
  } else {
    parts <- as.list(expr)
  }
  unlist(lapply(parts, function(part) if (!missing(part)) mentioned_names(part)), use.names = FALSE)
}

# A part that no column enters is the script's: its value counts, not how it came about.
bind_script_value <- function(expr, scope) {
  note_script(scope)
  value <- tryCatch(eval(expr, scope$env), error = function(e) {
    if (inherits(e, "rowanroot_error")) stop_in_formula(e, scope_text(scope), scope$call)
    names <- mentioned_names(expr)
    unknown <- names[!vapply(names, exists, NA, envir = scope$env)]
    if (length(unknown)) stop_unknown_column(unknown[1], scope$columns, scope$call, scope_text(scope), parent = e)
    check_functions_exist(called_names(expr), scope)
    stop_formula_failed(one_line(expr), scope_text(scope), e, scope$call)
  })
  new_value(value, expr)
}

# Braces in a formula: local names, then the value of the last line.
bind_braces <- function(expr, scope) {
  lines <- as.list(expr)[-1]
  if (!length(lines)) {
    stop_because(c("Empty braces have no value.", "in" = "{scope_text(scope)}"), "bad_formula",
                 scope$call)
  }
  tryCatch(follow(lines, scope)$value, not_taken_in = function(condition) {
    stop_because(c("Braces in a formula hold local names, {.code if}, and a value at the end.",
                   "found" = "Those in {.code {scope_text(scope)}} hold something else."), "bad_formula", scope$call)
  })
}

# Where the script alone decides, only the branch that it takes is looked at.
bind_if <- function(expr, scope) {
  condition <- bind_formula(expr[[2]], scope)
  no <- if (length(expr) == 4) expr[[4]] else NA
  if (condition$kind == "value" && rlang::is_bool(condition$value)) {
    return(bind_formula(if (condition$value) expr[[3]] else no, scope))
  }
  yes <- bind_formula(expr[[3]], scope)
  no <- bind_formula(no, scope)
  new_choice(condition, yes, no, expr[[2]])
}

bind_code <- function(expr, scope) {
  columns <- intersect(mentioned_names(expr), scope$columns)
  local <- intersect(mentioned_names(expr), names(scope$locals))
  if (length(local)) stop_local_name(expr, local[1], scope)
  note_call(scope)
  new_code(expr, columns, scope$env)
}

stop_local_name <- function(expr, name, scope) {
  stop_because(c("{.code {one_line(expr)}} can't use {.code {name}}, a local name of this formula.",
                 "try" = "Make it a scratch column: {.code .{name} <- \u2026} on a line of its own."),
               "bad_formula", scope$call)
}

# Of a column, `x[[1]]` or `x[1]` would be the first row's value in every row, which is never meant by code for
# one row; and a handler of errors would be called for all rows at once.
check_takes_every_row <- function(fun, arguments, expr, scope) {
  if (identical(fun, base::`[`)) return(check_not_by_number(arguments, expr, scope))
  if (is.null(scope$in_function) && is_handler(fun)) return(check_no_handler(arguments, expr, scope))
  if (!identical(fun, base::`[[`) || !mentions(arguments[[1]], scope)) return(invisible())
  stop_because(c("{.code {one_line(expr)}} would give every row the same value.",
                 "found" = paste0("It is used in {.code {scope_text(scope)}}, and {.code [[} takes one value out of a ",
                              "whole column."),
                 "try" = paste0("For each row, use ",
                              "{.code vapply({one_line(arguments[[1]])}, `[`, \"\", 1)}, or a function that ",
                              "works on whole columns.")),
               "not_row_wise", scope$call)
}

# Within what takes whole columns, and where one value a group is wanted, rows are picked by number.
check_not_by_number <- function(arguments, expr, scope) {
  if (!picks_by_place(arguments, scope) || !has_value_of_row(arguments[[1]], scope)) return(invisible())
  stop_picks_by_place(expr, scope_text(scope), scope$call)
}

# Rows of a column picked where a value for each row is wanted: by a number of the script; by a condition, there may
# be one.
picks_rows <- function(arguments, scope) {
  !scope$whole && !isTRUE(scope$for_groups) && is.null(scope$in_function) && length(arguments) == 2 &&
    mentions(arguments[[1]], scope) && !identical(arguments[[2]], quote(expr = ))
}

picks_by_place <- function(arguments, scope) picks_rows(arguments, scope) && !mentions(arguments[[2]], scope)

# What has a value for each row, by its code alone.
has_value_of_row <- function(expr, scope) {
  if (!is.call(expr)) return(TRUE)
  if (is_call_to(expr, "(")) return(has_value_of_row(expr[[2]], scope))
  word <- word_called(expr, scope)
  !is.null(word) && word$kind == "row"
}

stop_picks_by_place <- function(expr, formula, call) {
  column <- one_line(expr[[2]])
  stop_because(c("{.code {one_line(expr)}} would give every row the value of one row.",
                 "in" = "{formula}",
                 "try" = paste0("{.code first_value({column})} for the column's first value, ",
                              "{.code previous({column})} for that of the row above."),
                 "try" = "To set only some rows write {.code name[.row == {one_line(expr[[3]])}] <- \u2026}."),
                   "not_row_wise", call)
}

is_handler <- function(fun) {
  identical(fun, base::tryCatch) || identical(fun, base::try) || identical(fun, base::withCallingHandlers)
}

check_no_handler <- function(arguments, expr, scope) {
  if (!any(vapply(arguments, mentions, NA, scope = scope))) return(invisible())
  name <- one_line(expr[[1]])
  stop_because(c("{.code {name}()} would handle the errors and warnings of all rows at once.",
                 "in" = "{scope_text(scope)}",
                 "try" = paste0("Put it in a function of one row, and call that with {.code one_by_one(f, \u2026)}; ",
                              "{.code as_number()}, {.code as_date()} and the like have ",
                              "{.code unreadable = \"missing\"}.")),
               "not_row_wise", scope$call)
}

# Several columns; or a column and a number, as in `max(x, 0)`.
check_means_one_thing <- function(word, arguments, scope) {
  if (is.null(word$across)) return(invisible())
  if (!is.null(names(arguments))) arguments <- arguments[!names(arguments) %in% c("within", "na.rm")]
  over <- vapply(arguments, function(a) mentions(a, scope), NA)
  # Where one value a group is wanted, `max(x, 0)` can only be that.
  if (length(over) < 2 || !any(over) || isTRUE(scope$for_groups) && sum(over) < 2) return(invisible())
  inside <- vapply(unname(arguments), one_line, "")
  by_row <- word$across(inside)
  name <- word$name
  inside <- paste(inside, collapse = ", ")
  stop_because(c("{.code {name}()} of several columns can mean two things.",
                 "in" = "{scope_text(scope)}",
                 "try" = "{.code {by_row}} for each row,",
                 "try" = "{.code {name}(c({inside}))} over all rows of all of them."),
               "ambiguous_word", scope$call)
}

stop_formula_failed <- function(code, formula, error, call, way_out = NULL) {
  stop_because(c("Can't calculate {.code {formula}}.",
                 "found" = "{.code {code}} fails with: {conditionMessage(error)}",
                 "try" = if (length(way_out)) "{way_out}"),
               "formula_failed", call, r_message = conditionMessage(error))
}

# `.above$stock`, of a recurrence of several columns.
bind_above_of <- function(expr, scope) {
  name <- as.character(expr[[3]])
  at <- match(name, scope$above_names)
  if (!is.na(at)) return(new_above(at, expr))
  several <- !is.null(scope$above_names)
  stop_because(c(if (several) "{.code {name}} is not a column that this {.code running()} sets."
                 else "{.code {one_line(expr)}} is for a {.code running()} that sets several columns.",
                 "in" = "{scope_text(scope)}",
                 "try" = if (several) "It sets {listed(scope$above_names)}." else "{.code .above}"),
               "bad_formula", scope$call)
}

stop_above_alone <- function(scope) {
  if (!is.null(scope$above_names)) {
    stop_because(c("{.code .above} must say which column it is of.", "in" = "{scope_text(scope)}",
                   "try" = "{.code .above${scope$above_names[1]}}"), "bad_formula", scope$call)
  }
  stop_because(c("{.code .above} can only be used in {.code running()}.",
                 "in" = "{scope_text(scope)}",
                 "try" = paste0("For example {.code running(.above * 0.99 + net_kg, start = 0)}; for a column's row ",
                              "before, {.code previous(net_kg)}.")),
               "bad_formula", scope$call)
}

# The formula is added to errors of the package's own words.
stop_in_formula <- function(error, formula, call) {
  error$call <- call
  stop_with_line(error, "in" = "{formula}")
}
