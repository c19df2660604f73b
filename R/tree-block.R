# A block of statements, as it was typed, cut into its parts. Nothing is looked up here.

# Names that mean something in every formula.
reserved_names <- c(".row", ".rows", ".above")

# A block is code in braces. Gives its lines, as code.
block_lines <- function(block, call) {
  if (!is_block(block)) stop_not_a_block(if (missing(block)) quote(expr = ) else block, call)
  if (length(block) == 1) {
    stop_because(c("The block has no lines.",
                   "try" = "Write formulas in its braces, such as {.code net_kg <- gross_kg - tare_kg}."),
                 "not_a_block", call)
  }
  as.list(block)[-1]
}

is_block <- function(expr) is_call_to(expr, "{")

is_call_to <- function(expr, names) match(head_name(expr), names, 0L) > 0L

# The name of what is called, or an empty text.
head_name <- function(expr) if (is.call(expr) && is.symbol(expr[[1]])) as.character(expr[[1]]) else ""

# A line that sets columns: their names, the formula, and the condition if only some rows are set.
parse_statement <- function(expr, env, call) {
  if (!is_call_to(expr, c("<-", "=")) || length(expr) != 3) stop_not_a_statement(expr, call)
  place <- expr[[2]]
  condition <- NULL
  if (!is.symbol(place) && is_call_to(place, "[")) {
    if (length(place) != 3) stop_bad_target(expr, call)
    if (identical(place[[3]], quote(expr = ))) {
      name <- one_line(place[[2]])
      stop_because(c("{.code {name}[]} names no rows.",
                     "try" = paste0("For all rows write {.code {name} <- \u2026}, for some ",
                                  "{.code {name}[condition] <- \u2026}.")), "bad_target", call)
    }
    condition <- place[[3]]
    place <- place[[2]]
  }
  targets <- statement_targets(place, expr, env, call)
  list(targets = targets, formula = expr[[3]], condition = condition, removes = is.null(expr[[3]]) &&
       is.null(condition),
       line = expr)
}

# A line of a block, or a condition, as text.
line_text <- function(line) {
  if (is_call_to(line, c("<-", "="))) paste(one_line(line[[2]], 80L), "<-",
                                            one_line(line[[3]], 200L)) else one_line(line, 200L)
}

statement_targets <- function(place, expr, env, call) {
  if (!is.symbol(place) && is_call_to(place, "c") && length(place) > 1) {
    names <- vapply(as.list(place)[-1], target_name, "", expr = expr, env = env, call = call)
    if (anyDuplicated(names)) stop_bad_target(expr, call)
    return(names)
  }
  target_name(place, expr, env, call)
}

target_name <- function(place, expr, env, call) {
  if (is.character(place) && length(place) == 1) place <- as.name(place)
  name <- if (is.symbol(place)) as.character(place) else if (is_call_to(place, "column_named")) named_in_code(place,
      env, call)
  if (is.null(name)) stop_bad_target(expr, call)
  if (match(name, reserved_names, 0L)) {
    stop_because(c("Can't set {.code {name}}.",
                   "try" = paste0("This name has a special meaning in formulas. Choose another, such as ",
                                "{.code {sub('^.', '', name)}}.")),
                 "bad_target", call)
  }
  name
}

# The name that `column_named(code)` stands for: the script's code gives it, no column does.
named_in_code <- function(expr, env, call) {
  name <- tryCatch(eval(expr[[2]], env), error = function(e) e)
  if (is.character(name) && length(name) == 1 && !is.na(name) && nzchar(name)) return(name)
  given <- if (inherits(name, "error")) conditionMessage(name) else paste("It is", what_is(name))
  stop_because(c("{.code {one_line(expr)}} needs one name.", "found" = "{given}."), "bad_target", call)
}

stop_bad_target <- function(expr, call) {
  stop_because(c(
    "Can't set {.code {one_line(expr[[2]])}}.",
    "found" = paste0("The left side of {.code {one_line(expr)}} must be a column, several in {.code c()}, or some ",
                     "rows of one."),
    "try" = "For example {.code a <- \u2026}, {.code c(a, b) <- \u2026}, {.code a[condition] <- \u2026}."
  ), "bad_target", call)
}

is_scratch <- function(name) startsWith(name, ".")

stop_not_a_block <- function(block, call) {
  given <- !identical(block, quote(expr = ))
  is_line <- given && is_call_to(block, "<-")
  groups <- identical(call[[1]], quote(one_row_per))
  code <- if (is_line) one_line(block) else if (groups) "mean_kg <- mean(net_kg)" else "net_kg <- gross_kg - tare_kg"
  before <- if (groups) "x, apiary" else "x"
  stop_because(c(
    "The formulas must be in braces, as one block.",
    "found" = if (given) "Outside them: {.code {one_line(block)}}." else "There are none.",
    "try" = "{.code {call[[1]]}({before}, {{ {code} }})}"
  ), "not_a_block", call)
}

stop_not_a_statement <- function(expr, call) {
  equality <- is_call_to(expr, "==")
  stop_because(c(
    "Each line of a block must set a column.",
    "found" = "{.code {one_line(expr)}} sets no column.",
    "try" = if (equality) "To set a column write {.code <-}; {.code ==} compares."
      else "{.code name <- {one_line(expr)}}"
  ), "not_a_statement", call)
}
