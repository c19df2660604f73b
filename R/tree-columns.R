#' Choose columns
#'
#' Where a verb takes columns, such as `carry` in [set_columns()], they can be given as bare names,
#' as a range `a:c`, by a pattern for names, or by what they contain. A minus in front leaves them
#' out. Put several in `c()`; `NULL` means none. `columns_that()` tests the columns as they are
#' before the verb runs.
#'
#' The words for the columns of a row, such as [row_total()], and [first_known()], [join_text()]
#' and [row_ranking()] take them too, beside names and formulas. These words have no other use.
#'
#' `column_named()` is for blocks: it stands for the column of that name, on the left or the right
#' of `<-`.
#'
#' @param name Code that gives the name of a column, such as the variable of a loop.
#' @param is A function that returns `TRUE` for the columns to choose, such as `is.numeric`.
#' @param pattern A pattern such as `"*_kg"`, in which `*` stands for any text and `?` for any one
#'   character.
#' @return Outside of a verb they are an error of class `rowanroot_bad_choice`.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5), tare_kg = c(6, 6.2))
#' visits |> set_columns({ net_kg <- gross_kg - tare_kg }, carry = -names_like("*_kg"))
#' visits |> set_columns({ net_kg <- gross_kg - tare_kg }, carry = hive)
#' @export
all_columns <- function() stop_only_in_verbs("all_columns()")

#' @rdname all_columns
#' @export
names_like <- function(pattern) stop_only_in_verbs("names_like(\"*_kg\")")

#' @rdname all_columns
#' @export
columns_that <- function(is) stop_only_in_verbs("columns_that(is.numeric)")

#' @rdname all_columns
#' @export
column_named <- function(name) {
  stop_because(c("{.code column_named()} stands for a column only in a block.",
                 "try" = "{.code set_columns(x, {{ column_named(\"net_kg\") <- gross_kg - tare_kg }})}"),
                   "bad_choice")
}

stop_only_in_verbs <- function(word) {
  stop_because(c("{.code {word}} can only be used where columns are chosen.",
                 "try" = "{.code total <- row_total({word})}, {.code set_columns(x, {{ \u2026 }}, carry = {word})}"),
               "bad_choice")
}

# The choice with the names that each `columns_that()` in it finds in the table, as `columns_found("a", "b")`.
with_columns_found <- function(expr, x, env, call) {
  if (!is.call(expr) || !"columns_that" %in% all.names(expr)) return(expr)
  if (!is_call_to(expr, "columns_that")) {
    for (k in seq_along(expr)) {
      if (is.call(expr[[k]])) expr[[k]] <- with_columns_found(expr[[k]], x, env, call)
    }
    return(expr)
  }
  is <- if (length(expr) == 2) tryCatch(eval(expr[[2]], env), error = function(e) NULL)
  if (!is.function(is)) {
    stop_because(c("{.code columns_that()} needs a function.", "found" = "{.code {one_line(expr)}} has none.",
                   "try" = "{.code columns_that(is.numeric)}"), "bad_choice", call)
  }
  data <- if (is_rooted_table(x)) as.data.frame(x) else x
  found <- vapply(names(data), function(name) column_is(is, data[[name]], name, expr, call), NA)
  as.call(c(quote(columns_found), as.list(names(data)[found])))
}

column_is <- function(is, column, name, expr, call) {
  found <- tryCatch(is(column), error = function(e) {
    stop_because(c("{.code {one_line(expr)}} failed for the column {.code {name}}.",
                   "found" = "R's message: {conditionMessage(e)}"), "bad_choice", call, parent = e)
  })
  if (rlang::is_bool(found)) return(found)
  stop_because(c("The function in {.code {one_line(expr)}} must give TRUE or FALSE for a column.",
                 "found" = "For {.code {name}} it gave {what_is(found)}."), "bad_choice", call)
}

# The names, of those that there are, that an expression chooses.
choose_columns <- function(expr, names, env, call) {
  chosen <- choose_part(expr, names, env, call)
  if (chosen$leaves_out) setdiff(names, chosen$names) else chosen$names
}

chosen_names <- function(names, leaves_out = FALSE) list(names = unique(names), leaves_out = leaves_out)

choose_part <- function(expr, names, env, call) {
  if (is.null(expr)) return(chosen_names(character()))
  if (is.symbol(expr)) return(chosen_names(known_column(as.character(expr), names, env, call)))
  if (is.character(expr)) return(chosen_names(known_column(expr, names, env, call)))
  head <- if (is.call(expr) && is.symbol(expr[[1]])) as.character(expr[[1]]) else ""
  switch(head,
    "c" = , columns_found = choose_several(as.list(expr)[-1], names, env, call),
    ":" = choose_range(expr, names, env, call),
    "-" = choose_minus(expr, names, env, call),
    "(" = choose_part(expr[[2]], names, env, call),
    all_columns = chosen_names(names),
    names_like = chosen_names(grep(utils::glob2rx(eval(expr[[2]], env)), names, value = TRUE)),
    stop_because(c("Can't choose columns by {.code {one_line(expr)}}.",
                   "try" = paste0("Use names, {.code a:c}, {.code names_like(\"*_kg\")}, ",
                                "{.code columns_that(is.numeric)} or {.code all_columns()}, several in ",
                                "{.code c()}, with a minus to leave them out.")),
                 "bad_choice", call)
  )
}

