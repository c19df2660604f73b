# Which families of files call which: `R/family-concept.R` belongs to its family. A function that is called, or handed
# over as a value, counts, and so does a method for a generic of another family.

# The layers, from the bottom up. Families of one layer may call each other.
layers <- list(
  ground = c("utils", "check", "rows", "keys"), tree = "tree", language = "language", engines = c("memory", "sql"),
  files = c("source", "sink", "store", "database"), tables = "table", verbs = c("verb", "routine"), runs = "run",
  explaining = c("why", "lineage", "view"), interface = c("print", "plot", "report", "page", "cli")
)

# All functions of the package, from their sources: a list of functions by name, and the family of each.
functions_of_package <- function(folder) {
  files <- setdiff(list.files(folder, "[.]R$"), c("RcppExports.R", "rowanroot-package.R"))
  space <- new.env(parent = globalenv())
  families <- character()
  for (file in files) {
    before <- ls(space, all.names = TRUE)
    for (code in parse(file.path(folder, file), keep.source = FALSE)) {
      if (is.call(code) && identical(code[[1]], as.name("<-")) && is.call(code[[3]]) &&
          identical(code[[3]][[1]], as.name("function"))) eval(code, space)
    }
    families[setdiff(ls(space, all.names = TRUE), before)] <- sub("[-.].*", "", file)
  }
  list(functions = as.list(space, all.names = TRUE)[names(families)], families = families)
}

# A data frame with a row for each function of another family that a function uses.
calls_of_package <- function(folder) {
  found <- functions_of_package(folder)
  families <- found$families
  used <- lapply(names(found$functions), function(name) {
    globals <- codetools::findGlobals(found$functions[[name]])
    to <- intersect(globals, names(families))
    generic <- generic_of(name, names(families))
    data.frame(from = rep(name, length(to) + length(generic)), to = c(to, generic))
  })
  used <- do.call(rbind, used)
  used$from_family <- unname(families[used$from])
  used$to_family <- unname(families[used$to])
  used$up <- layer_of(used$to_family) > layer_of(used$from_family)
  used[used$from_family != used$to_family, ]
}

# The package's own generic that a method is for.
generic_of <- function(name, known) {
  dots <- gregexpr(".", name, fixed = TRUE)[[1]]
  if (dots[1] < 1) return(character())
  intersect(substring(name, 1, dots - 1), known)
}

layer_of <- function(families) vapply(families, function(family) which(vapply(layers, function(layer) family %in%
    layer, NA))[1], 0L)
