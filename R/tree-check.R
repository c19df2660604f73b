# What the types of a word's arguments must be: errors, and a warning, that need no values. `about` has the
# `formula` and the `call` for messages; `likes` are columns without rows that have the classes of the arguments.

# R would compare a number with a text as texts, and calculate with neither.
check_types_fit <- function(node, types, about) {
  if (!any(types == "text")) return(invisible())
  name <- node$word$name
  is_comparison <- identical(node$word$text, "compared")
  if (is_comparison && is.na(common_type(types[types != "other"]))) {
    other <- setdiff(types, c("text", "missing"))[1]
    stop_because(c("Can't compare text with {type_words[[other]]}.",
                   "found" = "{.code {label_of(node)}} does.", "in" = "{about$formula}",
                   "try" = "Convert one of them with {.code as.numeric()} or {.code as.character()}."),
                 "type_mismatch", about$call)
  }
  if (is_comparison || any(types == "other") || identical(node$word$text, "taken")) return(invisible())
  culprit <- node$arguments[[which(types == "text")[1]]]
  joins <- name == "+" && all(types %in% c("text", "missing"))
  stop_because(c("{.code {name}} needs numbers, not text.",
                 "found" = "{.code {label_of(culprit)}} is text.", "in" = "{about$formula}",
                 "try" = if (joins) paste0("To join texts write ",
                                         "{.code join_text({paste(vapply(node$arguments, label_of, ''), ",
                                         "collapse = ', ')})}.")
                       else "If it holds numbers, convert it with {.code as_number()}."),
               "type_mismatch", about$call)
}

# R would calculate missing values from categories, with a warning.
check_no_category <- function(node, likes, about) {
  if (!isFALSE(node$word$category)) return(invisible())
  found <- which(vapply(likes, is.factor, NA))
  if (!length(found)) return(invisible())
  stop_because(c("{.code {node$word$name}} needs numbers, not a category.",
                 "found" = "{.code {label_of(node$arguments[[found[1]]])}} is a category.", "in" = "{about$formula}",
                 "try" = "If its levels are numbers, convert it first: {.code as.numeric(as.character(\u2026))}."),
                   "type_mismatch", about$call)
}

# `texts` has the text of each argument that is one. A text that is not a level of a category is equal to none of its
# values: mostly it is misspelled.
check_levels <- function(node, likes, texts, about) {
  if (!isTRUE(node$word$levels)) return(invisible())
  category <- which(vapply(likes, is.factor, NA))
  text <- Find(Negate(is.null), texts)
  if (length(category) != 1 || is.null(text)) return(invisible())
  levels <- levels(likes[[category]])
  if (is.na(text) || text %in% levels) return(invisible())
  warn_because(c("{.val {text}} is not a level of {.code {label_of(node$arguments[[category]])}}.",
                 "found" = "{.code {label_of(node)}} is the same for all rows.", "in" = "{about$formula}",
                 "try" = level_hint(text, levels)), "no_level", about$call)
}

level_hint <- function(text, levels) {
  hint <- nearest_name(text, levels)
  escaped(cli::format_inline(if (length(hint)) "{.val {hint}}"
    else "Its levels are {listed(levels, in_quotes)}.", keep_whitespace = FALSE))
}

stop_number_as_condition <- function(node, type, about) {
  stop_because(c("A condition must be true or false, not {type_words[[type]]}.",
                 "found" = "It is {.code {label_of(node)}}.",
                 "try" = "Compare it with something: {.code {label_of(node)} > 0}, {.code !is.na({label_of(node)})}."),
                   "type_mismatch", about$call)
}

stop_rows_by_number <- function(node, about) {
  stop_because(c("The rows to set must be picked by a condition.",
                 "found" = "{.code [{label_of(node)}]} is not one.", "in" = "{about$formula}",
                 "try" = "To pick rows by number write {.code [{rows_by_number(node$shown)}]}."),
               "type_mismatch", about$call)
}

# A minus leaves rows out.
rows_by_number <- function(code) {
  if (is_call_to(code, "(")) code <- code[[2]]
  leaves_out <- is_call_to(code, "-") && length(code) == 2
  if (leaves_out) code <- code[[2]]
  one <- is.numeric(code)
  shown <- one_line(code)
  if (leaves_out) if (one) paste(".row !=", shown) else paste0("!.row %in% ", shown) else if (one) paste(".row ==",
      shown) else paste(".row %in%", shown)
}

stop_branches_differ <- function(yes, no, node, about) {
  stop_choice_differs(type_words[[yes$type]], type_words[[no$type]], node, about)
}

