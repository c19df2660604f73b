# Formulas where columns give groups or an order, as in `within = date_part(day, "year")`. Each becomes a side column, a
# scratch column with the formula's code for a name: a block sets it on a line before the one that needs it; before
# other verbs it is set in a step of its own, and left out after them.

side_name <- function(expr) paste(".", paste(trimws(deparse(expr, 500L)), collapse = " "))

# As messages show columns of groups and orders.
shown_side <- function(names) sub("^\\. ", "", names)

is_side <- function(names) startsWith(names, ". ")

# The side columns of a verb for a table with these columns, as an environment: the `lines` that set them, and those
# that are `there` already.
new_side_columns <- function(names, there = character()) {
  lines <- list()
  take <- function(expr, scope) {
    name <- side_name(expr)
    if (name %in% there) return(name)
    if (name %in% names) stop_side_taken(name, scope$call)
    set(name, expr)
  }
  set <- function(name, expr) {
    lines <<- c(lines, list(call("<-", as.name(name), expr)))
    there <<- c(there, name)
    name
  }
  environment()
}

stop_side_taken <- function(name, call) {
  stop_because(c("The table has a column {.code {name}}, the name for the groups of {.code {shown_side(name)}}.",
                 "try" = "Give that column another name."), "bad_choice", call)
}

# The columns of the table with those of the side.
with_sides_of <- function(names, sides) union(names, sides$there)

# Columns that make groups; `scope` has the `columns`, and the `sides` that formulas among them become.
choose_groups <- function(expr, scope) {
  expr <- with_side_columns(expr, scope)
  choose_columns(expr, with_sides_of(scope$columns, scope$sides), scope$env, scope$call)
}

# The names of columns by which rows are put in order, and which of them from the greatest down.
choose_order <- function(expr, scope) {
  parts <- if (is_call_to(expr, "c")) as.list(expr)[-1] else list(expr)
  chosen <- lapply(parts, function(part) {
    if (is_call_to(part, "-") && length(part) == 2) {
      stop_because(c("Can't order by {.code {one_line(part)}}.",
                     "try" = "For the greatest value first, write {.code descending({one_line(part[[2]])})}."),
                   "bad_choice", scope$call)
    }
    downwards <- is_call_to(part, "descending")
    found <- choose_groups(if (downwards) part[[2]] else part, scope)
    list(names = found, descending = rep(downwards, length(found)))
  })
  order <- list(names = unlist(lapply(chosen, `[[`, "names")), descending = unlist(lapply(chosen, `[[`, "descending")))
  first <- !duplicated(order$names)
  list(names = order$names[first], descending = order$descending[first])
}

# What chooses columns, with the names of side columns in the places of its formulas.
with_side_columns <- function(expr, scope) {
  if (is_call_to(expr, c("c", "("))) {
    given <- names_or_none(as.list(expr))
    for (k in seq_along(expr)[-1]) {
      if (nzchar(given[k]) && is_side_formula(expr[[k]], scope)) stop_side_named(given[k], expr[[k]], scope)
      expr[k] <- list(with_side_columns(expr[[k]], scope))
    }
    return(expr)
  }
  if (is.null(scope$sides) || !is_side_formula(expr, scope)) return(expr)
  local <- intersect(mentioned_names(expr), names(scope$locals))
  if (length(local)) stop_local_name(expr, local[1], scope)
  as.name(scope$sides$take(expr, scope))
}

stop_side_named <- function(name, expr, scope) {
  stop_because(c("A formula for groups or for an order has no name here.",
                 "found" = "{.code {name} = {one_line(expr)}}",
                 "try" = "{.code {one_line(expr)}}"), "bad_choice", scope$call)
}

# A formula of columns, or the number of the row. `a - b` is one; a range or a pattern with a minus is a choice.
is_side_formula <- function(expr, scope) {
  if (is.symbol(expr)) return(match(as.character(expr), reserved_names, 0L) > 0L)
  if (!is.call(expr)) return(FALSE)
  chooses <- switch(head_name(expr),
    ":" = , descending = , names_like = , columns_found = , columns_that = , all_columns = TRUE,
    "-" = length(expr) == 2 || is_choice(expr[[2]], scope$columns),
    FALSE
  )
  if (chooses) return(FALSE)
  names <- mentioned_names(expr)
  if (any(is_in_scope(names, scope)) || !all(vapply(names, exists, NA, envir = scope$env))) return(TRUE)
  stop_because(c("{.code {one_line(expr)}} is the same for all rows.", "found" = "No column is in it.",
                 "try" = "Columns by name, or a formula of columns, such as {.code date_part(day, \"year\")}."),
               "bad_choice", scope$call)
}
