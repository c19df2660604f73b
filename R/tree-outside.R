# Formulas that are not functions of their inputs: they draw random numbers, or ask for the time, the environment or a
# file. What they give is known for this run alone.

outside_functions <- list(
  random = c("runif", "rnorm", "rbinom", "rpois", "rexp", "rgamma", "rbeta", "rt", "rf", "rchisq", "rcauchy", "rgeom",
             "rhyper", "rlogis", "rlnorm", "rmultinom", "rnbinom", "rsignrank", "rweibull", "rwilcox", "sample",
             "sample.int", "jitter"),
  time = c("Sys.time", "Sys.Date", "date", "proc.time"),
  environment = c("Sys.getenv", "Sys.info", "Sys.getpid", "getwd", "commandArgs", "interactive", "Sys.getlocale",
                  "Sys.timezone", "getOption", "tempfile", "system", "system2"),
  file = c("readLines", "scan", "read.csv", "read.csv2", "read.table", "read.delim", "readRDS", "load", "source",
           "file.exists", "file.info", "file.size", "file.mtime", "list.files", "dir", "dir.exists", "Sys.glob", "url",
           "download.file", "readline", "readBin", "readChar")
)

outside_words <- c(random = "draws random numbers", time = "asks for the time",
                   environment = "asks for the environment", file = "looks at a file")

# Which kind of these a function of R is, or NULL.
outside_kind <- function(name, fun) {
  for (kind in names(outside_functions)) {
    if (name %in% outside_functions[[kind]] && !is.null(fun) && !is_script_function(fun)) return(kind)
  }
}

# The kinds that a call of a function comes to, by its own code and that of functions of the script that it calls.
impurity_of_call <- function(node) {
  trail <- new_trail()
  kinds <- c(outside_kind(node$name, node$fun), if (is_script_function(node$fun)) kinds_in_function(node$fun, trail),
             unlist(lapply(unname(node$arguments), kinds_in_argument, env = node$env, trail = trail)))
  unique(kinds)
}

# Code, functions, and texts that name one.
kinds_in_argument <- function(node, env, trail) {
  if (node$kind == "r_code") return(kinds_in_code(node$expr, node$env, trail))
  if (node$kind != "value") return(NULL)
  value <- node$value
  if (is.character(value)) return(unlist(lapply(utils::head(unique(value), 10), kind_of_name, env = env)))
  if (!is.function(value)) return(NULL)
  if (is_script_function(value)) kinds_in_function(value, trail) else outside_kind(one_line(node$shown), value)
}

kinds_in_function <- function(fun, trail) {
  if (!is.na(trail_place(trail, fun))) return(NULL)
  kinds <- kinds_in_code(body(fun), environment(fun), trail)
  # A function that sets a seed of its own gives the same each time.
  if ("set.seed" %in% all.names(body(fun))) setdiff(kinds, "random") else kinds
}

kinds_in_code <- function(expr, env, trail) {
  unlist(lapply(unique(c(all.names(expr), texts_in(expr))), function(name) {
    fun <- if (!is.na(name) && nzchar(name)) get0(name, envir = env, mode = "function")
    if (is.null(fun)) return(NULL)
    if (is_script_function(fun)) kinds_in_function(fun, trail) else outside_kind(name, fun)
  }))
}

kind_of_name <- function(name, env) {
  if (is.na(name) || !nzchar(name)) return(NULL)
  outside_kind(name, get0(name, envir = if (is.null(env)) baseenv() else env, mode = "function"))
}

# What stands in a key for them: the seed, or what no other run has.
outside_key <- function(kinds) {
  seed <- state$run$seed
  if (all(kinds == "random") && !is.null(seed)) return(paste0("seed ", canonical_value(seed)))
  paste("anew", if (is.null(state$run)) session_nonce() else state$run$nonce)
}

new_nonce <- function() {
  state$nonces <- c(state$nonces, 0)[1] + 1
  paste(Sys.getpid(), format(as.numeric(Sys.time()), digits = 20), state$nonces)
}

session_nonce <- function() {
  if (is.null(state$session_nonce)) state$session_nonce <- new_nonce()
  state$session_nonce
}

# The kinds of a tree for which no seed was set.
tree_outside <- function(node) {
  kinds <- fold_node(node, function(node, children) {
    unique(c(switch(node$kind, r_call = impurity_of_call(node), value = value_kinds(node)), unlist(children)))
  })
  if (is.null(state$run$seed)) kinds else setdiff(kinds, "random")
}

# A value of the script is what it is, and part of the key. But if it is drawn, or is the time of the day, it is
# another one in each run.
value_kinds <- function(node) {
  if (!is.call(node$shown)) return(NULL)
  kinds <- unlist(lapply(setdiff(all.names(node$shown), "Sys.Date"), kind_of_name, env = globalenv()))
  intersect(kinds, c("random", "time"))
}

anew_words <- function(kinds) if (length(kinds)) paste(outside_words[kinds], collapse = " and ")

# The warning comes once for each output that is made.
tell_not_repeatable <- function(lines, call) {
  for (line in lines) {
    if (is.null(line$anew)) next
    warn_because(c("{.code {line$text}} {line$anew}: its output is made again in every run.",
                   "try" = if (grepl("random", line$anew)) {
                     "For the same numbers each time, write {.code set.seed(1)} at the top of the script."
                   } else {
                     paste("To have it made only when its inputs change, take the value on a line of the script above:",
                           "{.code today <- Sys.Date()}.")
                   }),
                 "made_anew", call)
  }
}

random_state <- function() get0(".Random.seed", globalenv(), inherits = FALSE)

# Functions of packages may draw random numbers too: R's own state shows it. Notes it in the record, from which the
# next run knows.
noting_drawn <- function(code, note, lines, call) {
  before <- random_state()
  value <- code
  if (identical(before, random_state())) return(value)
  note()
  if (!any(vapply(lines, function(line) !is.null(line$anew), NA))) {
    tell_not_repeatable(list(list(text = "A function of a package", anew = outside_words[["random"]])), call)
  }
  value
}

# Formulas that draw random numbers draw the same ones for each output, wherever it stands in the script.
with_seed_of_script <- function(code) {
  seed <- state$run$seed
  if (is.null(seed)) return(code)
  old <- random_state()
  on.exit(if (is.null(old)) rm(".Random.seed", envir = globalenv()) else assign(".Random.seed", old, globalenv()))
  set.seed(seed)
  code
}
