#' Check that conditions hold
#'
#' `must_hold()` stops where a condition does not hold in every row, `should_hold()` warns. All conditions are looked at, and told
#' with how many rows break them, and the first ones. A condition may also be of the whole table, such as `sum(share) == 1`.
#'
#' A check is a step like others: in a script that [run_script()] runs, an output whose table breaks it is not written, and the old
#' one stays.
#'
#' @param x A data frame, or a live table from [open_table()].
#' @param ... Formulas as in [set_columns()] that are true or false, best with names that say what holds. Where one is missing it
#'   does not hold.
#' @param within Columns by whose values the rows are grouped, as in [set_columns()].
#' @return `x`, invisibly.
#' @section Errors:
#' `rowanroot_broken_condition`, of the warning too: with `broken`, a data frame that has for each broken condition its name, its formula,
#' how many rows break it, and the first of them. Else as [set_columns()].
#' @seealso [known()] and others for conditions that many tables must meet.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), net_kg = c(25, 22.3, -14))
#' visits |> must_hold("every hive is named" = known(hive), "hives come once" = only_once(hive))
#' try(visits |> must_hold("net weight is positive" = net_kg > 0))
#' @export
must_hold <- function(x, ..., within = NULL) {
  call <- quote(must_hold())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  step <- new_step_conditions("must_hold", as.list(substitute(list(...)))[-1], substitute(within), column_names(x), parent.frame(), call)
  invisible(apply_step(x, step, call))
}

#' @rdname must_hold
#' @export
should_hold <- function(x, ..., within = NULL) {
  call <- quote(should_hold())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  step <- new_step_conditions("should_hold", as.list(substitute(list(...)))[-1], substitute(within), column_names(x), parent.frame(), call)
  invisible(apply_step(x, step, call))
}

new_step_conditions <- function(verb, typed, within, names, env, call) {
  if (!length(typed)) stop_because(c("There is no condition.", "i" = "Write {.code {verb}(x, \"net weight is positive\" = net_kg > 0)}."), "bad_formula", call)
  groups <- if (!is.null(within)) choose_columns(within, names, env, call)
  nodes <- lapply(unname(typed), function(condition) {
    scope <- formula_scope(names, env, condition, call)
    scope$within <- groups
    bind_formula(condition, scope)
  })
  structure(list(verb = verb, nodes = nodes, titles = condition_titles(typed), within = groups,
                 typed = list(conditions = typed, within = within), columns = names, columns_before = names, env = env),
            class = c("step_conditions", "step"))
}

condition_titles <- function(typed) {
  titles <- vapply(typed, one_line, "")
  given <- names(typed)
  if (!is.null(given)) titles[nzchar(given)] <- given[nzchar(given)]
  unname(titles)
}

#' @export
bind_step.step_conditions <- function(step, names, call) {
  new_step_conditions(step$verb, step$typed$conditions, step$typed$within, names, step$env, call)
}

#' @export
run_step.step_conditions <- function(step, data, call) {
  run <- new_run(data, nrow(data), call, step$env)
  run$within <- unlist(run$columns[step$within])
  if (!is.null(step$check)) step$check$is_done <- TRUE
  broken <- list()
  for (k in seq_along(step$nodes)) {
    start_line(run, step$typed$conditions[[k]])
    condition <- type_condition(new_condition(step$nodes[[k]], step$typed$conditions[[k]]), run, as_row_condition = TRUE)
    of_table <- !length(step$within) && isTRUE(values_of_group(step$nodes[[k]], character()))
    found <- if (of_table) broken_table(value_of_table(condition, run)) else broken_rows(node_values(list(condition), run)[[1]])
    if (!is.null(found)) broken <- c(broken, list(c(found, list(at = k))))
  }
  if (length(broken)) tell_broken(step, broken, data, call)
  data
}

#' @export
step_needs.step_conditions <- function(step, wanted) union(wanted, c(unlist(lapply(step$nodes, node_columns)), step$within))

#' @export
step_keys.step_conditions <- function(step, keys) keys

# A table without rows has a value too.
value_of_table <- function(condition, run) {
  rows <- run$rows
  on.exit(run$rows <- rows)
  run$rows <- max(rows, 1L)
  node_values(list(condition), run)[[1]][1]
}

# NULL if the condition holds.
broken_table <- function(value) if (!isTRUE(value)) list(rows = 0, first = NA_integer_, missing = is.na(value))

broken_rows <- function(values) {
  breaks <- which(is.na(values) | !values)
  if (length(breaks)) list(rows = length(breaks), first = utils::head(breaks, 3), missing = anyNA(values))
}

tell_broken <- function(step, broken, data, call) {
  at <- vapply(broken, `[[`, 0, "at")
  formulas <- vapply(unname(step$typed$conditions[at]), one_line, "")
  count <- length(at)
  of <- length(step$nodes)
  bullets <- vapply(seq_along(broken), function(k) broken_text(broken[[k]], step$titles[at[k]], formulas[k], step$nodes[[at[k]]], data), "")
  message <- c(if (of == 1) "A condition does not hold." else "{count} of {of} conditions {cli::qty(count)}{?does/do} not hold.",
               stats::setNames(escaped(bullets), rep("x", count)),
               "i" = if (any(vapply(broken, `[[`, NA, "missing"))) "Where a condition is missing it does not hold: {.code is.na(x) || \u2026} lets missing values pass.")
  table <- data.frame(name = step$titles[at], formula = formulas, rows = vapply(broken, `[[`, 0, "rows"), first = vapply(broken, function(one) one$first[1], 0L))
  if (step$verb == "must_hold") stop_because(message, "broken_condition", call, broken = table)
  warn_because(message, "broken_condition", call, broken = table)
}

broken_text <- function(one, title, formula, node, data) {
  named <- if (title != formula) paste0(title, " (", formula, ")") else title
  if (is.na(one$first[1])) return(paste0(named, ": it is ", if (one$missing) "missing." else "false."))
  columns <- utils::head(intersect(node_columns(node), names(data)), 4)
  shown <- vapply(one$first, function(row) {
    values <- vapply(columns, function(name) paste(name, format_value(take_rows(data[[name]], row))), "")
    paste0("row ", row, if (length(values)) paste0(" (", paste(values, collapse = ", "), ")"))
  }, "")
  paste0(named, ": ", counted_rows(one$rows), ", first ", paste(shown, collapse = ", "), if (one$rows > length(shown)) " \u2026", ".")
}

#' @export
step_key.step_conditions <- function(step) {
  paste0(step$verb, "(", paste(vapply(step$nodes, canonical, ""), quoted(step$titles), collapse = ";"), "|", paste(quoted(step$within), collapse = ","), ")")
}

#' @export
step_lines.step_conditions <- function(step) {
  lapply(seq_along(step$nodes), function(k) {
    formula <- line_text(step$typed$conditions[[k]])
    title <- if (step$titles[k] != one_line(step$typed$conditions[[k]])) paste(quoted(step$titles[k]), "= ")
    list(name = step$titles[k], text = paste0(step$verb, "(", title, formula, ")"), key = rlang::hash(paste(step$verb, canonical(step$nodes[[k]]))),
         values = shown_values(step$nodes[[k]]), anew = anew_words(tree_outside(step$nodes[[k]])))
  })
}
