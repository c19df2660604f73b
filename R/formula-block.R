# A block of statements, as it was typed, cut into its parts. Nothing is looked up here.

# Names that mean something in every formula.
reserved_names <- c(".row", ".rows", ".above")

# A block is code in braces. Gives a list of statements: the name that is set, the formula, its text.
parse_block <- function(block, call) {
  if (!is_block(block)) stop_not_a_block(if (missing(block)) quote(expr = ) else block, call)
  lapply(as.list(block)[-1], parse_statement, call = call)
}

is_block <- function(expr) is.call(expr) && identical(expr[[1]], quote(`{`))

parse_statement <- function(expr, call) {
  is_assignment <- is.call(expr) && length(expr) == 3 && (identical(expr[[1]], quote(`<-`)) || identical(expr[[1]], quote(`=`)))
  if (!is_assignment) stop_not_a_statement(expr, call)
  target <- statement_target(expr, call)
  list(target = target, formula = expr[[3]], removes = is.null(expr[[3]]),
       text = paste(target, "<-", one_line(expr[[3]], 200L)))
}

statement_target <- function(expr, call) {
  target <- expr[[2]]
  if (is.character(target) && length(target) == 1) target <- as.name(target)
  if (!is.symbol(target)) {
    stop_because(c(
      "Can't set {.code {one_line(target)}}.",
      "x" = "The left side of {.code {one_line(expr)}} must be the name of a column.",
      "i" = "To change some rows only, write {.code x <- if (condition) formula else x}."
    ), "bad_target", call)
  }
  name <- as.character(target)
  if (name %in% reserved_names) {
    stop_because(c("Can't set {.code {name}}.",
                   "i" = "This name has a meaning of its own in formulas: choose another, such as {.code {sub('^.', '', name)}}."),
                 "bad_target", call)
  }
  name
}

is_scratch <- function(name) startsWith(name, ".")

stop_not_a_block <- function(block, call) {
  given <- !identical(block, quote(expr = ))
  is_line <- given && is.call(block) && identical(block[[1]], quote(`<-`))
  code <- if (is_line) one_line(block) else "net_kg <- gross_kg - tare_kg"
  stop_because(c(
    "The formulas must stand in braces, as one block.",
    "x" = if (given) "This stands outside of them: {.code {one_line(block)}}." else "There are none.",
    "i" = "Write {.code set_columns(x, {{ {code} }})}."
  ), "not_a_block", call)
}

stop_not_a_statement <- function(expr, call) {
  equality <- is.call(expr) && identical(expr[[1]], quote(`==`))
  stop_because(c(
    "Each line of a block must set a column.",
    "x" = "{.code {one_line(expr)}} sets none.",
    "i" = if (equality) "To set a column write {.code <-}; {.code ==} compares." else "Write {.code name <- {one_line(expr)}}."
  ), "not_a_statement", call)
}
