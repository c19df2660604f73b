# Every error and warning has a class of its own, then `rowanroot_error` or `rowanroot_warning`.
# Messages are cli's: one sentence of what is wrong, then what was found, then what to do.

stop_because <- function(message, class, call = NULL, ..., parent = NULL, envir = rlang::caller_env()) {
  rlang::abort(plain_message(message, envir), class = c(paste0("rowanroot_", class), "rowanroot_error"),
               call = call, parent = parent, ..., use_cli_format = TRUE, .frame = envir)
}

warn_because <- function(message, class, call = NULL, ..., envir = rlang::caller_env()) {
  rlang::warn(plain_message(message, envir), class = c(paste0("rowanroot_", class), "rowanroot_warning"),
              call = call, ..., use_cli_format = TRUE)
}

# The sentences with what stands in braces, without colours: names and values that come from files are no signs to a
# terminal.
plain_message <- function(message, envir) {
  outer <- options(cli.num_colors = 1L)
  on.exit(options(outer))
  message[] <- shown(vapply(message, cli::format_inline, "", .envir = envir))
  message
}

# The error of a name that is not there, with the nearest that is.
stop_unknown_column <- function(name, known, call, formula = NULL, place = "a column", parent = NULL) {
  hint <- nearest_name(name, known)
  stop_because(c(
    "There is no column {.code {name}}.",
    "x" = if (!is.null(formula)) "It is used in {.code {formula}}, and is neither a column nor defined in the script.",
    "i" = if (length(known) == 1 && grepl("[;\t|]",
                                          known)) paste0("The only column is {.code {known}}. Is the separator ",
                                                         "{.code {one_line(sub('.*?([;\t|]).*', '\\\\1', ",
                                                         "known))}}? Say so: {.code ",
                                                         "open_table(\u2026, separator = \u2026)}.")
          else if (length(hint)) "Did you mean {.code {hint}}?"
          else if (length(known)) "The columns are {listed(known)}."
          else "The table has no columns."
  ), "unknown_column", call, parent = parent, column = name, nearest = hint)
}

stop_not_a_table <- function(x, call, arg = "x") {
  stop_because(c(
    "{.arg {arg}} must be a data frame or a live table, not {what_is(x)}.",
    "i" = if (inherits(x, "routine")) "A routine has no rows: {.code run(r, data)} applies it to a table."
          else "A data frame comes from {.code data.frame()}, a live table from {.code open_table()}."
  ), "not_a_table", call)
}

# "a number", "text", "a list of 3": what a value is, in words.
what_is <- function(x) {
  if (is.null(x)) return("NULL")
  if (is.function(x)) return("a function")
  if (is.data.frame(x)) return("a data frame")
  if (inherits(x, "routine")) return("a routine")
  if (is_live_table(x)) return("a live table")
  if (is.language(x)) return("a piece of code")
  if (!is.null(dim(x))) return(paste("a table of", paste(dim(x), collapse = " x ")))
  if (is.list(x)) return(if (is.object(x)) paste("an object of class", class(x)[1]) else paste("a list of", length(x)))
  kind <- type_name(x)
  if (length(x) == 1) paste("one", kind, "value") else paste(length(x), kind, "values")
}

# Text that stands for itself in a message.
escaped <- function(x) gsub("}", "}}", gsub("{", "{{", x, fixed = TRUE), fixed = TRUE)
