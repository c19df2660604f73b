# A function of the script, or of a package, that is written for one row is taken into the formula: its body becomes
# part of the tree, with its arguments in place of its parameters, and runs for all rows at once. It must consist of
# words of the language, functions of R that work value by value, `if`, `switch`, local names and `return()`.
# Anything else is not taken in: such a function is called with whole columns.

# The node of the call, or NULL if the function can't be taken in.
take_in <- function(fun, expr, scope) {
  if (!is_users_function(fun) || "..." %in% names(formals(fun))) return(NULL)
  check_recursion(fun, expr, scope)
  tryCatch({
    inner <- function_scope(fun, expr, scope)
    follow(list(body(fun)), inner)$value
  }, rowanroot_error = function(error) {
    if (inherits(error, c("rowanroot_ambiguous_word", "rowanroot_endless_recursion"))) stop(error)
    NULL
  }, not_taken_in = function(condition) NULL)
}

# R's own functions and rowanroot's work on columns as they are.
is_users_function <- function(fun) {
  if (!is.function(fun) || is.primitive(fun)) return(FALSE)
  of_r <- c("base", "stats", "utils", "methods", "graphics", "grDevices", "tools", "rowanroot")
  !isNamespace(environment(fun)) || !getNamespaceName(environment(fun)) %in% of_r
}

give_up <- function() rlang::cnd_signal(rlang::cnd("not_taken_in"))

# Calls of a function within itself, calls within calls, and all calls of one formula: beyond these a function
# surely calls itself without end.
most_within_itself <- 20
deepest_call <- 60
most_calls <- 1000

check_recursion <- function(fun, expr, scope) {
  if (is.null(scope$calls)) return(invisible())
  scope$calls$made <- scope$calls$made + 1
  within <- sum(vapply(scope$functions, identical, NA, fun))
  if (within < most_within_itself && scope$depth < deepest_call && scope$calls$made < most_calls) return(invisible())
  if (within < 2) give_up()
  stop_because(c("{.code {one_line(expr[[1]])}()} calls itself without end.",
                 "found" = paste0("It is called in {.code {scope_text(scope)}}, and for a column every branch of an ",
                              "{.code if} is followed."),
                 "try" = "To call it row by row, write {.code one_by_one({one_line(expr[[1]])}, \u2026)}."),
               "endless_recursion", scope$call)
}

# Inside a function there are no columns, only its parameters, its own names, and what the script has.
function_scope <- function(fun, expr, scope) {
  # What is not called as it is written, such as one with `within`, gives its error when it is called.
  given <- tryCatch(as.list(match.call(fun, expr))[-1], error = function(e) give_up())
  inner <- new_scope(character(), environment(fun), scope$line, scope$call,
                     scope[c("find_word", "seen_through", "words")])
  inner$in_function <- TRUE
  inner$functions <- c(scope$functions, fun)
  inner$given <- names(given)
  inner$depth <- if (is.null(scope$depth)) 1 else scope$depth + 1
  inner$calls <- if (is.null(scope$calls)) list2env(list(made = 0)) else scope$calls
  for (name in names(formals(fun))) {
    if (name %in% names(given)) value <- bind_formula(given[[name]], scope)
    else if (identical(formals(fun)[[name]], quote(expr = ))) {
      inner$absent <- c(inner$absent, name)
      next
    } else value <- bind_formula(formals(fun)[[name]], inner)
    inner$locals[[name]] <- new_shared(value)
  }
  inner
}

# Follows lines of code from top to bottom. Gives the node of their value, the local names after them, and
# whether they end the function.
follow <- function(lines, scope, value = new_value(NA)) {
  while (length(lines)) {
    line <- lines[[1]]
    lines <- lines[-1]
    if (is_block(line)) {
      lines <- c(as.list(line)[-1], lines)
    } else if (is_call_to(line, "return")) {
      return(list(value = if (length(line) == 2) bind_formula(line[[2]], scope) else give_up(),
                  locals = scope$locals, returned = TRUE))
    } else if (is_call_to(line, c("<-", "=")) && is.symbol(line[[2]])) {
      value <- bind_formula(line[[3]], scope)
      value <- new_shared(value)
      scope$locals[[as.character(line[[2]])]] <- value
    } else if (is_call_to(line, "if")) {
      after <- follow_if(line, lines, scope)
      if (after$returned) return(after)
      scope$locals <- after$locals
      value <- after$value
    } else {
      if (length(lines)) give_up()
      value <- bind_formula(line, scope)
    }
  }
  list(value = value, locals = scope$locals, returned = FALSE)
}

# An `if` whose branches may set local names or return. If one returns, what follows the `if` belongs to
# the other; if none does, each local name becomes a choice.
follow_if <- function(line, rest, scope) {
  condition <- bind_formula(line[[2]], scope)
  yes <- list(line[[3]])
  no <- if (length(line) == 4) list(line[[4]]) else list()
  if (condition$kind == "value" && rlang::is_bool(condition$value)) {
    # The script alone decides; what comes after the `if` is followed with its branch.
    after <- follow(c(if (condition$value) yes else no, rest), scope)
    after$returned <- TRUE
    return(after)
  }
  choose <- function(yes, no) if (identical(yes, no)) yes else new_choice(condition, yes, no, line[[2]])
  returns <- "return" %in% all.names(line)
  if (returns) {
    yes <- c(yes, rest)
    no <- c(no, rest)
  }
  yes <- follow(yes, scope)
  no <- follow(no, scope)
  names <- union(names(yes$locals), names(no$locals))
  nothing <- new_value(NA)
  side <- function(locals, name) if (is.null(locals[[name]])) nothing else locals[[name]]
  locals <- lapply(stats::setNames(names, names), function(name) choose(side(yes$locals, name), side(no$locals, name)))
  # Where the condition is missing there is no value, though both branches have the same.
  value <- new_choice(condition, yes$value, no$value, line[[2]])
  list(value = value, locals = locals, returned = returns)
}

# Functions that the script, or a function of it, has defined.
is_script_function <- function(fun) is_users_function(fun) && !isNamespace(environment(fun))
