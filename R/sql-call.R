# Calls of functions of R's and of ours, as SQL.

# A call by what its word is to databases: a way of its own, or what the dialect makes of its arguments. What it gives
# has the type of the first, or that which the dialect says.
sql_call <- function(node, items) {
  word <- node$word
  if (identical(word$kind, "look_up")) return(sql_look_up(node, items))
  # Memory calls no function of R's in a recurrence.
  if (is.null(word$sql) || isTRUE(items$is_row) || !goes_by_value(word, node$arguments) || !is.null(node$within)) {
    not_in_sql("`", node$name, "()`")
  }
  own <- calls_of_their_own[[word$sql]]
  if (!is.null(own)) return(own(node, items))
  operands <- lapply(matched_arguments(node), function(argument) once(sql_node(argument, items), items))
  if (!length(operands)) not_in_sql("`", node$name, "()` like this")
  made_of_word(word, operands, operands[[1]]$type, items)
}

calls_of_their_own <- list(
  in_values = function(node, items) sql_in_values(node, items),
  bands = function(node, items) sql_bands(node, items),
  split_text = function(node, items) not_in_sql("`split_text()` that gives several columns")
)

# The arguments under the names that the function has for them, in its order; those among its dots as they were given.
matched_arguments <- function(node) {
  fun <- node$word$fun
  if (is.primitive(fun)) return(as.list(node$arguments))
  given <- match.call(fun, as.call(c(list(quote(f)), node$arguments)))
  given <- Filter(function(argument) !is_null_value(argument), as.list(given)[-1])
  order <- match(names(formals(fun)), names_or_none(given), nomatch = 0)
  in_dots <- setdiff(seq_along(given), order)
  at_dots <- match("...", names(formals(fun)))
  if (is.na(at_dots)) return(given[order])
  before <- order[seq_along(order) < at_dots]
  given[c(before[before > 0], in_dots, setdiff(order, c(before, 0)))]
}
