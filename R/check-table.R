# Checks of the table that a verb is given.

check_table <- function(x, call, arg = "x") {
  if (!is.data.frame(x) && !is_rooted_table(x)) {
    if (is_named_first(sys.call(-1))) stop_named_first(sys.call(-1))
    stop_not_a_table(x, call, arg)
  }
  names <- column_names(x)
  twice <- anyDuplicated(names)
  if (twice) {
    stop_because(c("Two columns have the same name {.code {names[twice]}}.",
                   "try" = "Give one of them another name first."),
                 "repeated_name", call)
  }
  broken <- which(!validUTF8(names))
  if (length(broken)) {
    stop_because(c("The name of column {broken[1]} is not valid UTF-8.",
                   "try" = "If it is Latin-1, translate it first: names(x) <- iconv(names(x), \"latin1\", \"UTF-8\")."),
                 "bad_text", call)
  }
  # R itself has other uses for `...` and `..1`.
  of_r <- if (any(startsWith(names, ".."))) grep("^[.][.]([.]|[0-9]+)$", names)
  if (length(of_r)) {
    stop_because(c("A column can't be called {.code {names[of_r[1]]}}: R has another use for this name.",
                   "try" = paste0("Give it another name ",
                                "first{if (is.data.frame(x)) paste0(': names(x)[', of_r[1], '] <- \"dots\"') ",
                                "else ', by `names =`'}.")), "bad_target", call)
  }
  reserved <- names[match(names, reserved_names, 0L) > 0L]
  if (length(reserved)) {
    stop_because(c("A column can't be called {.code {reserved[1]}}: this name has a special meaning in formulas.",
                   "try" = paste0("Give it another name ",
                                "first{if (is.data.frame(x)) ': names(x)[' else ', by `names =`'}{if ",
                                "(is.data.frame(x)) paste0(match(reserved[1], names), '] <- \"', ",
                                "sub('^.', '', reserved[1]), '\"')}.")),
                 "bad_target", call)
  }
  if (anyNA(names) || !all(nzchar(names))) {
    stop_because(c("Column {which(is.na(names) | !nzchar(names))[1]} has no name.", "try" = "Give it one first."),
                 "repeated_name", call)
  }
}

# `visits |> must_hold("found" = net_kg > 0)`: the condition was given the name that the table has.
is_named_first <- function(typed) {
  names <- names(typed)
  !is.null(names) && "x" %in% names && any(!nzchar(names[-1]))
}

stop_named_first <- function(typed) {
  verb <- one_line(typed[[1]])
  stop_because(c("{.code x} is the table argument of {.code {verb}()}: nothing else can have this name.",
                 "found" = "{.code x = {one_line(typed$x)}}",
                 "try" = if (verb %in% c("must_hold",
                                       "should_hold")) paste0("Give the condition another name, such as ",
                                                              "{.code \"{one_line(typed$x)}\" = \u2026}.")
                       else "Columns are set in a block: {.code {verb}({{ x <- {one_line(typed$x)} }})}."),
                         "bad_argument", as.call(list(typed[[1]])))
}

# What was to be the table could not be calculated. R would name a function that nobody called.
stop_no_first <- function(error, typed) {
  if (inherits(error, "rowanroot_error")) stop(error)
  if (is_named_first(typed)) stop_named_first(typed)
  asked <- if (is.symbol(typed[[1]])) as.call(list(typed[[1]]))
  first <- if (length(typed) > 1) typed[[2]]
  if (!is.symbol(first) || exists(as.character(first), envir = globalenv())) {
    if (identical(conditionCall(error)[[1]], quote(is_routine))) error$call <- asked
    stop(error)
  }
  stop_because("There is no object {.code {as.character(first)}}.", "not_a_table", asked, parent = NULL)
}

column_names <- function(x) if (is_rooted_table(x)) rooted(x)$columns else names(x)

is_rooted_table <- function(x) inherits(x, "rooted_table")

# The parts of a rooted table: `$` gives its columns.
rooted <- function(x) attr(x, "parts")

is_in_database <- function(x) is_rooted_table(x) && inherits(rooted(x)$source, "database_source")

# What the values of a table are made from, as it is now.
origin_now <- function(x, call) UseMethod("origin_now")