# An `if` of two sorts of values, or a word that chooses among columns.
stop_choice_differs <- function(one, other, node, about) {
  is_if <- is.null(node$of)
  stop_because(c(if (is_if) "The two branches of an {.code if} must be of one type."
    else "The columns of {.code {node$of}()} must be of one type.",
                 "found" = paste(if (is_if) "With {.code if ({label_of(node)})}," else "With {.code {label_of(node)}},",
                             "one is {one} and the other {other}."), "in" = "{about$formula}",
                 "try" = paste0("Convert one of them with {.code as.character()} or {.code as.numeric()}; ",
                                "{.code NA} fits every type.")),
               "type_mismatch", about$call)
}

# R would give a missing mean of texts, with a warning at most.
check_can_aggregate <- function(node, type, like, about) {
  needs <- node$word$needs
  kind <- if (type == "text") "text" else if (is.factor(like)) "a category"
  if (is.null(needs) || is.null(kind) || kind == "a category" && isTRUE(node$word$categories)) return(invisible())
  stop_because(c("{.code {node$word$name}()} needs {needs}, not {kind}.",
                 "found" = "{.code {label_of(node$argument)}} is {kind}.", "in" = "{about$formula}",
                 "try" = if (needs == "numbers") paste0("If it holds numbers, convert it first: {.code as.numeric(",
                                                      "{if (kind == 'text') '' else 'as.character(\u2026)'})}.")
                       else "Compare it with something: {.code {label_of(node$argument)} == \u2026}."),
               "type_mismatch", about$call)
}

stop_type_changes <- function(node, above, found, about) {
  stop_because(c("A running formula must give what it takes.",
                 "found" = paste0("{.code .above} is {sort_in_words(above)} and {.code {label_of(node)}} gives ",
                              "{sort_in_words(found)}."), "in" = "{about$formula}",
                 "try" = if (above$type == "text" && is.factor(found$like)) level_hint("", levels(found$like))
                       else "Choose a {.arg start} of the formula's type, or convert what it gives."), "type_mismatch",
                   about$call)
}

# The type of a node, and what it is like, in words.
sort_in_words <- function(of) {
  if (is.null(of$like)) type_words[[of$type]] else paste("a", type_name(of$like))
}

# The classes that running and moving words take: some make no sense of dates, and products none of durations.
classes_it_takes <- function(way, what) {
  c(if (what %in% c("least", "greatest", if (way == "moving") "median")) c("Date", "POSIXct"),
    if (what != "product") "difftime", "integer64")
}

# Numbers, or what a word's option makes of them, in the order of rows: the rest is an error.
check_numbers <- function(x, about, classes = character()) {
  if (value_type(x) %in% c("logical", "integer", "double") || inherits(x, classes) && is.double(x)) return(invisible())
  kind <- if (is.object(x)) paste("a", type_name(x)) else type_name(x)
  stop_because(c("{.code {about$name}()} needs numbers, not {kind}.",
                 "found" = "{.code {about$label}} is {kind}.", "in" = "{about$formula}",
                 "try" = if (is.character(x)) "If it holds numbers, convert it with {.code as_number()}."),
                   "type_mismatch", about$call)
}

sort_text <- function(x) if (is.object(x)) paste("of class", class(x)[1]) else type_name(x)

# How a node was written.
label_of <- function(node) if (node$kind %in% c("column", "rows")) node$name else one_line(node$shown)

# A condition must be true or false: `as_rows` if it picks the rows that are kept or checked.
check_condition <- function(node, type, as_rows, about) {
  if (isTRUE(node$some_rows) && type != "logical" && type != "missing") stop_rows_by_number(node, about)
  if (as_rows && type %in% c("integer", "double", "number")) stop_number_as_condition(node, type, about)
  if (is_numeric_type(type)) return(invisible())
  stop_because(c("A condition must be true or false, not {type_words[[type]]}.",
                 "found" = if (!as_rows) "{.code if ({label_of(node)})} is used in {.code {about$formula}}.",
                 "try" = "Compare it with something: {.code {label_of(node)} == \u2026}."),
               "type_mismatch", about$call)
}

# Values that have classes must be of one sort if an `if` chooses among them, so that nothing is converted.
check_one_sort <- function(values, types, node, about) {
  same <- any(types == "missing") || any(types == "text") && any(vapply(values, is.factor, NA)) ||
    identical(class(values[[1]]), class(values[[2]])) && identical(levels(values[[1]]), levels(values[[2]]))
  if (same) return(invisible())
  stop_choice_differs(sort_text(values[[1]]), sort_text(values[[2]]), node, about)
}
