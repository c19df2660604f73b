# A tree as text that says the same if, and only if, it calculates the same: spacing, comments and
# names of variables have gone, values and the bodies of functions are in it. Keys are made of it.

canonical <- function(node) {
  switch(node$kind,
    column = paste0("column(", quoted(node$name), ")"),
    rows = paste0("rows(", node$name, ")"),
    value = canonical_value(node$value),
    shared = once(node, "key", rlang::hash(canonical(node$memory$node))),
    aggregate = paste0("aggregate(", node$entry$name, ",", node$skip_missing, ",", node$share, ",", paste(quoted(node$within), collapse = ","), ",",
                       canonical(node$argument), ")"),
    ordered = paste0("ordered(", node$entry$name, ",", canonical_value(node$options), ",", paste(quoted(node$within), collapse = ","), "|",
                     paste(quoted(node$along$names), node$along$descending, collapse = ","), "|", canonical(node$argument), ")"),
    above = "above",
    running = paste0("running(", canonical(node$formula), ",", canonical_value(node$start), ",", paste(quoted(node$within), collapse = ","), "|",
                     paste(quoted(node$along$names), node$along$descending, collapse = ","), ")"),
    several = paste0("several(", canonical_arguments(node$parts), ")"),
    choose = paste0(if (isTRUE(node$some_rows)) "some_rows(" else "choose(", canonical(node$condition), ",", canonical(node$yes), ",", canonical(node$no), ")"),
    word = paste0("word(", node$word$name, ",", canonical_arguments(node$arguments), ")"),
    r_call = paste0("call(", canonical_function(node$fun), ",", canonical_arguments(node$arguments),
                    if (!is.null(node$within)) paste0("|", paste(quoted(node$within), collapse = ",")), ")"),
    r_code = canonical_code(node)
  )
}

quoted <- function(text) encodeString(in_utf8(text), quote = '"')

canonical_arguments <- function(arguments) {
  values <- vapply(arguments, canonical, "")
  if (!is.null(names(arguments))) values <- paste0(names(arguments), "=", values)
  paste(values, collapse = ",")
}

canonical_value <- function(x) {
  if (is.function(x)) return(canonical_function(x))
  if (is.environment(x)) return("environment()")
  if (is.language(x)) return(paste0("code(", quoted(paste(deparse(x, width.cutoff = 500L), collapse = "\n")), ")"))
  if (typeof(x) == "S4" || typeof(x) == "externalptr") return(paste0("object(", rlang::hash(x), ")"))
  paste0(typeof(x), "(", canonical_data(x), canonical_attributes(x), ")")
}

# Long vectors are hashed by their bytes: how R keeps them in memory does not show in those.
canonical_data <- function(x) {
  bare <- unclass(x)
  attributes(bare) <- NULL
  if (is.list(x)) return(paste(vapply(bare, canonical_value, ""), collapse = ","))
  if (is.null(x)) return("")
  bytes <- if (is.character(bare)) text_bytes(bare) else writeBin(bare, raw(), endian = "little")
  if (length(bytes) > 64) return(paste0("hash:", rlang::hash(bytes)))
  paste(as.character(bytes), collapse = "")
}

text_bytes <- function(x) {
  lengths <- nchar(x, "bytes", allowNA = TRUE, keepNA = TRUE)
  x[is.na(x)] <- ""
  c(writeBin(lengths, raw(), endian = "little"), charToRaw(paste(in_utf8(x), collapse = "")))
}

canonical_attributes <- function(x) {
  extra <- attributes(x)
  extra <- extra[setdiff(names(extra), c("srcref", "row.names"))]
  if (!length(extra)) return("")
  extra <- extra[order(names(extra), method = "radix")]
  paste0(";", paste(names(extra), vapply(extra, canonical_value, ""), sep = "=", collapse = ";"))
}

canonical_code <- function(node) {
  paste0("code(", quoted(paste(deparse(node$expr, width.cutoff = 500L), collapse = "\n")), ",",
         paste(quoted(sort(node$columns, method = "radix")), collapse = ","), ",",
         canonical_surroundings(node$expr, node$env, node$columns, new_trail()), ")")
}

# A function of a package is its code and the package's version; one of the script, or one that a function
# made, is its code and all that it takes from where it was made, functions and values alike.
canonical_function <- function(fun, trail = new_trail()) {
  if (is.primitive(fun)) return(paste0("primitive(", one_line(fun, 1000L), ")"))
  if (isNamespace(environment(fun))) return(canonical_package_function(fun, environment(fun)))
  known <- trail_place(trail, fun)
  if (!is.na(known)) return(paste0("again(", known, ")"))
  code <- paste(deparse(args_and_body(fun), width.cutoff = 500L), collapse = "\n")
  paste0("function(", quoted(code), ",", canonical_surroundings(args_and_body(fun), environment(fun), names(formals(fun)), trail), ")")
}

canonical_package_function <- function(fun, home) {
  package <- getNamespaceName(home)
  code <- rlang::hash(paste(deparse(args_and_body(fun)), collapse = "\n"))
  paste0("package(", package, " ", getNamespaceVersion(home), ",", code, ")")
}

args_and_body <- function(fun) {
  bare <- utils::removeSource(fun)
  call("function", formals(bare), body(bare))
}

# Functions on the way down, so that one that calls itself ends.
new_trail <- function() {
  trail <- new.env(parent = emptyenv())
  trail$seen <- list()
  trail
}

trail_place <- function(trail, fun) {
  for (k in seq_along(trail$seen)) if (identical(trail$seen[[k]], fun)) return(k)
  trail$seen <- c(trail$seen, fun)
  NA_integer_
}

# The values of the script that a piece of code can see under the names that it uses.
canonical_surroundings <- function(expr, env, own, trail) {
  names <- sort(setdiff(unique(all.names(expr)), own), method = "radix")
  found <- lapply(names, script_binding, env = env)
  shown <- vapply(which(!vapply(found, is.null, NA)), function(k) {
    value <- found[[k]]$value
    paste0(names[k], "=", if (is.function(value)) canonical_function(value, trail) else canonical_value(value))
  }, "")
  paste(shown, collapse = ";")
}

# What a name is bound to in the script: not in a package, nor in R itself. Boxed, as it may be NULL.
script_binding <- function(name, env) {
  while (!identical(env, emptyenv()) && !isNamespace(env) && !identical(env, baseenv())) {
    attached <- !identical(env, globalenv()) && !is.null(attr(env, "name"))
    if (!attached && exists(name, envir = env, inherits = FALSE)) return(list(value = get(name, envir = env)))
    env <- parent.env(env)
  }
  NULL
}
