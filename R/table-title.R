# What a table is called, and where its columns came from.

table_title <- function(x) {
  if (!is_rooted_table(x)) return("data frame")
  steps <- length(typed_calls(x))
  paste0(shown(source_title(rooted(x)$source)), if (steps) paste0(", then ", counted(steps, "step")))
}

# The columns to show first.
table_leads <- function(x) {
  if (!is_rooted_table(x)) return(character())
  Reduce(function(leads, step) step_leads(step, leads), rooted(x)$steps, character())
}

# For each column that steps made, the columns of the table that it came from.
table_origins <- function(x) {
  if (!is_rooted_table(x)) return(list())
  origins <- list()
  for (step in rooted(x)$steps) {
    origins <- carry_origins(step, origins)
    made <- step_origins(step)
    origins[names(made)] <- made
  }
  columns <- rooted(x)$columns
  origins <- origins[intersect(names(origins), columns)]
  Map(function(from, name) intersect(setdiff(from, name), columns), origins, names(origins))
}
