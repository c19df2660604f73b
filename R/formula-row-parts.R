# In a function of one row, `c(a, b)` puts together a few values of that row: what R makes one value of, it makes one
# of each row's.

# A node for `any(is.na(c(a, b)))`, `max(c(a, b, 0))`, `length(c(a, b))` and the like; NULL for anything else.
bind_parts_of_row <- function(name, fun, arguments, expr, scope) {
  join <- part_joins[[name]]
  if (is.null(join) || !identical(fun, get(name, envir = baseenv()))) return(NULL)
  skip <- identical(arguments$na.rm, TRUE)
  if (is.logical(arguments$na.rm)) arguments <- arguments[names(arguments) != "na.rm"]
  if (length(arguments) != 1 || !is.null(names(arguments)) && any(nzchar(names(arguments)))) return(NULL)
  parts <- parts_of_row(arguments[[1]], scope)
  if (is.null(parts)) return(NULL)
  if (!length(parts) || skip && name %in% c("max", "min", "length")) give_up()
  join(lapply(parts, function(part) shared(bind_formula(part, scope))), skip, expr)
}

# The code of each part: of `f(c(a, b))`, for a function of R that goes value by value, `f(a)` and `f(b)`.
parts_of_row <- function(expr, scope) {
  if (!is.call(expr)) return(NULL)
  name <- head_name(expr)
  fun <- if (nzchar(name)) get0(name, envir = scope$env, mode = "function")
  if (identical(fun, base::`(`)) return(parts_of_row(expr[[2]], scope))
  given <- as.list(expr)[-1]
  if (identical(fun, base::c)) return(if (is.null(names(given))) given else give_up())
  if (!length(given) || !is_word_or_by_value(name, fun, given)) return(NULL)
  inner <- lapply(given, function(one) if (!missing(one)) parts_of_row(one, scope))
  several <- which(!vapply(inner, is.null, NA))
  if (!length(several)) return(NULL)
  if (length(several) > 1) give_up()
  lapply(inner[[several]], function(part) {
    expr[[several + 1]] <- part
    expr
  })
}

each_pair <- function(word, parts, expr) Reduce(function(a, b) word_node(word, a, b, shown = expr), parts)

# R's sums of logicals are whole numbers.
part_joins <- list(
  sum = function(parts, skip, expr) {
    nothing <- value_node(0L, 0L)
    or_nothing <- function(part) {
      list(kind = "choose", condition = word_node("is.na", part, shown = expr), yes = nothing, no = part, shown = expr)
    }
    if (skip) parts <- lapply(parts, or_nothing)
    each_pair("+", c(list(nothing), parts), expr)
  },
  max = function(parts, skip, expr) each_pair("pmax", parts, expr),
  min = function(parts, skip, expr) each_pair("pmin", parts, expr),
  any = function(parts, skip, expr) {
    if (skip) parts <- lapply(parts, function(part) word_node("isTRUE", part, shown = expr))
    each_pair("||", parts, expr)
  },
  all = function(parts, skip, expr) {
    is_not_false <- function(part) word_node("!", word_node("isFALSE", part, shown = expr), shown = expr)
    if (skip) parts <- lapply(parts, is_not_false)
    each_pair("&&", parts, expr)
  },
  length = function(parts, skip, expr) value_node(length(parts), length(parts))
)

# identical(x, 2L): is each row's value just that, of the same type and class?
bind_identical <- function(arguments, expr, scope) {
  bound <- if (length(arguments) == 2 && is.null(names(arguments))) lapply(arguments, bind_argument, scope = scope)
  fixed <- vapply(bound, function(node) node$kind == "value", NA)
  if (length(bound) == 2 && sum(fixed) == 1 && length(bound[[which(fixed)]]$value) == 1) {
    return(list(kind = "r_call", fun = is_identical, name = "is_identical", arguments = bound[order(fixed)],
                shown = expr, env = scope$env))
  }
  if (!is.null(scope$in_function)) give_up()
  stop_because(c("{.code identical()} compares a column with one value of the script.",
                 "x" = "It is used in {.code {scope_text(scope)}}.",
                 "i" = paste("To compare columns write {.code a == b}; where both may be missing,",
                             "{.code a == b || is.na(a) && is.na(b)}.")), "not_row_wise", scope$call)
}

is_identical <- function(x, value) {
  same_type <- typeof(x) == typeof(value) && identical(attributes(x[0]), attributes(value[0]))
  if (same_type && is.atomic(x)) as.vector(unclass(x)) %in% as.vector(unclass(value)) else rep(FALSE, length(x))
}
