#' Explain a value
#'
#' Shows one value of a rooted table with the formula that made it and the row's own numbers filled
#' in, then the same for every column that went into it, back to the file and the line.
#'
#' For an `if`, the branches that were tried are shown; for a rank, the rows ranked before and after
#' it; for a running total, the last rows that went into it; for an aggregate, the number of rows;
#' for a look-up, the row of the other table.
#'
#' For a table in a database, only that row is fetched if all formulas that lead to the value work row
#' by row.
#'
#' @param x A rooted table from [open_table()].
#' @param column The name of a column.
#' @param row The number of the row.
#' @param where In place of the row's number, a formula that is true in one row only, such as `hive
#'   == "NB-04" && day == max(day)`.
#' @return An object of class `explanation`, which can be printed. It is a list with `column`,
#'   `row`, `value`, `formula`, `filled` (the formula with its values), `notes`, `place` (file and
#'   line, for a column that was read) and `from`, a list of explanations of what went into it.
#' @section Errors:
#' `rowanroot_not_a_table`, `rowanroot_unknown_column`; `rowanroot_no_such_row` for a row that the table does not
#' have, or if `where` holds in none or in several.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5), tare_kg = 6)
#' yield <- open_table(visits) |>
#'   set_columns({
#'     net_kg   <- gross_kg - tare_kg
#'     strength <- if (net_kg > 24) "strong" else "fair"
#'     place    <- ranking(net_kg, best = "highest")
#'   })
#' why(yield, strength, row = 1)
#' why(yield, place, where = hive == "NB-02")
#' @concept explain a value
#' @concept trace
#' @export
why <- function(x, column, row = NULL, where = NULL) {
  call <- quote(why())
  check_rooted(x, call)
  if (missing(column)) {
    stop_because(c("Which column should be explained?", "try" = "{.code why(x, net_kg, row = 12)}"), "bad_argument",
                 call)
  }
  explain(x, row, name_of_column(substitute(column), column, column_names(x)), substitute(where), parent.frame(), call)
}

explain <- function(x, row, column, where, env, call) {
  check_one_row(row, where, call)
  # What the steps warn of, they warn of when they are run.
  trace <- suppressWarnings(trace_of_row(x, column, row, where, env, call))
  if (!is.null(trace)) {
    explanation <- explain_column(trace, length(trace$steps) + 1, column, 1)
    explanation$row <- trace$number
    return(explanation)
  }
  trace <- suppressWarnings(new_trace(x, call))
  if (!column %in% names(trace$data)) stop_unknown_column(column, names(trace$data), call)
  row <- row_to_explain(trace$data, row, where, env, call)
  explanation <- explain_column(trace, length(trace$steps) + 1, column, row)
  explanation$row <- row
  explanation
}

row_to_explain <- function(data, row, where, env, call) {
  if (is.null(where)) return(row_that_is_there(row, nrow(data), call))
  rows <- keep_rows_numbered(data, where, env, call)
  if (length(rows) == 1) rows else stop_not_one_row(where, rows, call)
}

check_one_row <- function(row, where, call) {
  if (is.null(where) == is.null(row)) {
    stop_because(c(if (is.null(row)) "Which row?" else "Give {.arg row} or {.arg where}, not both.",
                   "try" = "Give its number as {.arg row}, or a formula that holds in it as {.arg where}."),
                     "bad_argument", call)
  }
}

is_row_number <- function(row) {
  is.numeric(row) && length(row) == 1 && !is.na(row) && row == floor(row) && row >= 1
}

row_that_is_there <- function(row, rows, call) {
  if (is_row_number(row) && row <= rows) return(as.integer(row))
  stop_because(c(paste0("There is no row ",
                        "{.code {if (is.numeric(row) && length(row) == 1) format(row, big.mark = ',', ",
                        "scientific = FALSE) else one_line(row)}}."), "found" = "The table has {counted_rows(rows)}."),
               "no_such_row", call, rows = rows)
}

stop_not_one_row <- function(where, rows, call) {
  stop_because(c(paste0("{.code {one_line(where)}} holds in ",
                        "{if (length(rows)) counted_rows(length(rows)) else 'no row'}, not in one."),
                 "found" = if (length(rows)) "They are {listed(rows, function(numbers) format(numbers, trim = TRUE))}.",
                 "try" = if (length(rows)) "Add to the formula, or give {.arg row}."), "no_such_row", call)
}

keep_rows_numbered <- function(data, condition, env, call) {
  step <- new_step_keep_rows("keep_rows", condition, NULL, names(data), env, call)
  which(true_or_false(step, data, call))
}

# All that is needed to go back: the table before each step, and at the end.
new_trace <- function(x, call) {
  x <- current_table(x, call)
  parts <- source_parts(rooted(x)$source, call)
  data <- source_data(rooted(x)$source, parts, source_columns(rooted(x)$source, call), call)
  trace_of_data(rooted(x)$source, rooted(x)$steps, data, call)
}

