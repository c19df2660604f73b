# Columns as the core puts them in order.

# A column as the core puts it in order: texts as numbers, categories in the order of their levels.
sortable_column <- function(x, call, name = NULL) {
  if (is.character(x)) return(text_codes_cpp(x, getOption("rowanroot.threads", 0L)))
  if (!is.atomic(x) || is.null(x) || !is.null(dim(x)) || is.complex(x) || is.raw(x)) {
    stop_because(c(if (is.null(name)) "Can't put {what_is(x)} in order." else "Can't put {.code {name}} in order.",
                   "found" = if (!is.null(name)) "It is {what_is(x)}.",
                   "try" = "Order by numbers, text, dates or categories."), "type_mismatch", call)
  }
  stored_values(x)
}

sortable_columns <- function(columns, names, call) {
  unname(Map(function(column, name) sortable_column(column, call, name), columns, names))
}
