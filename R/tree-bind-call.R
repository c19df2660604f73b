# Binds calls: to words by their records, to functions that are taken in, or to functions of R.

bind_call <- function(expr, scope) {
  fun <- call_function(expr, scope)
  arguments <- as.list(expr)[-1]
  name <- if (is.symbol(expr[[1]])) as.character(expr[[1]]) else one_line(expr[[1]])
  word <- scope$find_word(name, fun, arguments)
  # What most calls are comes first.
  if (is_operation(word) && is.null(names(arguments)) && length(arguments) == word$arguments) {
    return(bound_word(word, arguments, expr, scope))
  }
  note_call(scope)
  check_means_one_thing(word, arguments, scope)
  check_takes_every_row(fun, arguments, expr, scope)
  node <- if (!is.null(word)) bind_word(word, arguments, expr, scope)
  if (is.null(node)) node <- take_in(fun, expr, scope)
  if (is.null(node)) bind_r_call(fun, name, word, arguments, expr, scope) else node
}

# What the call of a word stands for; NULL if it is R's function that is called.
bind_word <- function(word, arguments, expr, scope) UseMethod("bind_word", word$methods)

bind_word.language_word <- function(word, arguments, expr, scope) {
  if (!is.null(word$bind)) word$bind(word, arguments, expr, scope)
}

bind_word.word_row <- function(word, arguments, expr, scope) {
  node <- NextMethod()
  if (!is.null(node) || !is_operation(word)) return(node)
  arguments <- word_arguments(word, arguments)
  if (!is.null(arguments)) bound_word(word, arguments, expr, scope)
}

is_operation <- function(word) !is.null(word$memory) && word$kind == "row"

# The arguments in the word's order, with its defaults. NULL if they are others, which is R's business.
word_arguments <- function(word, arguments) {
  if (length(arguments) > word$arguments || length(arguments) < word$arguments - length(word$defaults)) return(NULL)
  if (!is.null(names(arguments))) {
    free <- setdiff(word$names, names(arguments))
    unnamed <- !nzchar(names(arguments))
    if (sum(unnamed) > length(free)) return(NULL)
    names(arguments)[unnamed] <- free[seq_len(sum(unnamed))]
    if (!setequal(names(arguments), word$names[seq_along(arguments)])) return(NULL)
    arguments <- unname(arguments[word$names[seq_along(arguments)]])
  }
  c(arguments, utils::tail(word$defaults, word$arguments - length(arguments)))
}

# Parts are bound before they are put together: a promise of them would take more of R's stack.
bound_word <- function(word, arguments, expr, scope) {
  for (k in seq_along(arguments)) arguments[[k]] <- bind_formula(arguments[[k]], scope)
  new_word(word, arguments, expr)
}

# Noted of a line that calls more than words that go row by row.
note_call <- function(scope) if (!is.null(scope$bound)) assign("goes_by_row", FALSE, envir = scope$bound)

# A function of R. One that joins rows is given whole columns: what stands in it may be of any length.
bind_r_call <- function(fun, name, word, arguments, expr, scope) {
  if (identical(fun, base::`$`)) {
    fun <- named_part
    arguments[[2]] <- as.character(arguments[[2]])
  }
  within <- own_groups(fun, arguments, scope)
  if (!is.null(within)) arguments$within <- NULL
  inner <- scope
  inner$whole <- scope$whole || !goes_by_value(word)
  bound <- lapply(arguments, bind_argument, scope = inner)
  if (!is.null(scope$in_function) && !goes_by_value(word, bound)) give_up()
  picks <- identical(fun, base::`[`) && picks_rows(arguments, scope)
  new_call(fun, name, bound, expr, scope$env, word, within, picks)
}

# Whether the result of a word in each row depends on that row's values alone.
goes_by_value <- function(word, arguments = NULL) {
  if (is.null(word) || !word$kind %in% c("row", "look_up")) return(FALSE)
  is.null(arguments) || is.null(word$whole) || !word$whole(arguments)
}

# The record of what a piece of code calls, or NULL.
word_called <- function(expr, scope) {
  name <- head_name(expr)
  fun <- if (nzchar(name)) get0(name, envir = scope$env, mode = "function")
  if (!is.null(fun)) scope$find_word(name, fun, as.list(expr)[-1])
}

# Any function can be called for each group, unless `within` means something to itself.
own_groups <- function(fun, arguments, scope) {
  if (is.null(arguments[["within"]]) || "within" %in% names(formals(args(fun)))) return(NULL)
  choose_groups(arguments[["within"]], scope)
}

# What stands right of `$` is a name, not a column.
named_part <- function(x, name) eval(call("$", x, as.name(name)))

# R's functions may be given functions.
bind_argument <- function(expr, scope) {
  name <- if (is.symbol(expr)) as.character(expr) else ""
  if (nzchar(name) && !is_in_scope(name, scope)) {
    value <- script_value(name, scope)
    if (is.function(value)) return(new_value(value, expr))
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
                   "in" = "{scope_text(scope)}"), "bad_formula", scope$call)
  }
  fun <- bind_script_value(head, scope)$value
  if (!is.function(fun)) {
    stop_because(c("{.code {one_line(head)}} is not a function.", "in" = "{scope_text(scope)}"),
                 "unknown_function", scope$call)
  }
  fun
}

check_functions_exist <- function(names, scope) {
  unknown <- names[!vapply(names, exists, NA, envir = scope$env, mode = "function")]
  if (!length(unknown)) return(invisible())
  stop_because(c("There is no function {.code {unknown[1]}()}.",
                 "in" = "{scope_text(scope)}",
                 "try" = function_to_try(unknown[1], scope)),
               "unknown_function", scope$call, name = unknown[1])
}

# What spreadsheets and SQL call it, or the nearest name.
function_to_try <- function(name, scope) {
  here <- scope$elsewhere[toupper(name)]
  if (!is.null(here) && !is.na(here)) return(paste0("{.code ", escaped(here), "}"))
  hint <- nearest_name(name, c(function_names(scope$env), scope$words()))
  if (length(hint)) paste0("{.code ", hint, "()}") else "Is a {.code library()} missing at the top of the script?"
}

function_names <- function(env) {
  own <- if (isNamespace(topenv(env)) || identical(env, globalenv())) ls(env) else c(ls(env), ls(globalenv()))
  unique(own)
}

# Functions that a call surely needs: its own, and those of a call given as an argument.
called_names <- function(expr) {
  if (!is.call(expr)) return(character())
  head <- head_name(expr)
  if (head %in% c("function", "~", "quote", "bquote", "::", ":::")) return(character())
  if (!nzchar(head)) head <- character()
  c(head, unlist(lapply(as.list(expr)[-1], function(part) if (!missing(part)) called_names(part))))
}

# R's own function, which takes each value as it comes.
is_of_r <- function(word) identical(word$fun, get0(word$name, baseenv(), mode = "function"))
