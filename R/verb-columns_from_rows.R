#' @rdname rows_from_columns
#' @export
columns_from_rows <- function(x, name, value, absent = NA) {
  call <- quote(columns_from_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  if (missing(name) || missing(value)) {
    stop_because(c("Which column has the names, and which the values?",
                   "try" = "{.code columns_from_rows(x, name = month, value = kg)}"), "bad_argument", call)
  }
  typed <- list(name = substitute(name), value = substitute(value))
  step <- new_step_columns_from(typed, absent, x, column_names(x), parent.frame(), call)
  apply_step(x, step, call)
}

# The names are values of the table: of a rooted table they are those that it has now, as of another table.
new_step_columns_from <- function(typed, absent, table, names, env, call) {
  if (!is.atomic(absent) || length(absent) != 1) {
    stop_because("{.arg absent} must be one value, not {what_is(absent)}.", "bad_argument", call)
  }
  name <- one_column(typed$name, names, env, call, "One column has the names.")
  values <- values_of_cells(typed$value, names, env, call)
  other <- new_other_table(table, quote(x), call)
  labels <- labels_of_names(column_of_names(other, name), name, call)
  ids <- setdiff(names, c(name, unlist(lapply(values, node_columns))))
  made <- cell_names(labels, base::names(values))
  twice <- c(intersect(made, ids), made[duplicated(made)])
  if (length(twice)) {
    stop_because(c("Two columns would be called {.code {twice[1]}}.",
                   "try" = "Rename the column {.code {twice[1]}} first, with {.code rename_columns()}."),
                 "repeated_name", call)
  }
  # Only whether these are other ones now counts when the script is run again.
  others <- if (!is.null(other$table)) list(other[c("table", "origin", "shown")])
  structure(list(typed = typed, absent = absent, name = name, values = values, labels = labels, ids = ids, made = made,
                 others = others, columns = c(ids, made), columns_before = names, env = env),
            class = c("step_columns_from", "step"))
}

# The column of a table. Of one in a database each value comes once; where some are missing all come, as the error names
# their rows.
column_of_names <- function(other, name) {
  if (is.null(other$later)) return(other_values(other)[[name]])
  names <- as.name(name)
  each <- as.data.frame(eval(bquote(one_of_each(keep_columns(other$table, .(names)), .(names)))))[[name]]
  if (anyNA(each)) other_values(other)[[name]] else each
}

# Columns, or an aggregate of them, as trees with names.
values_of_cells <- function(typed, names, env, call) {
  is_columns <- is.symbol(typed) || is.character(typed) || is_choice(typed, names) ||
    is_call_to(typed, "c") && all(vapply(as.list(typed)[-1], is.symbol, NA))
  if (is_columns) {
    chosen <- choose_columns(typed, names, env, call)
    if (!length(chosen)) stop_because("{.code {one_line(typed)}} chooses no column.", "bad_choice", call)
    return(stats::setNames(lapply(chosen, new_column), chosen))
  }
  node <- bind_formula(typed, formula_scope(names, env, typed, call))
  if (!isTRUE(values_of_group(node, character()))) {
    stop_because(c("{.code {one_line(typed)}} has a value for each row, not one for each cell.",
                   "try" = "A column alone, or an aggregate such as {.code sum(kg)}."), "not_one_value", call)
  }
  list(value = node)
}

# The names in the order in which they first appear, of categories in that of the levels.
labels_of_names <- function(column, name, call) {
  if (is.list(column) || !is.null(dim(column))) {
    stop_because("{.code {name}} is {what_is(column)}: it can't be names.", "type_mismatch", call)
  }
  missing <- which(is.na(column))
  if (length(missing)) {
    stop_because(c("{.code {name}} is missing in {counted_rows(length(missing))}, row {missing[1]} first.",
                   "try" = "Leave these out first: {.code keep_rows(x, !is.na({name}))}."), "missing_name", call,
                 rows = missing)
  }
  different <- numbered_values(column, call)$different
  known <- if (is.factor(column)) levels(column)[sort(as.integer(different))] else as.character(different)
  if (length(known) > most_made) {
    stop_because(c("{.code {name}} has {format(length(known), big.mark = ',')} different values.",
                   "found" = "{.code columns_from_rows()} makes {format(most_made, big.mark = ',')} columns at most."),
                 "bad_argument", call)
  }
  if (!all(nzchar(known))) {
    stop_because(c("A value of {.code {name}} is an empty text, which can't be a name.",
                   "try" = "Leave it out first: {.code keep_rows(x, {name} != \"\")}."), "missing_name", call)
  }
  known
}

most_made <- 10000

cell_names <- function(labels, values) {
  if (length(values) == 1) labels else as.vector(outer(labels, values, paste, sep = "_"))
}

#' @export
bind_step.step_columns_from <- function(step, names, call) {
  new_step_columns_from(step$typed, step$absent, step$others[[1]]$table, names, step$env, call)
}

#' @export
step_needs.step_columns_from <- function(step, wanted) step$columns_before

#' @export
step_keys.step_columns_from <- function(step, keys) {
  rows <- key_from(key_of_step(step), keys$rows, keys$columns[c(step$ids, step$name)])
  columns <- keys_in_rows(rows, keys$columns[step$ids])$columns
  from <- keys$columns[unique(unlist(lapply(step$values, node_columns)))]
  for (name in step$made) columns[[name]] <- key_from(rows, name, from)
  list(rows = rows, columns = columns)
}

#' @export
step_key.step_columns_from <- function(step) {
  paste0("columns_from_rows(", quoted(step$name), "|", paste(vapply(step$values, canonical, ""), collapse = ","), "|",
         canonical_value(step$absent), "|", paste(quoted(step$made), collapse = ","), ")")
}

#' @export
step_lines.step_columns_from <- function(step) {
  shown <- c(paste("name =", one_line(step$typed$name)), paste("value =", one_line(step$typed$value)),
             if (!is.na(step$absent)) paste("absent =", one_line(step$absent)))
  list(list(name = "columns", text = paste0("columns_from_rows(", paste(shown, collapse = ", "), ")"),
            key = rlang::hash(list(step$name, vapply(step$values, canonical, ""), step$absent))))
}

#' @export
step_lineage.step_columns_from <- function(step) {
  line <- step_lines(step)[[1]]
  from <- c(step$name, unlist(lapply(step$values, node_columns)))
  made <- lapply(step$made, function(name) list(name = name, kind = "column", formula = line$text, from = from))
  list(list(rows_in_lineage(step, step$ids, line)), made)
}

#' @export
step_leads.step_columns_from <- function(step, leads) step$ids

#' @export
step_reason.step_columns_from <- function(step, column, row, rows) {
  if (column %in% step$ids) return(reason_group(step$ids, NULL))
  at <- match(column, step$made) - 1
  list(kind = "cell", label = step$labels[at %% length(step$labels) + 1],
       node = step$values[[at %/% length(step$labels) + 1]])
}

#' @export
call_in_words.call_columns_from_rows <- function(call) {
  paste("Make a column of", code_text(call$arguments$value), "for each", code_text(call$arguments$name))
}
