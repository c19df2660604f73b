# Steps in words, from what was typed.

#' Show the steps of a table or a routine
#'
#' @param x A rooted table from [open_table()], or a [routine()].
#' @return A list of class `step_list`, which can be printed, with `title`, `steps`, the lines of each step,
#'   and `where`: for a table of a database, which steps it does, and why the rest runs here.
#' @section Errors:
#' `rowanroot_not_a_table`.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5), tare_kg = 6)
#' open_table(visits) |>
#'   set_columns({ net_kg <- gross_kg - tare_kg }) |>
#'   sort_rows(descending(net_kg)) |>
#'   show_steps()
#' @export
show_steps <- function(x) {
  call <- quote(show_steps())
  if (!is_routine(x) && !is_rooted_table(x)) {
    stop_because(c("{.arg x} must be a rooted table or a routine, not {what_is(x)}.",
                   "try" = "Only tables from {.code open_table()}, and routines, record their steps."),
                 "not_a_table", call)
  }
  steps <- if (is_routine(x)) x$steps else typed_calls(x)
  title <- if (is_routine(x)) "A routine" else source_title(rooted(x)$source)
  where <- if (!is_routine(x)) where_steps_run(x, call)
  structure(list(title = title, steps = lapply(steps, call_in_words), where = where), class = "step_list")
}

# For a table whose rows are on several servers.
where_rows_are <- function(relation) {
  count <- nrow(relation$servers$partitions)
  if (is.null(count)) return(NULL)
  paste0("Its rows are on ", count, " servers: ",
         if (isTRUE(relation$crosses)) "as those of several are looked at together, the server above calculates."
         else if (!has_dblink(relation$dialect$connection)) {
           "without the extension dblink the server above calculates what is saved."
         } else "each calculates with its own, and what is saved stays there.")
}

# Which steps a database does, in words, and why no more; NULL where none is asked.
where_steps_run <- function(x, call) {
  x <- current_table(x, call)
  found <- pushed_steps(x, call)
  typed <- vapply(rooted(x)$steps, function(step) !is.null(step$typed_call), NA)
  if (is.null(found) || !any(typed)) return(NULL)
  typed_among <- function(count) sum(typed[seq_len(count)])
  there <- typed_among(found$count)
  sure <- typed_among(found$fetched$count)
  steps <- function(from, to) {
    if (from == to) paste("Step", from, "runs")
    else paste("Steps", from, if (to == from + 1) "and" else "to", to, "run")
  }
  rest <- sum(typed)
  last_digits <- paste0("the last digits of ", found$fetched$reason, " could be others")
  c(if (sure) paste(steps(1, sure), "in the database."),
    if (sure < there && there == rest) {
      paste0(steps(sure + 1, there), " there if what comes of it stays there, and here if its rows come here: ",
             last_digits, ".")
    },
    if (sure < there && there < rest) paste0(steps(sure + 1, rest), " here: in the database ", last_digits, "."),
    if (sure == there && there < rest) {
      paste0(steps(there + 1, rest), " here. What the database can't do in the same way: ", found$reason, ".")
    },
    where_rows_are(found$relation))
}

#' @export
format.step_list <- function(x, width = cli::console_width(), ...) {
  x <- shown_parts(x)
  c(cli::style_bold(paste0(x$title, ", ", if (length(x$steps)) counted(length(x$steps), "step") else "no steps")),
    numbered_steps(x$steps, NULL, width), if (length(x$where)) c("", unlist(lapply(x$where, cli::ansi_strwrap, width))))
}

#' @export
print.step_list <- function(x, width = cli::console_width(), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}
