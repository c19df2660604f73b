#' Lineage: where columns come from
#'
#' Shows the columns of a rooted table and of its files as a graph: the formula that made each
#' column, what it depends on, and what depends on it.
#'
#' A column that is set again later appears once more: `net_kg (2)` is `net_kg` after it was set for
#' the second time. Scratch columns, whose names begin with a dot, are part of the graph, and so are
#' the columns in `within` and `along`. Steps that choose rows are part of it too: all later columns
#' depend on them.
#'
#' @param x A rooted table from [open_table()].
#' @param column The name of a column, to show only what it depends on and what depends on it.
#' @return An object of class `lineage`, which can be printed. `as.data.frame()` gives a row for
#'   each dependency, with `from`, `to`, the `formula` of `to` and its `step`; `plot()` draws it
#'   with the package ggplot2. It is a list with `nodes`, a data frame with `name`, `kind`
#'   (`"file"`, `"input"`, `"column"`, `"scratch"`, `"rows"`), `formula`, `step` and `in_result`,
#'   and `edges`, a data frame with the row numbers of nodes in `from` and `to`.
#' @section Errors: `rowanroot_not_a_table` for anything but a rooted table;
#'   `rowanroot_unknown_column`.
#' @examples
#' visits <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5), tare_kg = 6)
#' yield <- open_table(visits) |>
#'   set_columns({
#'     net_kg <- gross_kg - tare_kg
#'     net_lb <- net_kg * 2.20462
#'   }) |>
#'   keep_rows(net_kg > 0)
#' lineage(yield)
#' lineage(yield, net_kg)
#' as.data.frame(lineage(yield))
#' @concept data lineage
#' @concept provenance
#' @export
lineage <- function(x, column = NULL) {
  call <- quote(lineage())
  check_rooted(x, call)
  lineage_of(x, substitute(column), call, column)
}

# `typed` is a name as code, or NULL.
lineage_of <- function(x, typed, call, value = typed) {
  x <- current_table(x, call)
  graph <- lineage_graph(x, call)
  known <- unique(graph$nodes$name[graph$nodes$kind != "file" & graph$nodes$kind != "rows"])
  name <- name_of_column(typed, value, known)
  if (!is.null(name)) {
    if (!name %in% known) stop_unknown_column(name, known, call)
    graph <- graph_around(graph, name)
  }
  structure(c(graph, list(title = table_title(x), column = name)), class = "lineage")
}

check_rooted <- function(x, call) {
  if (is_rooted_table(x)) return(invisible())
  stop_because(c("{.arg x} must be a rooted table, not {what_is(x)}.",
                 "try" = "Only tables from {.code open_table()} record their steps; it also takes a data frame."),
               "not_a_table", call)
}

# A column as a bare name, or as a text or what has one; NULL if none is given.
name_of_column <- function(typed, value, known) {
  if (is.null(typed)) return(NULL)
  if (is.symbol(typed) && as.character(typed) %in% known) return(as.character(typed))
  value <- tryCatch(value, error = function(e) NULL)
  if (rlang::is_string(value)) value else one_line(typed)
}

# Goes from step to step; `now` has the node that each name stands for.
lineage_graph <- function(x, call) {
  graph <- new.env(parent = emptyenv())
  graph$nodes <- list()
  graph$edges <- list()
  file <- add_node(graph, source_title(rooted(x)$source), "file", NA, 0)
  columns <- source_columns(rooted(x)$source, call)
  graph$now <- stats::setNames(vapply(columns, function(name) add_node(graph, name, "input", NA, 0, file), 0), columns)
  steps <- rooted(x)$steps
  for (k in seq_along(steps)) add_step_nodes(steps[[k]], graph, k)
  nodes <- do.call(rbind, lapply(graph$nodes, as.data.frame))
  nodes$in_result <- seq_len(nrow(nodes)) %in% graph$now[rooted(x)$columns]
  edges <- if (length(graph$edges)) do.call(rbind, graph$edges) else matrix(0, 0, 2)
  list(nodes = nodes, edges = data.frame(from = edges[, 1], to = edges[, 2]))
}

