# A tree as text that is the same if, and only if, it calculates the same: spacing, comments and
# names of variables have gone, values and the bodies of functions are in it. Keys are made of it.

canonical <- function(node) {
  # Settings may change while a table is at hand.
  fold_node(node, function(node, parts) canonical_node(node, unlist(parts)), of_shared = rlang::hash)
}

# `parts` are the texts of its own.
canonical_node <- function(node, parts) {
  switch(node$kind,
    column = paste0("column(", quoted(node$name), ")"),
    rows = paste0("rows(", node$name, ")"),
    value = canonical_value(node$value),
    above = paste0("above", if (node$of > 1) node$of),
    convert = parts,
    r_code = canonical_code(node),
    r_call = canonical_call(node, parts),
    word = paste0("word(", name_in_keys(node$word), ",", listed_parts(parts, names(node$arguments)), ")"),
    choose = paste0(if (node$some_rows) "some_rows(" else "choose(", listed_parts(parts), ")"),
    several = paste0("several(", listed_parts(parts, names(node$parts)), ")"),
    pick = paste0("pick(", node$number, ",", parts, ")"),
    running = canonical_recurrence(node, parts),
    aggregate = paste0("aggregate(", node$word$name, ",", node$skip_missing, ",", node$share, ",",
                       canonical_groups(node), ",", parts, ")"),
    ordered = paste0("ordered(", node$word$name, ",", canonical_value(node$options), ",", canonical_groups(node),
                     "|", canonical_order(node),
                     "|", parts, ")")
  )
}

# `parts` are those of its formulas, then those of the starts that are no values.
canonical_recurrence <- function(node, parts) {
  formulas <- seq_along(node$formulas)
  is_value <- vapply(node$starts, function(start) start$kind == "value", NA)
  starts <- character(length(is_value))
  starts[is_value] <- vapply(node$starts[is_value], function(start) canonical_value(start$value), "")
  starts[!is_value] <- parts[-formulas]
  paste0("running(", listed_parts(parts[formulas]), ",", listed_parts(starts), ",", canonical_groups(node), "|",
         canonical_order(node), ")")
}

name_in_keys <- function(word) if (is.null(word$key)) word$name else word$key

canonical_groups <- function(node) listed_parts(quoted(node$within))

canonical_order <- function(node) listed_parts(paste(quoted(node$along$names), node$along$descending))

canonical_call <- function(node, parts) {
  groups <- if (!is.null(node$within)) paste0("|", canonical_groups(node))
  paste0("call(", canonical_function(node$fun), ",", listed_parts(parts, names(node$arguments)), ",",
         canonical_conditions(node),
         named_functions(node), groups, ")")
}

listed_parts <- function(texts, names = NULL) {
  paste(if (is.null(names)) texts else paste0(names, "=", texts, recycle0 = TRUE), collapse = ",")
}

canonical_value <- function(x) UseMethod("canonical_value")

#' @export
canonical_value.default <- function(x) {
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
  paste0("function(", quoted(code), ",", canonical_surroundings(args_and_body(fun), environment(fun),
                                                                names(formals(fun)), trail), ")")
}

canonical_package_function <- function(fun, home) {
  package <- getNamespaceName(home)
  code <- rlang::hash(paste(deparse(args_and_body(fun)), collapse = "\n"))
  paste0("package(", package, " ", getNamespaceVersion(home), ",", code, ")")
}

# To look for the source in a function of a package, which was installed without, takes longer than all else.
args_and_body <- function(fun) {
  is_bare <- isNamespace(environment(fun)) && is.null(attr(fun, "srcref"))
  bare <- if (is_bare) fun else utils::removeSource(fun)
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
  names <- sort(setdiff(unique(c(free_names(expr), functions_by_text(expr, env))), own), method = "radix")
  found <- lapply(names, script_binding, env = env)
  shown <- vapply(which(!vapply(found, is.null, NA)), function(k) {
    value <- found[[k]]$value
    paste0(names[k], "=", if (is.function(value)) canonical_function(value, trail) else canonical_value(value))
  }, "")
  paste(shown, collapse = ";")
}

# Names in a piece of code, but for the parameters of functions in it.
free_names <- function(expr) {
  if (is.symbol(expr)) return(as.character(expr)[nzchar(as.character(expr))])
  if (!is.call(expr) && !is.pairlist(expr)) return(character())
  inner <- unlist(lapply(as.list(expr), function(part) if (!missing(part)) free_names(part)), use.names = FALSE)
  if (is_call_to(expr, "function")) setdiff(inner, names(expr[[2]])) else inner
}

