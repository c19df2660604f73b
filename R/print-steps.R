# Steps in words, from what was typed: a step has a `verb` and its `arguments` as code.

#' Show the steps of a table or a routine
#'
#' @param x A live table from [open_table()], or a [routine()].
#' @return A list of class `step_list`, which prints itself: `title`, and `steps`, for each step its lines.
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
  if (!is_routine(x) && !is_live_table(x)) {
    stop_because(c("{.arg x} must be a live table or a routine, not {what_is(x)}.", "i" = "Steps are recorded on what {.code open_table()} or {.code routine()} gives."),
                 "not_a_table", call)
  }
  steps <- if (is_routine(x)) x$steps else lapply(live(x)$steps, `[[`, "typed_call")
  title <- if (is_routine(x)) "A routine" else source_title(live(x)$source)
  structure(list(title = title, steps = lapply(steps, step_in_words)), class = "step_list")
}

#' @export
format.step_list <- function(x, width = cli::console_width(), ...) {
  x <- shown_parts(x)
  c(cli::style_bold(paste0(x$title, ", ", if (length(x$steps)) counted(length(x$steps), "step") else "no steps")), numbered_steps(x$steps, NULL, width))
}

#' @export
print.step_list <- function(x, width = cli::console_width(), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}

# Below the lines of a step stands what was learned in it.
numbered_steps <- function(steps, learned, width) {
  numbers <- format(paste0(seq_along(steps), "."))
  indent <- if (length(numbers)) nchar(numbers[1]) + 1 else 0
  unlist(lapply(seq_along(steps), function(k) {
    lines <- unlist(lapply(steps[[k]], strwrap, width = width - indent, exdent = 2))
    below <- unlist(lapply(learned[[k]], strwrap, width = width - indent - 4, exdent = 2))
    c(paste(numbers[k], lines[1]), paste0(strrep(" ", indent), c(lines[-1], if (length(below)) paste0("    ", cli::col_grey(below))), recycle0 = TRUE))
  }))
}

# The verb and what it was given, of a call to it.
typed_call <- function(verb, definition, typed) {
  arguments <- as.list(match.call(definition, typed, envir = parent.frame(2)))[-1]
  arguments$x <- NULL
  list(verb = verb, arguments = arguments)
}

# A text for each line.
step_in_words <- function(step) {
  given <- step$arguments
  others <- given[!nzchar(names_or_none(given)) | !names(given) %in% c("block", "within", "along", "carry", "after", "condition", "missing", "style", "ties", "count", "by", "columns")]
  list_of <- function(parts) paste(vapply(unname(parts), code_text, ""), collapse = ", ")
  groups <- if (!is.null(given$within)) paste0(" within ", code_text(given$within))
  switch(step$verb,
    set_columns = set_columns_in_words(given, groups),
    keep_rows = paste0("Keep the rows where ", code_text(given$condition), groups),
    drop_rows = paste0("Leave out the rows where ", code_text(given$condition), groups),
    sort_rows = paste0("Sort the rows by ", list_of(others), if (identical(given$missing, "first")) ", missing ones first"),
    top_rows = , bottom_rows = paste0("Keep the ", code_text(given$count), " rows with the ", if (step$verb == "top_rows") "greatest " else "least ", code_text(given$by),
                                      if (!is.null(given$within)) paste(" for each", code_text(given$within))),
    keep_columns = paste("Keep the columns", list_of(others)),
    drop_columns = paste("Leave out the columns", list_of(others)),
    move_columns = paste("Move the columns", list_of(others), place_in_words(given$after)),
    rename_columns = rename_in_words(others, given$style),
    append_rows = paste("Put below the rows of", list_of(others)),
    append_columns = paste("Put beside the columns of", list_of(others)),
    one_row_per = c(paste("Make one row for each", code_text(given$columns)), unlist(lapply(as.list(given$block)[-1], line_in_words))),
    must_hold = conditions_in_words("Check that", others, groups),
    should_hold = conditions_in_words("Warn unless", others, groups)
  )
}

code_text <- function(code) if (is_call_to(code, "-") && length(code) == 2) paste("all but", code_text(code[[2]])) else if (is_call_to(code, "c") && is.null(names(code))) paste(vapply(as.list(code)[-1], code_text, ""), collapse = ", ") else one_line(code, 200L)

set_columns_in_words <- function(given, groups) {
  lines <- unlist(lapply(as.list(given$block)[-1], line_in_words))
  options <- c(if (!is.null(groups)) trimws(groups), if (!is.null(given$along)) paste("along", code_text(given$along)))
  if (length(options)) lines[1] <- paste0(upper_first(paste(options, collapse = ", ")), ": ", lower_first(lines[1]))
  c(lines, if (!is.null(given$carry)) paste("Of the old columns carry", code_text(given$carry)),
    if (!is.null(given$after)) paste("Put the new columns", place_in_words(given$after)))
}

line_in_words <- function(line) {
  if (is_call_to(line, "for")) return(c(paste0("For each ", as.character(line[[2]]), " of ", code_text(line[[3]]), ":"), lower_first(line_in_words(line[[4]]))))
  if (is_block(line)) return(unlist(lapply(as.list(line)[-1], line_in_words)))
  place <- line[[2]]
  some <- is_call_to(place, "[")
  name <- code_text(if (some) place[[2]] else place)
  if (is.null(line[[3]])) return(paste("Remove", name))
  paste0("Set ", name, if (some) paste0(" where ", code_text(place[[3]])), " to ", code_text(line[[3]]))
}

place_in_words <- function(after) if (is.null(after)) "last" else if (identical(after, 0)) "first" else paste("after", code_text(after))

rename_in_words <- function(pairs, style) {
  named <- nzchar(names_or_none(pairs))
  shown <- c(if (any(named)) paste(vapply(pairs[named], code_text, ""), "to", names(pairs)[named]), if (any(!named)) paste("all by", vapply(pairs[!named], code_text, "")),
             if (!is.null(style)) paste("all to", style, "style"))
  paste("Rename", paste(shown, collapse = ", "))
}

conditions_in_words <- function(begin, conditions, groups) {
  named <- nzchar(names_or_none(conditions))
  paste0(begin, " ", ifelse(named, paste0(names_or_none(conditions), ": "), ""), vapply(unname(conditions), code_text, ""), groups)
}

upper_first <- function(text) paste0(toupper(substr(text, 1, 1)), substr(text, 2, nchar(text)))
lower_first <- function(text) paste0(tolower(substr(text, 1, 1)), substr(text, 2, nchar(text)))
