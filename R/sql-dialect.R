# What each kind of server says in its own way. A dialect is a list:
#   connection  the connection, whose driver quotes names and texts
#   types       what the server calls the types "logical", "integer", "double", "text" and "date"
#   words       functions that make SQL of operands, by the names of the core's operations, or those that the `sql` of
#               words has (language.R)
#   size, place, trim, of_date  what it calls these functions (sql-texts.R)
#   aggregates  the same of aggregates: functions of the operand and of the window, or of "" for groups; `count` is
#               apart
#   collation   that which orders texts by their code points
#   literal     a value of R of a type as SQL
#   convert     SQL of one type as SQL of another
#   failure     what fails when it is looked at, not before
#   is_typed    whether what is fetched has the types that columns have there
#   has_nan     whether doubles can be NaN
#   whole       SQL of a whole number that fails if it is none of R's
#   whole_part  SQL of the whole part of a double that is not negative, as a whole number
#   mean_of_none, not_nought  the mean of a column without values; a count that must not be 0
#   recurrence  a function of types, the types of what each row gives, and formulas (sql-recurrence.R): the `name` of
#               an aggregate, and the statements that make it, to `prepare` the session; none if it can't be
#   frame_of_sums  the frame of a moving sum of doubles: a function of that of other words, and of how many rows it has
#   days_around  a function of a date, and of how many months and days a window reaches before and after it: the `terms`
#               of its order, and its `frame`; none if it can't be
#   fence       what keeps a server from writing a subquery's formulas into the query around it
# An operand is a list: its text as `sql`, its `type`, the `level` at which it can be had (sql-formula.R), whether it
# may be `nan`, whether it is `simple` enough to be written twice, and the `value` of a literal.

# Of operands, or of the columns of a relation.
sql_of <- function(operands) vapply(operands, `[[`, "", "sql")

types_in_sql <- function(operands) vapply(operands, `[[`, "", "type")

# The dialect of a connection; NULL for servers that are not known.
sql_dialect <- function(connection) UseMethod("sql_dialect")

#' @export
sql_dialect.default <- function(connection) NULL

# The condition that a step can't run in a database, with the reason.
not_in_sql <- function(...) {
  stop(structure(class = c("rowanroot_not_in_sql", "error", "condition"), list(message = paste0(...), call = NULL)))
}

sql_name <- function(dialect, names) as.character(DBI::dbQuoteIdentifier(dialect$connection, names))

sql_text <- function(dialect, text) as.character(DBI::dbQuoteString(dialect$connection, enc2utf8(text)))

# What makes the statement fail where a value of a type is due.
failure_as <- function(type, dialect) {
  if (type == "date" && dialect$types[["date"]] == "date") return(paste0("(DATE '1970-01-01' + ", dialect$failure, ")"))
  paste0("CAST(", dialect$failure, " AS ", dialect$types[[type]], ")")
}

# A single value of R.
sql_literal <- function(dialect, value) {
  if (inherits(value, "Date")) return(dialect$literal(value, "date"))
  type <- value_type(value)
  if (length(value) != 1 || type == "other") not_in_sql("a value of class ", class(value)[1])
  if (is.na(value) && !is.nan(value)) return("NULL")
  if (type == "text") sql_text(dialect, value) else dialect$literal(value, type)
}

# The words that all servers know, and those that this one says in its own way.
with_words <- function(dialect, words) {
  dialect$count <- function(what, over) paste0("count(", what, ")", over)
  dialect$words <- utils::modifyList(c(standard_words(dialect$collation), text_words(dialect)), words)
  dialect
}

# What all servers of the standard say alike.
standard_words <- function(collation) {
  as_is <- function(template) {
    force(template)
    function(operands, type) fill_template(template, operands)
  }
  list(
    and = as_is("({1} AND {2})"), and_then = as_is("({1} AND {2})"), or = as_is("({1} OR {2})"),
    or_else = as_is("({1} OR {2})"), not = as_is("(NOT {1})"),
    exclusive_or = as_is("({1} <> {2})"),
    is_missing = function(operands, type) paste0("(", known_number(operands[[1]]), " IS NULL)"),
    equal = compared("=", collation), not_equal = compared("<>", collation), less = compared("<", collation),
    at_most = compared("<=", collation), greater = compared(">", collation), at_least = compared(">=", collation),
    negate = as_is("(- {1})"), absolute = as_is("abs({1})"),
    lesser_of = one_of_two("<", FALSE), greater_of = one_of_two(">", FALSE), lesser_known = one_of_two("<", TRUE),
    greater_known = one_of_two(">", TRUE)
  )
}

# The lesser or the greater of two; what is not a number is so without what is known besides, and what is missing is
# missing before that.
one_of_two <- function(sign, skips) {
  force(sign)
  force(skips)
  function(operands, type) {
    if (!type %in% c("integer", "double")) not_in_sql("the lesser of these")
    a <- operands[[1]]$sql
    b <- operands[[2]]$sql
    known <- vapply(operands, known_number, "")
    is_nan <- paste0(c(a, b)[known != c(a, b)], " = 'NaN'", recycle0 = TRUE)
    unknown <- if (skips) paste0(" WHEN ", known, " IS NULL THEN ", c(b, a), collapse = "") else {
      paste0(" WHEN ", a, " IS NULL OR ", b, " IS NULL THEN NULL",
             if (length(is_nan)) paste0(" WHEN ", paste(is_nan, collapse = " OR "), " THEN 'NaN'"))
    }
    paste0("(CASE", unknown, " WHEN ", b, " ", sign, " ", a, " THEN ", b, " ELSE ", a, " END)")
  }
}

# What an operand has in it, such as a text with braces, is no place for another.
fill_template <- function(template, operands) {
  places <- gregexpr("[{][0-9]+[}]", template)
  numbers <- as.integer(gsub("[{}]", "", regmatches(template, places)[[1]]))
  regmatches(template, places) <- list(sql_of(operands[numbers]))
  template
}

# NaN is equal to itself for a database; for R a comparison with it is missing.
known_number <- function(operand) {
  if (operand$nan) paste0("(CASE WHEN ", operand$sql, " <> 'NaN' THEN ", operand$sql, " END)") else operand$sql
}

# The condition that it is known; missing where the operand is.
is_known_number <- function(operand) {
  if (operand$nan) paste0(operand$sql, " <> 'NaN'") else paste(operand$sql, "IS NOT NULL")
}

# Texts are compared by their code points.
in_code_points <- function(sql, operand, collation) {
  paste0(sql, if (operand$type == "text") paste(" COLLATE", collation))
}

# What makes one value of several that are the same, of which some may be missing.
one_of_same <- function(type, dialect) dialect$aggregates[[if (type == "logical") "any" else "greatest"]]

# Aggregates by their names there, which take the operand, and stand before the window.
named_aggregates <- function(names) {
  lapply(names, function(name) function(x, over) paste0(name, "(", x, ")", over))
}

compared <- function(sign, collation) {
  force(sign)
  force(collation)
  function(operands, type) {
    texts <- vapply(operands, function(operand) in_code_points(known_number(operand), operand, collation), "")
    paste0("(", texts[1], " ", sign, " ", texts[2], ")")
  }
}