# Texts in a piece of code that are names of functions of the script, as in `do.call("f", …)`.
functions_by_text <- function(expr, env) {
  texts <- unique(texts_in(expr))
  texts[vapply(texts, function(text) nzchar(text) && is.function(script_binding(text, env)$value), NA)]
}

texts_in <- function(expr) {
  if (is.character(expr)) return(expr[!is.na(expr)])
  if (is.call(expr) || is.pairlist(expr)) {
    unlist(lapply(as.list(expr), function(part) if (!missing(part)) texts_in(part)), use.names = FALSE)
  }
}

# The same of the texts among a call's arguments.
named_functions <- function(node) {
  texts <- unlist(lapply(unname(node$arguments), function(one) if (one$kind == "value" && is.character(one$value) &&
      length(one$value) <= 10) one$value))
  shown <- vapply(unique(texts[!is.na(texts)]), function(text) {
    bound <- if (nzchar(text)) script_binding(text, node$env)$value
    if (is.function(bound)) paste0(";", text, "=", canonical_function(bound)) else ""
  }, "")
  paste(shown, collapse = "")
}

# What the results of R's functions depend on besides their arguments.
canonical_conditions <- function(node) {
  outside <- impurity_of_call(node)
  may_draw <- is_users_function(node$fun) && !is.null(state$run$seed)
  paste0(canonical_value(session_settings()), if (!is.null(outside) || may_draw) outside_key(outside))
}

session_settings <- function() {
  c(digits = format(getOption("digits")), decimals = getOption("OutDec"), scipen = format(getOption("scipen")),
    zone = zone_in_use(), locale = Sys.getlocale())
}

# Without a name that is set, by what its clocks are called in winter and in summer: R would ask the system in a
# slow way.
zone_in_use <- function() {
  zone <- Sys.getenv("TZ")
  if (nzchar(zone)) zone else paste(unique(format(.POSIXct(c(1704067200, 1719792000)), "%Z")), collapse = "/")
}

# Methods of the script for classes: R finds them wherever a function that has methods is called. Empty where there
# are none.
canonical_methods <- function(env) {
  shown <- character()
  start <- env
  while (!is.null(env) && !identical(env, emptyenv()) && !isNamespace(env) && !identical(env, baseenv())) {
    is_attached <- !identical(env, globalenv()) && !is.null(attr(env, "name"))
    for (name in if (!is_attached) grep(".[.].", ls(env, all.names = TRUE), value = TRUE)) {
      # An argument of the function around may be missing, as the dots are.
      value <- if (!bindingIsActive(name, env)) tryCatch(get(name, envir = env), error = function(e) NULL)
      if (is.function(value) && has_generic(name, start)) {
        shown <- c(shown, paste0(name, "=", canonical_function(value)))
      }
    }
    env <- parent.env(env)
  }
  if (length(shown)) paste0("methods(", paste(sort(shown, method = "radix"), collapse = ";"), ")")
}

# Whether what stands before a dot is a function that has methods.
has_generic <- function(name, env) {
  dots <- gregexpr(".", name, fixed = TRUE)[[1]]
  heads <- substring(name, 1, dots[dots > 1] - 1)
  any(heads %in% c("Ops", "Math", "Summary", "Complex", names(.knownS3Generics),
                   getNamespace("base")$.S3PrimitiveGenerics, internal_generics)) ||
    any(vapply(heads, function(head) {
      fun <- get0(head, envir = env, mode = "function")
      is.function(fun) && !is.primitive(fun) && "UseMethod" %in% all.names(body(fun))
    }, NA))
}

# Functions that look for methods in C, but for primitive ones.
internal_generics <- c("unlist", "cbind", "rbind", "as.vector", "is.unsorted", "lengths", "nchar", "rep.int",
                       "rep_len", "+", "-", "*", "/", "^", "%%", "%/%",
                       "==", "!=", "<", "<=", ">", ">=", "!", "&", "|", "[", "[[", "$", "abs", "sqrt", "exp",
                         "floor", "round", "signif", "max", "min", "sum",
                       "range", "length", "c", "rep", "xtfrm", "as.character", "as.numeric", "as.double",
                         "as.integer", "is.na")

# What a name is bound to in the script: not in a package, nor in R itself. Boxed, as it may be NULL.
script_binding <- function(name, env) {
  while (!identical(env, emptyenv()) && !isNamespace(env) && !identical(env, baseenv())) {
    attached <- !identical(env, globalenv()) && !is.null(attr(env, "name"))
    if (!attached && exists(name, envir = env, inherits = FALSE)) return(list(value = get(name, envir = env)))
    env <- parent.env(env)
  }
  NULL
}
