# A step is what a verb was given, bound and ready. Each verb has a class of steps, whose methods stand in the verb's
# file. A step has `columns`, the names after it, and `columns_before`.

# All that a verb does, one after the other: what goes `around` a step is that of its side columns.
steps_of <- function(step) {
  around <- step$around
  step$around <- NULL
  Filter(Negate(is.null), list(around$before, step, around$after))
}

# The table after the step, as an engine calculates it: each engine has a method.
execute <- function(engine, step, table, call) UseMethod("execute")

# The step as text that changes if, and only if, what it calculates does.
step_key <- function(step) UseMethod("step_key")

# The same step for a table with these columns.
bind_step <- function(step, names, call) UseMethod("bind_step")

# The formulas of the step, as trees.
step_trees <- function(step) UseMethod("step_trees")

#' @export
step_trees.default <- function(step) list()

# The columns of the table before that are needed if these are wanted after. With `wanted` among its parts a step is
# to give only those, as far as it can; else all of its formulas are run.
step_needs <- function(step, wanted) UseMethod("step_needs")

#' @export
step_needs.default <- function(step, wanted) step$columns_before

# Keys of what comes out, from those of what goes in: a list of `rows`, for which rows there are and in which order,
# and `columns`. Each names a value by all that it was made from.
step_keys <- function(step, keys) UseMethod("step_keys")

#' @export
step_keys.default <- function(step, keys) {
  keys_in_rows(key_from(key_of_step(step), keys$rows, keys$columns), stats::setNames(nm = step$columns))
}

# Whether the step gives for each chunk of rows what it gives for these rows of the whole table: after the chunks before
# it, or, if nothing is `carried` on from these, by itself.
goes_by_chunks <- function(step, carried = TRUE) UseMethod("goes_by_chunks")

#' @export
goes_by_chunks.default <- function(step, carried = TRUE) FALSE

# The step for a table that has one more column, of this name, whose value each row keeps; NULL if the rows after the
# step are others.
step_carrying <- function(step, name) UseMethod("step_carrying")

#' @export
step_carrying.default <- function(step, name) NULL

carried_after <- function(step, name) {
  step$columns <- c(step$columns, name)
  if (!is.null(step$wanted)) step$wanted <- c(step$wanted, name)
  step
}

# The step's lines: for each line its name, its text, a key, and the script's values in it.
step_lines <- function(step) UseMethod("step_lines")

# For each column that the step sets, the columns that it is made from.
step_origins <- function(step) UseMethod("step_origins")

#' @export
step_origins.default <- function(step) list()

# What earlier steps said of that, by the names that columns have after this one.
carry_origins <- function(step, origins) UseMethod("carry_origins")

#' @export
carry_origins.default <- function(step, origins) origins

# The columns that are shown first: those of groups. `leads` are those of the steps before.
step_leads <- function(step, leads) UseMethod("step_leads")

#' @export
step_leads.default <- function(step, leads) intersect(leads, step$columns)

# What the step adds to a table's lineage: groups of nodes, each of which is made of the columns as they are before
# its group.
step_lineage <- function(step) UseMethod("step_lineage")

#' @export
step_lineage.default <- function(step) list(list(rows_in_lineage(step)))

# A node that chooses rows, or checks them, by the columns `from`.
rows_in_lineage <- function(step, from = character(), line = step_lines(step)[[1]]) {
  list(name = line$text, kind = "rows", formula = line$text, from = from)
}

# Where the value of a column in a row after the step comes from: see the reasons below. `rows` is how many rows
# there were before.
step_reason <- function(step, column, row, rows) UseMethod("step_reason")

# Rows are chosen or moved: where from is seen by moving their numbers along.
#' @export
step_reason.default <- function(step, column, row, rows) list(kind = "moved")

# It is a value of the table before; `formula` is the step's word for it where it has another name.
reason_same <- function(column, row, formula = NULL) list(kind = "same", column = column, row = row, formula = formula)

# It comes from elsewhere, as the step describes.
reason_given <- function() list(kind = "given")

# It is the value of a column in a row of another table (tree-other.R).
reason_other <- function(other, column, row) list(kind = "other", other = other, column = column, row = row)

# A line of the step's block sets it.
reason_line <- function(at) list(kind = "line", at = at)

# It is of a group of rows, by these columns; `statement` sets it, if any does.
reason_group <- function(keys, statement) list(kind = "group", keys = keys, statement = statement)

# The conditions that the step checks: a list of `title` and `formula` for each.
step_checks <- function(step) UseMethod("step_checks")

#' @export
step_checks.default <- function(step) list()

# What a step calculates depends on what a calibrated routine has learned, too.
key_of_step <- function(step) {
  paste0(step_key(step), canonical_methods(step$env),
         if (!is.null(step$calibration)) rlang::hash(step$calibration$found))
}

lines_of_step <- function(step) {
  lines <- step_lines(step)
  if (is.null(step$calibration)) return(lines)
  lapply(lines, function(line) utils::modifyList(line,
                                                 list(key = rlang::hash(paste(line$key,
                                                     rlang::hash(step$calibration$found))))))
}

# What a tree comes to for these columns of a table without a name: one value for each row. `line` is its code.
calculate_tree <- function(engine, node, columns, line, call) UseMethod("calculate_tree")

# The engine for data that is in memory.
default_engine <- function() state$engine

# The schema (tree-type.R) of the table after the step; an error where a formula has the wrong type. NULL if it is
# not known before the step is run.
step_schema <- function(step, schema, call) UseMethod("step_schema")

#' @export
step_schema.default <- function(step, schema, call) NULL

# The same columns in other rows.
in_other_rows <- function(schema) {
  schema$rows <- NA_integer_
  schema
}
