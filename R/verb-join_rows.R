#' Join the rows of two tables by a key
#'
#' Each row of `x` gets the columns of the rows of `other` that have the same key. To add columns
#' and keep every row as it is, [look_up()] is simpler.
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param other The other table: a data frame, a rooted table, or the path of a file to open.
#' @param by The columns that make the key, in both tables; in `c()` also pairs of a column of `x`
#'   and one of `other`, as in `c(hive = hive_code, day)`. A missing key matches nothing.
#' @param unmatched What to do with rows that match none of the other table: `"drop"` them; `"keep"`
#'   those of `x`, with missing values in the columns of `other`; or `"keep both"`, those of `other`
#'   after them too.
#' @param several What to do if a row of `x` matches several of `other`: it is an error, so that no
#'   row is counted twice (`"error"`), or there is a row for `"all"` of them, and a line says how
#'   many rows came of how many.
#' @return A table of the class of `x`: its columns, then those of `other` but for the key; its rows
#'   in their order, those that several rows match in the order of these.
#' @section Errors: `rowanroot_several_matches` if a row matches several, with their rows;
#'   `rowanroot_repeated_name` for a column that both tables have; `rowanroot_unknown_column`;
#'   `rowanroot_type_mismatch` for keys of different types.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), net_kg = c(25, 22.3, 14))
#' mites <- data.frame(
#'   hive = c("NB-01", "NB-01", "SH-01", "OM-01"), week = c(20, 24, 20, 20), count = c(3, 8, 1, 5)
#' )
#' visits |> join_rows(keep_rows(mites, week == 20), by = hive)
#' visits |> join_rows(keep_rows(mites, week == 20), by = hive, unmatched = "keep both")
#' visits |> join_rows(mites, by = hive, several = "all")
#' @concept join
#' @concept inner join
#' @concept left join
#' @concept full outer join
#' @concept merge
#' @export
join_rows <- function(x, other, by, unmatched = "drop", several = "error") {
  call <- quote(join_rows())
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  if (missing(other)) {
    stop_because(c("There is no table to join with.", "try" = "{.code join_rows(x, other, by = hive)}"), "bad_argument",
                 call)
  }
  check_other(other, "What is joined", "a table", call)
  taken <- new_other_table(other, substitute(other), call)
  if (missing(by)) stop_no_key(column_names(x), names(taken$values), call)
  apply_step(x, new_step_join(taken, substitute(by), unmatched, several, column_names(x), parent.frame(), call), call)
}

stop_no_key <- function(names, others, call) {
  both <- intersect(names, others)
  key <- if (length(both) > 1) paste0("c(", paste(both, collapse = ", "), ")") else both
  stop_because(c("By which columns are rows joined?",
                 "try" = if (length(both)) "{.code by = {key}}"
                       else "{.code by = c({names[1]} = {others[1]})}: a column of the first, and one of the other."),
               "bad_argument", call)
}

new_step_join <- function(other, by, unmatched, several, names, env, call) {
  check_one_of(unmatched, c("drop", "keep", "keep both"), "unmatched", call)
  check_one_of(several, c("error", "all"), "several", call)
  keys <- keys_of_both(by, names, other_columns(other), env, call)
  taken <- setdiff(other_columns(other), keys$other)
  twice <- intersect(taken, names)
  if (length(twice)) {
    stop_because(c("Both tables have {cli::qty(length(twice))}{?a column/columns} {listed(twice)}.",
                   "try" = "If it belongs to the key, add it to {.arg by}.",
                   "try" = "{.code drop_columns()} or {.code rename_columns()} in one of them first."),
                 "repeated_name", call, column = twice)
  }
  structure(list(others = list(other), keys = keys, taken = taken, unmatched = unmatched, several = several,
                 typed = list(by = by), columns = c(names, taken), columns_before = names, env = env),
            class = c("step_join", "step"))
}

