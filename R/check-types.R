# The types that the engine works on. A vector with a class or other attributes is of type "other":
# formulas over it are done by R, on whole columns.

value_type <- function(x) {
  if (!is.null(attributes(x))) return("other")
  switch(typeof(x), logical = "logical", integer = "integer", double = "double", character = "text", "other")
}

# A bare NA fits every type.
is_missing_literal <- function(x) is.logical(x) && length(x) == 1 && is.null(attributes(x)) && is.na(x)

# The type's name in messages.
type_name <- function(x) {
  if (inherits(x, "Date")) return("date")
  if (inherits(x, "POSIXct")) return("time")
  if (is.factor(x)) return("category")
  if (inherits(x, "difftime")) return("duration")
  if (is.object(x)) return(class(x)[1])
  switch(typeof(x), double = "number", character = "text", typeof(x))
}

type_words <- c(logical = "logical", integer = "a number", double = "a number", number = "a number", text = "text",
                missing = "missing",
                other = "of a type of its own")

# "number" is a whole number or a double; only the values show which.
is_numeric_type <- function(types) types %in% c("missing", "logical", "integer", "number", "double")

# The type that holds all of these, or NA where only R's quiet coercion to text could.
common_type <- function(types) {
  types <- types[types != "missing"]
  if (!length(types)) return("logical")
  if (all(types == "text")) return("text")
  if (any(types == "text")) return(NA_character_)
  numbers <- c("logical", "integer", "number", "double")
  numbers[max(match(types, numbers))]
}

is_column_like <- function(value, rows) is_vector_like(value) && length(value) == rows

# A list with a class of its own, such as a model, is one thing, not many values.
is_vector_like <- function(value) {
  is_list <- is.list(value) && (!is.object(value) || inherits(value, c("AsIs", "list")))
  (is_list || is.atomic(value)) && !is.null(value) && !is.data.frame(value) && is.null(dim(value))
}

# A class before these may have methods of its own.
is_day_or_time <- function(x) is.double(x) && class(x)[1] %in% c("Date", "POSIXct", "difftime")

# Plain values with the class of such a column: dates, times, durations or categories.
with_class_of <- function(values, column) {
  attributes(values) <- attributes(column)[c("class", "levels", "tzone", "units")]
  values
}

# Classes whose values are numbers or codes that the core calculates with: dates, times and durations as doubles, and
# categories. `like` is such a column.
is_core_class <- function(like) {
  if (is.factor(like)) return(class(like)[1] == "factor" || identical(class(like), c("ordered", "factor")))
  is.double(like) && list(class(like)) %in% list("Date", c("POSIXct", "POSIXt"), "difftime") &&
    all(names(attributes(like)) %in% c("class", "tzone", "units"))
}

# What the core stores such values as.
core_type <- function(like) if (is.factor(like)) "integer" else "double"

# Days and seconds that R stores as whole numbers are doubles in a recurrence, whose row above can be any number.
as_doubles <- function(like) {
  if (is.integer(like) && inherits(like, c("Date", "POSIXct", "difftime"))) storage.mode(like) <- "double"
  like
}

is_long_integer <- function(x) inherits(x, "integer64")

same_class <- function(a, b) {
  identical(class(a), class(b)) && identical(levels(a), levels(b)) &&
    identical(attributes(a)[c("tzone", "units")], attributes(b)[c("tzone", "units")])
}
