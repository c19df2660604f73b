# Rooted tables and R's own functions of data frames: those that look get the values, those that change a table in place
# stop and name the verb.

# Methods that call the function again, with the values in place of the table.
with_values <- c("aggregate", "anyDuplicated", "as.list", "by", "c", "droplevels", "duplicated", "format",
                 "is.na", "merge", "na.exclude", "na.fail", "na.omit", "rev", "row.names", "rowsum", "split", "stack",
                 "str", "subset", "t", "tail", "transform", "unlist", "unstack", "with", "within", "xtfrm")

value_method <- function(name) {
  force(name)
  function(...) {
    call <- sys.call()
    generic <- get(name, envir = home_of(name), mode = "function")
    call[[1]] <- generic
    for (k in seq_along(call)[-1]) {
      value <- tryCatch(eval(call[[k]], parent.frame()), error = function(e) NULL)
      if (is_rooted_table(value)) call[k] <- list(table_data(value))
      # The rest may be formulas of columns.
      break
    }
    eval(call, parent.frame())
  }
}

# R's data.matrix() asks for a matrix of what is no data frame: that would be one of texts.
#' @export
as.matrix.rooted_table <- function(x, ...) {
  if (identical(sys.function(sys.parent()), base::data.matrix)) return(data.matrix(table_data(x)))
  as.matrix(table_data(x), ...)
}

# Only factor() asks for the different values like this, for table() among others.
#' @export
unique.rooted_table <- function(x, incomparables = FALSE, ...) {
  if ("nmax" %in% names(list(...))) {
    stop_because(c("A rooted table can't be counted, or made a factor, as a whole.",
                   "try" = "{.code table(as.data.frame(x))}, or its columns: {.code table(x${names(x)[1]})}."),
                 "not_a_column", NULL)
  }
  unique(table_data(x), incomparables, ...)
}

#' @export
all.equal.rooted_table <- function(target, current, ...) {
  do.call(all.equal, c(values_of(list(target, current)), list(...)))
}

#' @exportS3Method ggplot2::fortify
fortify.rooted_table <- function(model, data, ...) table_data(model)

home_of <- function(name) {
  Find(function(space) exists(name, space, inherits = FALSE), lapply(c("base", "stats", "utils"), asNamespace))
}

# Of several tables, or of two sides, each that is a live one is taken by its values.
values_of <- function(given) lapply(given, function(one) if (is_rooted_table(one)) table_data(one) else one)

bind_method <- function(name) {
  force(name)
  function(..., deparse.level = 1) do.call(name, c(values_of(list(...)), list(deparse.level = deparse.level)))
}

#' @export
Ops.rooted_table <- function(e1, e2) {
  if (missing(e2)) return(do.call(.Generic, values_of(list(e1))))
  do.call(.Generic, values_of(list(e1, e2)))
}

#' @export
Math.rooted_table <- function(x, ...) do.call(.Generic, c(values_of(list(x)), list(...)))

#' @export
Summary.rooted_table <- function(..., na.rm = FALSE) do.call(.Generic, c(values_of(list(...)), list(na.rm = na.rm)))

in_place <- c("$<-", "[[<-", "[<-", "names<-", "dimnames<-", "row.names<-", "dim<-", "length<-", "levels<-", "is.na<-",
              "units<-")

in_place_method <- function(name) {
  force(name)
  function(x, ..., value) stop_not_in_place(x, name)
}

stop_not_in_place <- function(x, name) {
  verb <- switch(name, "names<-" = , "dimnames<-" = "rename_columns(x, new = old)",
                 "row.names<-" = , "dim<-" = , "length<-" = "as.data.frame(x)", "set_columns(x, { new <- 1 })")
  stop_because(c("A rooted table can't be changed by {.code {name}}.", "found" = "Its values follow its files.",
                 "try" = "Make a new table of it: {.code y <- {verb}}."), "not_in_place", NULL)
}

register_base_methods <- function() {
  register <- function(names, method) {
    for (name in names) registerS3method(name, "rooted_table", method(name), envir = home_of(name))
  }
  register(with_values, value_method)
  register(c("cbind", "rbind"), bind_method)
  register(in_place, in_place_method)
}