# The key's columns in `own` and in the `other`, for `c(hive = hive_code, day)`.
keys_of_both <- function(by, names, others, env, call) {
  parts <- if (is_call_to(by, "c")) as.list(by)[-1] else list(by)
  given <- names_or_none(parts)
  own <- lapply(seq_along(parts), function(k) {
    if (nzchar(given[k])) return(known_column(given[k], names, emptyenv(), call))
    choose_columns(parts[[k]], names, env, call)
  })
  other <- lapply(seq_along(parts), function(k) {
    if (nzchar(given[k])) return(one_column(parts[[k]], others, env, call, "Each name in `by` is for one column."))
    unknown <- setdiff(own[[k]], others)
    if (!length(unknown)) return(own[[k]])
    hint <- nearest_name(unknown[1], others)
    stop_because(c("The other table has no column {.code {unknown[1]}}.",
                   "found" = "It has {listed(others)}.",
                   "try" = "{.code by = c({unknown[1]} = {if (length(hint)) hint else others[1]})}"),
                 "unknown_column", call, column = unknown[1], nearest = hint)
  })
  keys <- list(own = unlist(own), other = unlist(other))
  if (!length(keys$own)) stop_no_key(names, others, call)
  if (anyDuplicated(keys$own) || anyDuplicated(keys$other)) stop_because("A column stands twice in {.arg by}.",
                                                                         "bad_choice", call)
  keys
}

#' @export
bind_step.step_join <- function(step, names, call) {
  new_step_join(other_table_now(step$others[[1]], call), step$typed$by, step$unmatched, step$several, names, step$env,
                call)
}

#' @export
step_needs.step_join <- function(step, wanted) intersect(step$columns_before, c(wanted, step$keys$own))

#' @export
step_keys.step_join <- function(step, keys) {
  rows <- key_from(key_of_step(step), keys$rows, keys$columns[step$keys$own])
  made <- if (step$unmatched == "keep both") step$keys$own
  columns <- keys_in_rows(rows, keys$columns)$columns
  for (name in c(made, step$taken)) columns[[name]] <- key_from(rows, name)
  list(rows = rows, columns = columns[intersect(step$columns, names(columns))])
}

#' @export
step_key.step_join <- function(step) {
  keys <- lapply(step$keys, function(names) paste(quoted(names), collapse = ","))
  paste0("join_rows(", paste(c(rlang::hash(key_of_other(step$others[[1]])), keys, step$unmatched, step$several),
                             collapse = "|"), ")")
}

#' @export
step_lines.step_join <- function(step) {
  shown <- c(one_line(step$others[[1]]$shown), paste("by =", one_line(step$typed$by)),
             if (step$unmatched != "drop") paste("unmatched =", quoted(step$unmatched)),
             if (step$several != "error") paste("several =", quoted(step$several)))
  list(list(name = "rows", text = paste0("join_rows(", paste(shown, collapse = ", "), ")"),
            key = rlang::hash(c(step$keys, step$unmatched, step$several, line_keys_of(step)))))
}

#' @export
goes_by_chunks.step_join <- function(step, carried = TRUE) step$unmatched != "keep both" && step$several == "error"

#' @export
step_carrying.step_join <- function(step, name) {
  if (step$unmatched == "keep both") return(NULL)
  step$columns_before <- c(step$columns_before, name)
  carried_after(step, name)
}

#' @export
step_lineage.step_join <- function(step) {
  line <- step_lines(step)[[1]]
  made <- lapply(step$taken, function(name) {
    list(name = name, kind = "column", formula = line$text, from = step$keys$own)
  })
  c(list(list(rows_in_lineage(step, step$keys$own, line))), if (length(made)) list(made))
}

#' @export
step_reason.step_join <- function(step, column, row, rows) list(kind = "joined")

#' @export
step_schema.step_join <- function(step, schema, call) {
  of_other <- columns_of_schema(schema_of(other_values(step$others[[1]])), step$taken)
  new_schema(c(schema$types, of_other$types), c(schema$likes, of_other$likes))
}

#' @export
call_in_words.call_join_rows <- function(call) {
  given <- call$arguments
  paste0("Join with the rows of ", code_text(given$other), " by ", code_text(given$by),
         switch(if (is.null(given$unmatched)) "drop" else as.character(given$unmatched)[1], keep = ", keeping all rows",
                "keep both" = ", keeping all rows of both"))
}