# Gives the node's number.
add_node <- function(graph, name, kind, formula, step, from = numeric()) {
  id <- length(graph$nodes) + 1
  graph$nodes[[id]] <- list(name = name, kind = kind, formula = formula, step = step)
  from <- unique(from[!is.na(from)])
  if (length(from)) graph$edges[[length(graph$edges) + 1]] <- cbind(from, id)
  id
}

# What a step adds to the graph. Columns that it does not mention pass through it.
add_step_nodes <- function(step, graph, number) {
  for (group in step_lineage(step)) {
    then <- graph$now
    for (node in group) {
      if (!is.null(node$removes)) {
        graph$now <- graph$now[setdiff(names(graph$now), node$removes)]
        next
      }
      id <- add_node(graph, node$name, node$kind, node$formula, number, unname(then[node$from]))
      if (node$kind != "rows") graph$now[[node$name]] <- id
    }
  }
  for (name in setdiff(step$columns, names(graph$now))) graph$now[[name]] <- add_node(graph, name, "input", NA, number)
  graph$now <- graph$now[step$columns]
}

# What the column depends on, and what depends on it.
graph_around <- function(graph, name) {
  reached <- function(start, from, to) {
    repeat {
      more <- setdiff(graph$edges[[to]][graph$edges[[from]] %in% start], start)
      if (!length(more)) return(start)
      start <- c(start, more)
    }
  }
  own <- which(graph$nodes$name == name & graph$nodes$kind != "rows")
  kept <- sort(unique(c(reached(own, "to", "from"), reached(own, "from", "to"))))
  edges <- graph$edges[graph$edges$from %in% kept & graph$edges$to %in% kept, ]
  list(nodes = graph$nodes[kept, ], edges = data.frame(from = match(edges$from, kept), to = match(edges$to, kept)))
}

# Names of nodes, those that come again with how often they came before.
node_labels <- function(nodes) {
  times <- stats::ave(seq_len(nrow(nodes)), nodes$name, nodes$kind == "rows", FUN = seq_along)
  names <- shown_side(nodes$name)
  ifelse(times > 1 & nodes$kind != "rows", paste0(names, " (", times, ")"), names)
}

#' @export
as.data.frame.lineage <- function(x, ...) {
  labels <- node_labels(x$nodes)
  data.frame(from = labels[x$edges$from], to = labels[x$edges$to], formula = x$nodes$formula[x$edges$to],
             step = x$nodes$step[x$edges$to])
}

#' @export
format.lineage <- function(x, width = cli::console_width(), ...) {
  x <- shown_parts(x)
  labels <- node_labels(x$nodes)
  made <- which(x$nodes$kind %in% c("column", "scratch", "rows"))
  used <- function(id) {
    from <- x$edges$from[x$edges$to == id]
    labels[from[x$nodes$kind[from] != "file"]]
  }
  of_node <- function(id) {
    from <- used(id)
    what <- if (x$nodes$kind[id] == "rows") "rows" else labels[id]
    head <- paste0(if (x$nodes$kind[id] == "rows") cli::style_italic(what) else cli::style_bold(what),
                   if (length(from)) paste0(" \u2190 ", paste(from, collapse = ", ")))
    formula <- if (!is_side(x$nodes$name[id])) x$nodes$formula[id]
    c(strwrap_ansi(head, width, 4), cli::col_grey(strwrap(formula, width, indent = 4, exdent = 6)))
  }
  inputs <- x$nodes$name[x$nodes$kind == "input"]
  about <- if (is.null(x$column)) x$title else paste0(x$column, ", in ", x$title)
  c(cli::style_bold(paste("Lineage of", about)), "", unlist(lapply(made, of_node)), if (length(made)) "",
    strwrap(paste0("From ", x$nodes$name[x$nodes$kind == "file"][1], ": ",
                   if (length(inputs)) paste(inputs, collapse = ", ") else "no column"), width, exdent = 4))
}

strwrap_ansi <- function(text, width, exdent) as.character(cli::ansi_strwrap(text, width, exdent = exdent))

#' @export
print.lineage <- function(x, width = cli::console_width(), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}