# A column's own name counts first; a variable of the script may hold names.
known_column <- function(name, names, env, call) {
  if (all(name %in% names)) return(name)
  if (length(name) == 1 && is.character(value <- get0(name, env, mode = "character"))) {
    return(known_column(value, names, emptyenv(), call))
  }
  other <- if (length(name) == 1) get0(name, env)
  if (!is.null(other)) {
    hint <- nearest_name(name, names)
    stop_because(c("There is no column {.code {name}}.",
                   "found" = "{.code {name}} in the script is {what_is(other)}, not names of columns.",
                   "try" = if (length(hint)) "{.code {hint}}" else "The columns are {listed(names)}."),
                 "unknown_column", call, column = name, nearest = hint)
  }
  stop_unknown_column(setdiff(name, names)[1], names, call)
}

choose_several <- function(parts, names, env, call) {
  parts <- lapply(parts, choose_part, names = names, env = env, call = call)
  leaves_out <- vapply(parts, `[[`, NA, "leaves_out")
  added <- unlist(lapply(parts[!leaves_out], `[[`, "names"))
  removed <- unlist(lapply(parts[leaves_out], `[[`, "names"))
  if (length(parts) && all(leaves_out)) return(chosen_names(removed, TRUE))
  chosen_names(setdiff(as.character(added), removed))
}

choose_range <- function(expr, names, env, call) {
  ends <- lapply(as.list(expr)[-1], choose_part, names = names, env = env, call = call)
  at <- vapply(ends, function(end) if (length(end$names) == 1) match(end$names, names) else NA_integer_, 0L)
  if (anyNA(at)) {
    stop_because(c("A range of columns goes from one name to another.", "found" = "{.code {one_line(expr)}} does not."),
                 "bad_choice", call)
  }
  chosen_names(names[at[1]:at[2]])
}

# Whether an argument of a formula chooses columns, as `a:c`, `names_like("*_kg")` and `c(a:c, -b)` do.
is_choice <- function(expr, names) {
  if (!is.call(expr)) return(FALSE)
  parts <- as.list(expr)[-1]
  switch(head_name(expr),
    names_like = , columns_found = , all_columns = TRUE,
    ":" = all(vapply(parts, function(part) is.symbol(part) && as.character(part) %in% names, NA)),
    c = any(vapply(parts, is_choice, NA, names = names)),
    "(" = , "-" = length(parts) == 1 && is_choice(parts[[1]], names),
    FALSE
  )
}

# A call with the columns that are chosen in it, by name: `row_total(a_kg, b_kg)` for `row_total(names_like("*_kg"))`.
with_choices <- function(expr, scope) {
  columns <- scope$columns[!is_scratch(scope$columns)]
  chooses <- c(FALSE, vapply(as.list(expr)[-1], is_choice, NA, names = scope$columns))
  if (!any(chooses)) return(expr)
  note_script(scope)
  check_no_bare_minus(expr, scope)
  leaves_out <- chooses & vapply(as.list(expr), is_call_to, NA, "-")
  chosen <- lapply(as.list(expr)[chooses & !leaves_out], choose_columns, columns, scope$env, scope$call)
  if (!length(chosen)) chosen <- list(columns)
  names <- setdiff(unlist(chosen), unlist(lapply(as.list(expr)[leaves_out], function(part) {
    choose_columns(part[[2]], columns, scope$env, scope$call)
  })))
  if (!length(names)) {
    stop_because(c("{.code {one_line(as.list(expr)[chooses][[1]])}} chooses no column.", "in" = "{scope_text(scope)}",
                   "try" = "The columns are {listed(columns)}."), "bad_choice", scope$call)
  }
  at <- which(chooses)[1]
  kept <- as.list(expr)[!chooses]
  as.call(append(kept, lapply(names, as.name), sum(!chooses[seq_len(at)])))
}

# Beside a choice `-tare_kg` could leave a column out, or be what is below zero by it.
check_no_bare_minus <- function(expr, scope) {
  for (part in as.list(expr)[-1]) {
    if (!is_call_to(part, "-") || length(part) != 2 || !is.symbol(part[[2]])) next
    name <- as.character(part[[2]])
    if (!name %in% scope$columns) next
    stop_because(c("{.code -{name}} beside a choice of columns can mean two things.", "in" = "{scope_text(scope)}",
                   "try" = "{.code c(names_like(\"*_kg\"), -{name})} leaves it out,",
                   "try" = "{.code (-{name})} is its negative."), "ambiguous_word", scope$call)
  }
}

choose_minus <- function(expr, names, env, call) {
  if (length(expr) == 3) return(choose_several(list(expr[[2]], call("-", expr[[3]])), names, env, call))
  inner <- choose_part(expr[[2]], names, env, call)
  chosen_names(inner$names, !inner$leaves_out)
}
