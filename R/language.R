# The language of formulas: one record for each word, with all that the layers need to know of it. A record stands in
# the file of its word, in a function whose name begins with `words_of_`; all of them together are the language.

# `kind` says how the word is bound and calculated:
#   row         a value for each row, of that row's values alone
#   aggregate   one value of a whole column, or of each group
#   ordered     a value for each row, by the order of rows or by their groups
#   derived     short for a longer formula, which `bind` gives
#   look_up     values of another table
#   recurrence  a formula that uses its own value in the row above
#   column      a function of R that needs whole columns
#
# Fields of all kinds:
#   fun         the function of the name: what a script must mean by it
#   r           what the word means, in R, on plain vectors: also its test
#   bind        what its call stands for, if that is not one node: see bind_call()
#   one_row     whether it may stand in a function of one row
#   memory      how the engine in memory calculates it
#   chunks      how the engine goes on with it from one chunk of rows to the next: "on" (an ordered word keeps what it
#               came to), "rows" (it keeps the last rows), or a function of its options that gives one of these; row
#               words need nothing
#   choices     whether its arguments may choose columns, as names_like() does
#   explain     how why() explains it: a function of the facts of a row (language-ordered.R)
#   draw        the figure of a column made by it: "running" or "ranking"
# Fields of row words:
#   arguments   how many it has in a formula; `names` are those that they may be given by, `defaults` what the last of
#               them are if left out
#   type        a rule that gives, for the types of the arguments, those that they are converted to, and the result's;
#               NULL where R's function is called instead
#   key         what it is called in keys, if not by its name
#   texts       the function that is called in its place if it is given text
#   text        what text is to it: "refused", "compared" or "taken"
#   category    whether it takes categories
#   levels      whether a text beside a category should be one of its levels
#   settled_by  the value of its first argument at which the second does not count
#   quiet       whether R's function neither fails nor warns, whatever the values are
#   expensive   whether it costs more for a value than to see if the value has come before
#   kernel      the core's own way to do what R's function does to a text
#   sql         what it is in databases: a template such as "sqrt({1} * {1} + {2} * {2})", or a name that dialects know
#               (sql-dialect.R), if that is not the core's
#   whole       a function of the arguments: whether it looks at several rows, given these
#   peeks       the same: whether one row's value depends on what others look like
#   beyond      what is done where R's values of all rows would not fit into memory: "core" (nothing, it leaves all of
#               the work to the core) or "pieces" (it is given some rows after the others, and fails for no single
#               ones), or a function of the arguments that gives one of these; quiet words go in pieces
#   several     the arguments that are options of all rows even where they have several values; a vector of the script
#               in another place goes along with the rows
#   classed     what it is of dates, times, durations and categories: a rule, as those in language-rules.R
#   for_names   a function of a call, where it gives several columns: the call with their number
#   bind_targets  a function of a call and the names that it sets, where each has a formula of its own
#   methods     of the class that the methods of its kind are for; the record itself has none, as nodes have none
#   hidden      whether it is only for trees that other words are short for
#   learns      a function of a call: whether a calibrated routine keeps the levels that it gives
# Fields of aggregates and ordered words stand with these.
language_word <- function(name, kind, ..., fun = get(name, envir = topenv(), mode = "function"), r = fun) {
  methods <- structure(list(), class = c(paste0("word_", kind), "language_word"))
  list(name = name, kind = kind, fun = fun, r = r, ..., methods = methods)
}

# The records by name, in an environment; words of several meanings have several. Made when all of the package's
# functions are there.
make_language <- function() {
  space <- topenv()
  makers <- sort(grep("^words_of_", ls(space, sorted = FALSE), value = TRUE), method = "radix")
  records <- unlist(lapply(makers, function(maker) get(maker, envir = space)()), recursive = FALSE)
  names <- vapply(records, `[[`, "", "name")
  list2env(split(records, factor(names, unique(names))), parent = emptyenv())
}

delayedAssign("language", make_language())

# The record of what a script calls by this name, or NULL; of several, the one for so many arguments.
find_word <- function(name, fun, arguments = NULL) {
  words <- language[[name]]
  if (is.null(words) || !identical(words[[1]]$fun, fun)) return(NULL)
  if (length(words) > 1) for (word in words) if (fits_arguments(word, length(arguments))) return(word)
  words[[1]]
}

fits_arguments <- function(word, count) {
  is.null(word$arguments) || count <= word$arguments && count >= word$arguments - length(word$defaults)
}

# A word of R or of rowanroot, for trees that words are short for.
the_word <- function(name, arguments = 2) Find(function(word) fits_arguments(word, arguments), language[[name]])

# A word that goes row by row, whether the core or R's function calculates it.
is_row_word <- function(word) !is.null(word) && word$kind == "row"

# A scope for binding (tree-bind.R) in which the words of the language are known.
formula_scope <- function(columns, env, line, call) new_scope(columns, env, line, call, for_binding)

# Each argument of a word that goes row by row has a value for each row, whatever a script means by it.
delayedAssign("for_binding", list(
  find_word = find_word,
  seen_through = c(syntax_seen_through, unique(vapply(Filter(is_row_word, all_words()), `[[`, "", "name"))),
  words = names_to_offer,
  takes_choices = vapply(Filter(function(word) isTRUE(word$choices), all_words()), `[[`, "", "name"),
  elsewhere = functions_elsewhere
))

# Names to suggest where a formula calls a function that does not exist.
names_to_offer <- function() {
  shown <- Filter(function(word) is.null(word$hidden), all_words())
  grep("^[[:alpha:].]", unique(vapply(shown, `[[`, "", "name")), value = TRUE)
}

all_words <- function() {
  unlist(mget(ls(language, all.names = TRUE), envir = language), recursive = FALSE, use.names = FALSE)
}