trace_of_data <- function(source, steps, data, call) {
  before <- list()
  for (k in seq_along(steps)) {
    before[[k]] <- data
    data <- withCallingHandlers(execute(default_engine(), steps[[k]], data, call), rowanroot_filled = muffled,
                                rowanroot_several_matches = muffled)
  }
  list(source = source, steps = steps, before = before, data = data, call = call, seen = new.env(parent = emptyenv()))
}

muffled <- function(notice) if (inherits(notice, "message")) tryInvokeRestart("muffleMessage")

# The table before step `k`.
table_before <- function(trace, k) if (k > length(trace$steps)) trace$data else trace$before[[k]]

new_explanation <- function(column, row, value, formula = NULL, filled = NULL, notes = character(), place = NULL,
                            from = list()) {
  structure(list(column = column, row = row, value = value, formula = formula, filled = filled, notes = notes,
                 place = place, from = from), class = "explanation")
}

# A column in a row of the table before step `k`.
explain_column <- function(trace, k, column, row) {
  value <- take_rows(table_before(trace, k)[[column]], row)
  key <- paste(k, column, row)
  if (!is.null(trace$seen[[key]])) return(new_explanation(column, row, value, notes = "as above"))
  assign(key, TRUE, envir = trace$seen)
  if (k == 1) return(new_explanation(column, row, value, place = source_place(trace$source, row, trace$call)))
  explain_step(trace$steps[[k - 1]], trace, k - 1, column, row)
}

# A column in a row of what step `k` gives.
explain_step <- function(step, trace, k, column, row) {
  reason <- step_reason(step, column, row, nrow(trace$before[[k]]))
  switch(reason$kind,
    same = explain_same(reason, trace, k, column, row),
    line = explain_statement(step, trace, k, reason$at, column, row),
    group = explain_group(reason, trace, k, column, row),
    moved = explain_moved(step, trace, k, column, row),
    other = explain_other(reason$other, reason$column, reason$row, trace$call),
    cell = explain_cell(reason, step, trace, k, column, row),
    joined = explain_joined(step, trace, k, column, row),
    given = explain_given(step, trace, k, column, row)
  )
}

explain_same <- function(reason, trace, k, column, row) {
  before <- explain_column(trace, k, reason$column, reason$row)
  if (is.null(reason$formula)) return(before)
  new_explanation(column, row, before$value, formula = reason$formula, from = list(before))
}

# Each row carries its number along.
explain_moved <- function(step, trace, k, column, row) {
  data <- trace$before[[k]]
  from <- row_before(step, data, row, trace$call)
  if (!is.na(from) && column %in% names(data)) explain_column(trace, k, column, from) else explain_given(step, trace,
      k, column, row)
}

# A value of another table, with all that it came from.
explain_other <- function(other, column, row, call) {
  if (!is.null(other$table)) {
    trace <- new_trace(other$table, call)
    return(explain_column(trace, length(trace$steps) + 1, column, row))
  }
  new_explanation(column, row, take_rows(other_values(other)[[column]], row),
                  place = paste0(one_line(other$shown), ", row ", row))
}

# A cell of a wide table: the rows of the long one that have its name, among those of the row.
explain_cell <- function(reason, step, trace, k, column, row) {
  data <- trace$before[[k]]
  members <- rows_of_group(data, step$ids, row, trace$call)
  members <- members[as.character(data[[step$name]][members]) == reason$label]
  value <- take_rows(table_before(trace, k + 1)[[column]], row)
  if (!length(members)) {
    return(new_explanation(column, row, value, notes = paste("no row has", step$name, reason$label)))
  }
  from <- unlist(lapply(node_columns(reason$node), function(name) {
    lapply(utils::head(members, 3), function(member) explain_column(trace, k, name, member))
  }), recursive = FALSE)
  new_explanation(column, row, value, formula = paste(column, "<-", label_of(reason$node)),
                  notes = paste0("of ", counted_rows(length(members)), " where ", step$name, " is ", reason$label,
                                 if (length(members) > 3) "; the first 3 are shown"), from = from)
}

# A row of two joined tables: each of them carries its numbers along.
explain_joined <- function(step, trace, k, column, row) {
  from <- rows_joined(step, trace$before[[k]], row, trace$call)
  other <- step$others[[1]]
  if (column %in% step$taken) {
    if (!is.na(from$other)) return(explain_other(other, column, from$other, trace$call))
    return(new_explanation(column, row, NA, notes = paste("no row of", one_line(other$shown), "has the key")))
  }
  if (!is.na(from$own)) return(explain_column(trace, k, column, from$own))
  of_key <- step$keys$other[match(column, step$keys$own)]
  if (!is.na(of_key)) {
    found <- explain_other(other, of_key, from$other, trace$call)
    if (of_key == column) return(found)
    return(new_explanation(column, row, found$value, formula = paste(column, "<-", of_key), from = list(found)))
  }
  new_explanation(column, row, NA, notes = "a row of the other table alone")
}

