# A call of a verb as it was typed: its `verb` and its `arguments` as code, and `env`, where it was typed. Each verb has
# a class of calls, whose methods stand in the verb's file.

new_verb_call <- function(verb, arguments, env = NULL) {
  structure(list(verb = verb, arguments = arguments, env = env), class = c(paste0("call_", verb), "verb_call"))
}

# What the step does, in words: a text for each line.
call_in_words <- function(call) UseMethod("call_in_words")

# Whether it lacks something that the verb needs, as far as can be said without a table.
call_lacks <- function(call) UseMethod("call_lacks")

#' @export
call_lacks.verb_call <- function(call) {
  formals <- formals(get(call$verb, envir = topenv(), mode = "function"))
  needed <- setdiff(names(Filter(function(default) identical(default, quote(expr = )), formals)), c("x", "..."))
  lacks_columns <- "..." %in% names(formals) && !length(needed) && !length(free_arguments(call))
  !all(needed %in% names(call$arguments)) || lacks_columns
}

# The arguments that are no options of the verb.
free_arguments <- function(call) {
  formals <- formals(get(call$verb, envir = topenv(), mode = "function"))
  call$arguments[!names_or_none(call$arguments) %in% setdiff(names(formals), "...")]
}

# Code in words.
code_text <- function(code) {
  if (is_call_to(code, "-") && length(code) == 2) return(paste("all but", code_text(code[[2]])))
  if (is_call_to(code, "c")) {
    given <- names_or_none(as.list(code)[-1])
    parts <- vapply(unname(as.list(code)[-1]), code_text, "")
    return(paste(ifelse(nzchar(given), paste(given, "=", parts), parts), collapse = ", "))
  }
  one_line(code, 200L)
}

code_list <- function(parts) paste(vapply(unname(parts), code_text, ""), collapse = ", ")

# " within hive", if there are groups.
within_text <- function(call) if (!is.null(call$arguments$within)) paste0(" within ", code_text(call$arguments$within))

# A line of a block.
line_in_words <- function(line) {
  if (is_call_to(line, "for")) {
    return(c(paste0("For each ", as.character(line[[2]]), " of ", code_text(line[[3]]), ":"),
             lower_first(line_in_words(line[[4]]))))
  }
  if (is_block(line)) return(block_in_words(line))
  place <- line[[2]]
  some <- is_call_to(place, "[")
  name <- code_text(if (some) place[[2]] else place)
  if (is.null(line[[3]])) return(paste("Remove", name))
  paste0("Set ", name, if (some) paste0(" where ", code_text(place[[3]])), " to ", code_text(line[[3]]))
}

block_in_words <- function(block) unlist(lapply(as.list(block)[-1], line_in_words))

# Where columns go, by the arguments of the call.
place_in_words <- function(given) {
  if (!is.null(given$before)) return(paste("before", code_text(given$before)))
  if (is.null(given$after)) return("last")
  if (identical(given$after, 0)) "first" else paste("after", code_text(given$after))
}

upper_first <- function(text) paste0(toupper(substr(text, 1, 1)), substr(text, 2, nchar(text)))

lower_first <- function(text) paste0(tolower(substr(text, 1, 1)), substr(text, 2, nchar(text)))
