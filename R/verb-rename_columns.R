#' Rename columns
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... Pairs `new = old`, and a function of names, such as `toupper`, for all other columns.
#' @param style A style for all columns that are not in a pair: `"snake"` (net_kg), `"camel"`
#'   (netKg), `"title"` (Net Kg) or `"lower"` (small letters, nothing else changed). A word ends
#'   before a capital letter that follows a small one, and at any character that is not a letter or
#'   a digit.
#' @return The table with the new names. Columns are shared with `x`, not copied.
#' @section Errors: `rowanroot_unknown_column`; `rowanroot_repeated_name` if two columns would have
#'   the same name, or one is renamed twice; `rowanroot_bad_argument` for anything other than a pair
#'   or a function that returns a name for each name.
#' @examples
#' visits <- data.frame(`Hive Code` = c("NB-01", "NB-02"), grossKg = c(31, 28.5), check.names = FALSE)
#' visits |> rename_columns(gross = grossKg)
#' visits |> rename_columns(style = "snake")
#' visits |> rename_columns(hive = `Hive Code`, toupper)
#' @export
rename_columns <- function(x, ..., style = NULL) {
  call <- quote(rename_columns())
  typed <- as.list(substitute(list(...)))[-1]
  # In `visits |> rename_columns(x = longitude)` the table comes without a name.
  if ("x" %in% names(sys.call()) && length(typed) && !nzchar(c(names(typed), "")[1])) {
    typed <- c(list(x = substitute(x)), typed[-1])
    x <- ..1
  }
  if (is_routine(x)) return(with_step(x, match.call(), parent.frame(), call))
  check_table(x, call)
  apply_step(x, new_step_rename(typed, style, column_names(x), parent.frame(), call), call)
}

new_step_rename <- function(typed, style, names, env, call) {
  if (!is.null(style)) check_one_of(style, names(name_styles), "style", call)
  is_pair <- if (is.null(names(typed))) logical(length(typed)) else nzchar(names(typed))
  old <- vapply(typed[is_pair], function(part) one_column(part, names, env, call), "")
  if (anyDuplicated(old)) {
    twice <- old[duplicated(old)][1]
    stop_because("The column {.code {twice}} is given two names: {.code {names(old)[old == twice]}}.",
                 "repeated_name", call)
  }
  columns <- replace(names, match(old, names), names(old))
  other <- !names %in% old
  if (!is.null(style)) columns[other] <- vapply(columns[other], name_styles[[style]], "", USE.NAMES = FALSE)
  for (part in typed[!is_pair]) columns[other] <- names_by(part, columns[other], env, call)
  check_no_name_twice(columns, names, call)
  structure(list(typed = typed, style = style, from = names, columns = columns, columns_before = names, env = env),
            class = c("step_rename", "step_columns", "step"))
}

one_column <- function(expr, names, env, call, rule = "Each new name is for one column.") {
  chosen <- choose_columns(expr, names, env, call)
  if (length(chosen) == 1) return(chosen)
  stop_because(c("{rule}", "found" = "{.code {one_line(expr)}} chooses {length(chosen)}."),
               "bad_choice", call)
}

names_by <- function(part, names, env, call) {
  fun <- tryCatch(eval(part, env), error = function(e) NULL)
  if (!is.function(fun)) {
    stop_because(c("{.code {one_line(part)}} is neither a pair nor a function.",
                   "try" = paste0("Write {.code rename_columns(x, new_name = {one_line(part)})}, or give a function ",
                                "such as {.code toupper}.")), "bad_argument", call)
  }
  found <- tryCatch(fun(names), error = function(e) {
    stop_because(c("{.code {one_line(part)}} failed.", "found" = "R's message: {conditionMessage(e)}"),
                 "bad_argument", call,
                 parent = e)
  })
  if (is.character(found) && length(found) == length(names) && !anyNA(found) && all(nzchar(found))) {
    return(as.vector(found))
  }
  stop_because(c("{.code {one_line(part)}} must give a name for each name.",
                 "found" = "For {length(names)} name{?s} it gave {what_is(found)}."), "bad_argument", call)
}

check_no_name_twice <- function(columns, from, call) {
  if (!anyDuplicated(columns)) return(invisible())
  twice <- columns[duplicated(columns)][1]
  stop_because(c("Two columns would have the name {.code {twice}}.",
                 "found" = "They are {.code {from[columns == twice][1:2]}}.",
                   "try" = "Give one of them another name in a pair."), "repeated_name", call)
}

name_styles <- list(
  snake = function(name) join_words(name, tolower, "_"),
  camel = function(name) join_words(name, function(words) c(tolower(words[1]), with_capital(words[-1])), ""),
  title = function(name) join_words(name, with_capital, " "),
  lower = tolower
)

# A name without any letter or digit stays as it is.
join_words <- function(name, change, with) {
  spaced <- gsub("(?<=[\\p{Ll}\\p{N}])(?=\\p{Lu})|(?<=\\p{Lu})(?=\\p{Lu}\\p{Ll})", " ", enc2utf8(name), perl = TRUE)
  words <- strsplit(gsub("[^\\p{L}\\p{M}\\p{N}]+", " ", spaced, perl = TRUE), " ", fixed = TRUE)[[1]]
  words <- words[nzchar(words)]
  if (length(words)) paste(change(words), collapse = with) else name
}

with_capital <- function(words) paste0(toupper(substr(words, 1, 1)), tolower(substring(words, 2)))

#' @export
bind_step.step_rename <- function(step, names, call) new_step_rename(step$typed, step$style, names, step$env, call)

#' @export
step_lines.step_rename <- function(step) {
  parts <- vapply(step$typed, one_line, "")
  named <- nzchar(names(parts))
  parts[named] <- paste(names(parts)[named], "=", parts[named])
  shown <- c(parts, if (!is.null(step$style)) paste("style =", quoted(step$style)))
  list(list(name = "columns", text = paste0("rename_columns(", paste(shown, collapse = ", "), ")"),
            key = rlang::hash(step_key(step))))
}

#' @export
carry_origins.step_rename <- function(step, origins) {
  now <- function(names) step$columns[match(names, step$from)]
  origins <- origins[names(origins) %in% step$from]
  lapply(stats::setNames(origins, now(names(origins))), function(from) now(intersect(from, step$from)))
}

#' @export
step_leads.step_rename <- function(step, leads) step$columns[match(leads, step$from)]

#' @export
call_in_words.call_rename_columns <- function(call) {
  pairs <- free_arguments(call)
  style <- call$arguments$style
  named <- nzchar(names_or_none(pairs))
  shown <- c(if (any(named)) paste(vapply(pairs[named], code_text, ""), "to", names(pairs)[named]),
             if (any(!named)) paste("all by", vapply(pairs[!named], code_text, "")),
             if (!is.null(style)) paste("all to", style, "style"))
  paste("Rename", paste(shown, collapse = ", "))
}

# Names may be given a style alone.
#' @export
call_lacks.call_rename_columns <- function(call) FALSE