# The rows of both tables that a row of the joined one came from.
rows_joined <- function(step, data, row, call) {
  own <- ".rowanroot number of row"
  theirs <- ".rowanroot number of other row"
  data[[own]] <- seq_len(nrow(data))
  other <- step$others[[1]]
  other$values <- other_values(other)
  other$values[[theirs]] <- seq_len(nrow(other$values))
  step$others[[1]] <- other
  step$columns_before <- c(step$columns_before, own)
  step$taken <- c(step$taken, theirs)
  joined <- suppressMessages(execute(default_engine(), step, data, call))
  list(own = joined[[own]][row], other = joined[[theirs]][row])
}

explain_given <- function(step, trace, k, column, row) {
  new_explanation(column, row, take_rows(table_before(trace, k + 1)[[column]], row),
                  notes = paste("from", step_lines(step)[[1]]$text))
}

row_before <- function(step, data, row, call) {
  number <- ".rowanroot number of row"
  data[[number]] <- seq_len(nrow(data))
  step <- step_carrying(step, number)
  if (is.null(step)) NA else execute(default_engine(), step, data, call)[[number]][row]
}

explain_group <- function(reason, trace, k, column, row) {
  after <- table_before(trace, k + 1)
  data <- trace$before[[k]]
  members <- rows_of_group(data, reason$keys, row, trace$call)
  statement <- reason$statement
  formula <- if (!is.null(statement)) line_text(statement$line)
  used <- if (!is.null(statement)) intersect(node_columns(statement$node), names(data)) else column
  shown <- utils::head(members, 3)
  from <- unlist(lapply(used, function(name) lapply(shown, function(member) explain_column(trace, k, name, member))),
                 recursive = FALSE)
  of <- paste(vapply(reason$keys, function(key) paste(key, value_text(take_rows(after[[key]], row))), ""),
              collapse = ", ")
  notes <- paste0("of ", counted_rows(length(members)), if (nzchar(of)) paste(" where", of),
                  if (length(members) > length(shown)) paste0("; the first ", length(shown), " are shown"))
  new_explanation(column, row, take_rows(after[[column]], row), formula = formula, notes = notes, from = from)
}

# The rows of the group that has this number.
rows_of_group <- function(data, keys, number, call) {
  if (!length(keys)) return(seq_len(nrow(data)))
  run <- new_block(data, nrow(data), call)
  run$within <- unlist(run$columns[keys])
  which(block_groups(run)$of_row == number - 1)
}

explain_statement <- function(step, trace, k, at, column, row) {
  block <- run_before_line(step, trace, k, at)
  statement <- step$statements[[at]]
  value <- take_rows(block$column_after(column), row)
  shown <- fill_line(statement, block, row)
  from <- lapply(shown$used, function(name) {
    earlier <- utils::tail(which(vapply(step$statements[seq_len(at - 1)], function(one) name %in% one$targets, NA)), 1)
    if (length(earlier)) explain_statement(step, trace, k, earlier, name, row) else explain_column(trace, k, name, row)
  })
  # The result is shown anyway.
  filled <- if (!identical(shown$filled, value_text(value))) shown$filled
  new_explanation(column, row, value, formula = line_text(statement$line), filled = filled, notes = shown$notes,
                  from = from)
}

# The block as it is before a line: `bind(code)` gives the node of a piece of a formula, `word(code)` the record of
# what it calls, `value(code)` that and what it comes to in all rows, `values(node)` the latter alone,
# `column_after(name)` a column behind the line.
run_before_line <- function(step, trace, k, at) {
  start <- function() {
    run <- new_block_of(step, trace$before[[k]], trace$call)
    for (statement in step$statements[seq_len(at - 1)]) add_statement(run, statement)
    run
  }
  run <- start()
  scope <- function(code) {
    scope <- formula_scope(names(run$columns), step$env, code, trace$call)
    scope$sides <- new_side_columns(scope$columns, scope$columns[is_side(scope$columns)])
    scope
  }
  bind <- function(code) {
    start_line(run, code)
    run$shared <- list()
    bind_formula(code, scope(code))
  }
  values <- function(node) {
    id <- column_slot(lower_node(node, run), run)
    calculate(run, id)
    run$values[[id]]
  }
  value <- function(code) {
    node <- bind(code)
    list(node = node, values = values(node))
  }
  column_after <- function(name) {
    after <- start()
    add_statement(after, step$statements[[at]])
    block_results(after, name)[[1]]
  }
  list(run = run, bind = bind, word = function(code) word_called(code, scope(code)), value = value, values = values,
       column_after = column_after, columns = names(run$columns), env = step$env, step = step, rows = run$rows,
       call = trace$call)
}
