# A function of the script that can't be taken into a formula is given whole columns. What was written for one row may
# then mean something else without any sign of it: such a function is refused, and the message shows how to say which of
# the two is meant. In one_row_per() a function of the group's columns is what is wanted.

# Warnings that only the first of several values was looked at.
stop_at_one <- function(code) {
  withCallingHandlers(code, warning = function(w) {
    if (grepl(meant_for_one, conditionMessage(w))) stop(conditionMessage(w), call. = FALSE)
  })
}

# Before it is called: code that means one thing for a value and another for a column.
check_means_whole_columns <- function(name, arguments, node, block) {
  if (!may_be_for_one_row(arguments, node, block)) return(invisible())
  part <- row_part(called_function(node), new_trail())
  if (is.null(part)) return(invisible())
  stop_row_or_columns(c("{.code {name}()} may be meant for one row or for whole columns.",
                        "found" = paste("{.code {label_of(node)}} in {.code {block$formula}} calls it, and",
                                    "{.code {one_line(part)}} in it means another thing for each of the two.")),
                      name, node, block)
}

# After: one value, though there are several rows.
check_not_for_one_row <- function(result, rows, name, arguments, node, block) {
  if (rows < 2 || length(result) != 1 || !may_be_for_one_row(arguments, node, block)) return(invisible())
  of <- paste0(if (has_parts(block, block_groups(block, node$within))) "a group of ", counted_rows(rows))
  stop_row_or_columns(c("{.code {name}()} gives one value for {of}.",
                        "found" = "{.code {label_of(node)}} in {.code {block$formula}} calls it with whole columns."),
                      name, node, block)
}

# A function of the script that is called with columns, where one value a group is not what is wanted.
may_be_for_one_row <- function(arguments, node, block) {
  !isTRUE(block$for_groups) && is_script_function(called_function(node)) && any_columns(arguments)
}

# What the formula calls: of calls in calls, the outermost.
called_function <- function(node) if (is.null(node$outer)) node$fun else node$outer

any_columns <- function(arguments) {
  any(!vapply(arguments, function(argument) argument$kind %in% c("constant", "object"), NA))
}

stop_row_or_columns <- function(message, name, node, block, envir = parent.frame()) {
  inside <- escaped(paste(c(name, call_inside(node$shown)), collapse = ", "))
  stop_because(c(message, "try" = paste0("If it is for one row, write {.code one_by_one(", inside,
                                         ")}, which is slow."),
                 "try" = paste0("If it is for whole columns, or those of a group, write {.code all_at_once(", inside,
                              ")}.")),
               "row_or_columns", block$call, name = name, envir = envir)
}

# The arguments of a call as they were typed.
call_inside <- function(expr) {
  if (!is.call(expr)) return(one_line(expr))
  parts <- as.list(expr)[-1]
  shown <- vapply(parts, one_line, "")
  names <- names(parts)
  if (is.null(names)) shown else paste0(names, ifelse(nzchar(names), " = ", ""), shown)
}

# The first part of a function's body, or of a function of the script that it calls, whose meaning depends on how many
# values there are; NULL without one. Functions in it have values of their own.
row_part <- function(fun, trail) {
  if (!is_script_function(fun) || !is.na(trail_place(trail, fun))) return(NULL)
  own <- names_from(names(formals(fun)), body(fun))
  find_part <- function(expr) {
    if (!is.call(expr) || is_call_to(expr, c("function", "~", "quote", "bquote"))) return(NULL)
    if (picks_by_number(expr, own) || looks_at_one(expr)) return(expr)
    for (part in as.list(expr)) {
      found <- if (!missing(part)) find_part(part)
      if (!is.null(found)) return(found)
    }
    called <- if (nzchar(head_name(expr))) get0(head_name(expr), environment(fun), mode = "function")
    if (!is.null(called) && !is.null(row_part(called, trail))) expr
  }
  find_part(body(fun))
}

# x[1], x[[2]], x[1] <- 0, of something that the arguments come into.
picks_by_number <- function(expr, own) {
  is_call_to(expr, c("[", "[[")) && length(expr) == 3 && is_number_typed(expr[[3]]) && any(all.vars(expr[[2]]) %in% own)
}

is_number_typed <- function(expr) {
  is.numeric(expr) || is_call_to(expr, "-") && length(expr) == 2 && is.numeric(expr[[2]])
}

# What handles the errors of all rows together, and what puts several columns together.
looks_at_one <- function(expr) {
  name <- head_name(expr)
  fun <- if (nzchar(name)) get0(name, baseenv(), mode = "function")
  if (is.null(fun)) return(FALSE)
  word <- find_word(name, fun)
  if (is_handler(fun) || isTRUE(word$looks_at_one)) return(TRUE)
  if (is.null(word) || word$kind != "aggregate") return(FALSE)
  given <- as.list(expr)[-1]
  if (!is.null(names(given))) given <- given[names(given) != "na.rm"]
  if (length(given) > 1) return(!is.null(word$of_parts))
  length(given) == 1 && is_call_to(given[[1]], "c") && length(given[[1]]) > 2
}

# These names, and those that a body gives to what they come into.
names_from <- function(names, body) {
  given <- assignments(body)
  repeat {
    come_into <- function(one) if (any(all.vars(one[[3]]) %in% names)) as.character(one[[2]])
    more <- setdiff(unlist(lapply(given, come_into)), names)
    if (!length(more)) return(names)
    names <- c(names, more)
  }
}

assignments <- function(expr) {
  if (!is.call(expr)) return(list())
  own <- if (is_call_to(expr, c("<-", "=")) && is.symbol(expr[[2]])) list(expr)
  c(own, unlist(lapply(as.list(expr), function(part) if (!missing(part)) assignments(part)), recursive = FALSE))
}
