# A step is what a verb was told, bound and ready: it can be run on data, and has a key. Each verb has a
# class of steps with methods for these. A step has `columns`, the names after it, and `columns_before`.

# The data frame after the step.
run_step <- function(step, data, call) UseMethod("run_step")

# The step as text that changes if, and only if, what it calculates does.
step_key <- function(step) UseMethod("step_key")

# The same step for a table with these columns.
bind_step <- function(step, names, call) UseMethod("bind_step")

# What the step says, line by line: for each line its name, its text, a key, and the script's values in it.
step_lines <- function(step) UseMethod("step_lines")

# For each column that the step sets, the columns that it is made from.
step_origins <- function(step) UseMethod("step_origins")

#' @export
step_origins.default <- function(step) list()

# The columns of the table before that are needed if these are wanted after. With `wanted` among its parts a step is to give only those,
# as far as it can; else all of its formulas are run.
step_needs <- function(step, wanted) UseMethod("step_needs")

#' @export
step_needs.default <- function(step, wanted) step$columns_before

# Keys of what comes out, from those of what goes in: a list of `rows`, for which rows there are and in which order, and `columns`.
# Each names a value by all that it was made from.
step_keys <- function(step, keys) UseMethod("step_keys")

#' @export
step_keys.default <- function(step, keys) keys_in_rows(key_from(key_of_step(step), keys$rows, keys$columns), stats::setNames(nm = step$columns))

key_from <- function(...) rlang::hash(paste(c(engine_version, ...), collapse = "\n"))

# The same columns in other rows.
keys_in_rows <- function(rows, columns) {
  list(rows = rows, columns = vapply(columns, function(column) key_from(rows, column), ""))
}

# A step is run at once on a data frame and is recorded on a live table.
apply_step <- function(x, step, call) {
  if (!is_live_table(x)) return(run_step(step, x, call))
  step$typed_call <- typed_call(as.character(call[[1]]), sys.function(-1), sys.call(-1))
  add_step(x, step)
}

check_table <- function(x, call, arg = "x") {
  if (!is.data.frame(x) && !is_live_table(x)) {
    if (is_named_first(sys.call(-1))) stop_named_first(sys.call(-1))
    stop_not_a_table(x, call, arg)
  }
  names <- column_names(x)
  twice <- anyDuplicated(names)
  if (twice) {
    stop_because(c("Two columns have the same name {.code {names[twice]}}.", "i" = "Give one of them another name first."),
                 "repeated_name", call)
  }
  broken <- which(!validUTF8(names))
  if (length(broken)) {
    stop_because(c("The name of column {broken[1]} is not valid UTF-8.", "i" = "If it is Latin-1, translate it first: names(x) <- iconv(names(x), \"latin1\", \"UTF-8\")."), "bad_text", call)
  }
  # R itself has other uses for `...` and `..1`.
  of_r <- grep("^[.][.]([.]|[0-9]+)$", names)
  if (length(of_r)) {
    stop_because(c("A column can't be called {.code {names[of_r[1]]}}: R has another use for this name.",
                   "i" = "Give it another name first{if (is.data.frame(x)) paste0(': names(x)[', of_r[1], '] <- \"dots\"') else ', by `names =`'}."), "bad_target", call)
  }
  reserved <- intersect(names, reserved_names)
  if (length(reserved)) {
    stop_because(c("A column can't be called {.code {reserved[1]}}: in a formula this name has a meaning of its own.",
                   "i" = "Give it another name first{if (is.data.frame(x)) ': names(x)[' else ', by `names =`'}{if (is.data.frame(x)) paste0(match(reserved[1], names), '] <- \"', sub('^.', '', reserved[1]), '\"')}."),
                 "bad_target", call)
  }
  if (anyNA(names) || !all(nzchar(names))) {
    stop_because(c("Column {which(is.na(names) | !nzchar(names))[1]} has no name.", "i" = "Give it one first."), "repeated_name", call)
  }
}

# `visits |> must_hold("x" = net_kg > 0)`: the condition was given the name that the table has.
is_named_first <- function(typed) {
  names <- names(typed)
  !is.null(names) && "x" %in% names && any(!nzchar(names[-1]))
}

stop_named_first <- function(typed) {
  verb <- one_line(typed[[1]])
  stop_because(c("{.code x} is what the table of {.code {verb}()} is called: something else can't have this name.",
                 "x" = "Given is {.code x = {one_line(typed$x)}}.",
                 "i" = if (verb %in% c("must_hold", "should_hold")) "Give the condition another name, such as {.code \"{one_line(typed$x)}\" = \u2026}."
                       else "Columns are set in a block: {.code {verb}({{ x <- {one_line(typed$x)} }})}."), "bad_argument", as.call(list(typed[[1]])))
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

column_names <- function(x) if (is_live_table(x)) live(x)$columns else names(x)

# The script's single values in a tree, by the code that gave them.
shown_values <- function(node) {
  values <- find_nodes(node, function(node) node$kind == "value" && is_shown_value(node))
  found <- stats::setNames(lapply(values, function(node) format_value(node$value)), vapply(values, function(node) one_line(node$shown), ""))
  found[!duplicated(names(found))]
}

# A literal shows itself in the formula.
is_shown_value <- function(node) is.atomic(node$value) && length(node$value) == 1 && !identical(node$shown, node$value)

format_value <- function(value) if (is.character(value)) quoted(value) else format(value, digits = 15)

# Row names that are only numbers are none.
has_row_names <- function(data) is.character(.row_names_info(data, 0L))

# A table of the class of `data`, with its attributes, but these columns and row names (NULL: the same).
as_table_like <- function(data, columns, row_names) {
  extra <- attributes(data)
  extra$names <- names(columns)
  if (is.null(row_names)) row_names <- .row_names_info(data, 0L)
  extra$row.names <- row_names
  attributes(columns) <- extra
  columns
}
