# Errors, warnings and notices: base conditions with a class of their own, then `rowanroot_error`,
# `rowanroot_warning` or `rowanroot_notice`. Their message is one sentence of what is wrong, then lines with a
# label: `found` (what was found), `in` (the formula) and `try` (the way out).

stop_because <- function(message, class, call = NULL, ..., parent = NULL, envir = parent.frame()) {
  stop(as_condition(filled_in(message, envir), class, "error", call, ..., parent = parent))
}

warn_because <- function(message, class, call = NULL, ..., envir = parent.frame()) {
  warning(as_condition(filled_in(message, envir), class, "warning", call, ...))
}

note_that <- function(message, class, ..., envir = parent.frame()) {
  message(as_condition(filled_in(message, envir), class, "notice", NULL, ...))
}

as_condition <- function(parts, class, kind, call, ...) {
  parts <- in_order_of_labels(parts)
  base <- if (kind == "notice") "message" else kind
  text <- paste0(condition_text(parts), if (kind == "notice") "\n")
  structure(class = c(paste0("rowanroot_", c(class, kind)), base, "condition"),
            list(message = text, call = call, ..., parts = parts))
}

# The sentence, and the lines with their labels in one column; of several lines of one label, the first has it.
condition_text <- function(parts) {
  labels <- names(parts)
  if (is.null(labels)) labels <- character(length(parts))
  again <- c(FALSE, labels[-1] == labels[-length(labels)])
  lines <- gsub("\n", "\n         ", parts, fixed = TRUE)
  labeled <- paste0("  ", formatC(ifelse(again, "", labels), width = -7), lines)
  paste(ifelse(nzchar(labels), labeled, parts), collapse = "\n")
}

in_order_of_labels <- function(parts) {
  if (is.null(names(parts))) parts else parts[order(match(names(parts), c("", "found", "in", "try")))]
}

# The same condition with one more line.
stop_with_line <- function(error, ..., envir = parent.frame()) {
  parts <- in_order_of_labels(c(error$parts, filled_in(c(...), envir)))
  error$message <- condition_text(parts)
  error$parts <- parts
  stop(error)
}

# An error caused by another one: its sentence, then that of the other one.
stop_caused <- function(sentence, error, call, class = NULL, ...) {
  if (is.null(class)) class <- sub("^rowanroot_", "", base::class(error)[1])
  is_ours <- !is.null(error$parts)
  parts <- if (is_ours) error$parts else one_text(conditionMessage(error))
  names(parts)[1] <- "found"
  # What other packages' errors have besides is theirs.
  set_here <- c("message", "call", "parts", "parent", names(list(...)))
  fields <- if (is_ours) unclass(error)[setdiff(names(error), set_here)]
  stop(do.call(as_condition, c(list(c(sentence, parts), class, "error", call), fields, list(..., parent = error)),
               quote = TRUE))
}

# How cli joins names: "a, b and c", "a, b or c".
lists_in_words <- list(span = list("vec-sep2" = " and ", "vec-last" = " and "),
                       "span.or" = list("vec-sep2" = " or ", "vec-last" = " or "),
                       "span.or span" = list("vec-sep2" = " or ", "vec-last" = " or "))

# The sentences with what stands in braces, without colours: names and values that come from files are no signs to a
# terminal.
filled_in <- function(message, envir) {
  has_braces <- grepl("[{}]", message, useBytes = TRUE)
  if (any(has_braces)) {
    outer <- options(cli.num_colors = 1L, cli.user_theme = lists_in_words)
    on.exit(options(outer))
    message[has_braces] <- vapply(message[has_braces], cli::format_inline, "", .envir = envir)
  }
  message[] <- shown(message)
  message
}

# The error of a name that is not there, with the nearest that is.
stop_unknown_column <- function(name, known, call, formula = NULL, parent = NULL) {
  hint <- nearest_name(name, known)
  written <- shown(name)
  stop_because(c(
    "There is no column {.code {written}}.",
    "in" = if (!is.null(formula)) "{formula}",
    "try" = if (length(known) == 1 && grepl("[;\t|]", known))
              paste0("The only column is {.code {known}}. Is the separator ",
                     "{.code {one_line(sub('.*?([;\t|]).*', '\\\\1', known))}}? Say so: ",
                     "{.code open_table(\u2026, separator = \u2026)}.")
          else if (length(hint)) "{.code {hint}}"
          else if (length(known)) "The columns are {listed(known)}."
          else "The table has no columns."
  ), "unknown_column", call, parent = parent, column = name, nearest = hint)
}

stop_not_a_table <- function(x, call, arg = "x") {
  stop_because(c(
    "{.arg {arg}} must be a data frame or a rooted table, not {what_is(x)}.",
    "try" = if (inherits(x, "routine")) "A routine has no rows: {.code run(routine, data)} applies it to a table."
          else "A data frame comes from {.code data.frame()}, a rooted table from {.code open_table()}."
  ), "not_a_table", call)
}

# "a number", "text", "a list of 3": what a value is, in words.
what_is <- function(x) {
  if (is.null(x)) return("NULL")
  if (is.function(x)) return("a function")
  if (is.data.frame(x)) return("a data frame")
  if (inherits(x, "routine")) return("a routine")
  if (is_rooted_table(x)) return("a rooted table")
  if (is.language(x)) return("a piece of code")
  if (is.environment(x)) return("an environment")
  if (!is.null(dim(x))) return(paste("a table of", paste(dim(x), collapse = " x ")))
  if (is.list(x)) return(if (is.object(x)) paste("an object of class", class(x)[1]) else paste("a list of", length(x)))
  kind <- switch(type_name(x), integer = "whole number", logical = "logical value", category = "category value",
                 type_name(x))
  if (length(x) != 1) return(counted(length(x), kind))
  if (is.atomic(x) && is.na(x)) return(if (kind == "logical value") "a missing value" else paste("a missing", kind))
  if (identical(x, "")) "an empty text" else paste("a", kind)
}

# Text that stands for itself in a message.
escaped <- function(x) gsub("}", "}}", gsub("{", "{{", x, fixed = TRUE), fixed = TRUE)
