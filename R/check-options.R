# Checks of options.

# The value of an option that is one of a few words.
check_one_of <- function(value, choices, name, call) {
  if (is.character(value) && length(value) == 1 && value %in% choices) return(value)
  hint <- if (is.character(value) && length(value) == 1) nearest_name(value, choices)
  found <- if (is.character(value) && length(value) == 1) encodeString(value, quote = "\"") else what_is(value)
  stop_because(c("{.arg {name}} can be {.or {.val {choices}}}, not {found}.",
                 "try" = if (length(hint)) "{.val {hint}}"), "bad_argument", call)
}

check_whole_number <- function(value, least, name, call) {
  if (is.numeric(value) && length(value) == 1 && !is.na(value) && value == floor(value) && value >= least &&
      is.finite(value)) return(as.numeric(value))
  found <- if (is.numeric(value) && length(value) == 1) format(value) else what_is(value)
  stop_because("{.arg {name}} must be a whole number of at least {least}, not {found}.", "bad_argument", call)
}

check_options <- function(options, defaults) {
  defaults[names(options)] <- options
  defaults
}

check_flag <- function(x, arg, call) {
  if (!rlang::is_bool(x)) stop_because("{.arg {arg}} must be TRUE or FALSE, not {what_is(x)}.", "bad_argument", call)
}
