# In a function of one row, `c(a, b)` puts together a few values of that row: what R makes one value of, it makes one
# of each row's.

# A node for `any(is.na(c(a, b)))`, `max(c(a, b, 0))`, `length(c(a, b))` and the like; NULL for anything else.
bind_parts_of_row <- function(word, arguments, expr, scope) {
  if (is.null(word$of_parts)) return(NULL)
  skip <- identical(arguments$na.rm, TRUE)
  if (is.logical(arguments$na.rm)) arguments <- arguments[names(arguments) != "na.rm"]
  if (length(arguments) != 1 || !is.null(names(arguments)) && any(nzchar(names(arguments)))) return(NULL)
  parts <- parts_of_row(arguments[[1]], scope)
  if (is.null(parts)) return(NULL)
  if (!length(parts)) give_up()
  word$of_parts(lapply(parts, function(part) new_shared(bind_formula(part, scope))), skip, expr)
}

# The code of each part: of `f(c(a, b))`, for a function of R that goes value by value, `f(a)` and `f(b)`.
parts_of_row <- function(expr, scope) {
  if (!is.call(expr)) return(NULL)
  name <- head_name(expr)
  fun <- if (nzchar(name)) get0(name, envir = scope$env, mode = "function")
  if (identical(fun, base::`(`)) return(parts_of_row(expr[[2]], scope))
  given <- as.list(expr)[-1]
  if (identical(fun, base::c)) return(if (is.null(names(given))) given else give_up())
  word <- scope$find_word(name, fun, given)
  if (!length(given) || !is_row_word(word)) return(NULL)
  inner <- lapply(given, function(one) if (!missing(one)) parts_of_row(one, scope))
  several <- which(!vapply(inner, is.null, NA))
  if (!length(several)) return(NULL)
  if (length(several) > 1) give_up()
  lapply(inner[[several]], function(part) {
    expr[[several + 1]] <- part
    expr
  })
}

joined_in_pairs <- function(word, parts, expr) Reduce(function(a, b) word_node(word, a, b, shown = expr), parts)

# The least or the greatest of what is known would be of no value where nothing is.
each_pair <- function(word, parts, skip, expr) if (skip) give_up() else joined_in_pairs(word, parts, expr)

# R's sums of logicals are whole numbers.
sum_of_parts <- function(parts, skip, expr) {
  nothing <- new_value(0L)
  or_nothing <- function(part) new_choice(word_node("is.na", part, shown = expr), nothing, part, expr)
  if (skip) parts <- lapply(parts, or_nothing)
  joined_in_pairs("+", c(list(nothing), parts), expr)
}

any_of_parts <- function(parts, skip, expr) {
  if (skip) parts <- lapply(parts, function(part) word_node("isTRUE", part, shown = expr))
  joined_in_pairs("||", parts, expr)
}

all_of_parts <- function(parts, skip, expr) {
  is_not_false <- function(part) word_node("!", word_node("isFALSE", part, shown = expr), shown = expr)
  if (skip) parts <- lapply(parts, is_not_false)
  joined_in_pairs("&&", parts, expr)
}

words_of_identity <- function() list(
  language_word("identical", "column", bind = bind_identical, looks_at_one = TRUE),
  language_word("is_identical", "row", several = "value", hidden = TRUE),
  language_word("missing", "column", bind = function(word, arguments, expr, scope) {
    if (!is.null(scope$given)) new_value(!as.character(expr[[2]]) %in% scope$given, expr)
  })
)

# identical(x, 2L): is each row's value just that, of the same type and class?
bind_identical <- function(word, arguments, expr, scope) {
  bound <- if (length(arguments) == 2 && is.null(names(arguments))) lapply(arguments, bind_argument, scope = scope)
  fixed <- vapply(bound, function(node) node$kind == "value", NA)
  if (length(bound) == 2 && sum(fixed) == 1 && length(bound[[which(fixed)]]$value) == 1) {
    return(new_call(is_identical, "is_identical", bound[order(fixed)], expr, scope$env,
                    find_word("is_identical", is_identical)))
  }
  if (!is.null(scope$in_function)) give_up()
  stop_because(c("{.code identical()} compares a column with one value of the script.",
                 "in" = "{scope_text(scope)}",
                 "try" = paste("To compare columns write {.code a == b}; where both may be missing,",
                             "{.code a == b || is.na(a) && is.na(b)}.")), "not_row_wise", scope$call)
}

is_identical <- function(x, value) {
  same_type <- typeof(x) == typeof(value) && identical(attributes(x[0]), attributes(value[0]))
  if (same_type && is.atomic(x)) as.vector(unclass(x)) %in% as.vector(unclass(value)) else rep(FALSE, length(x))
}
