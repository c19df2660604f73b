# The ways through a tree. A part that stands in several places is visited once.

# Where a node of each kind has its parts, for those who put others in their place.
parts_of_kind <- list(
  word = "arguments", r_call = "arguments", aggregate = "argument", ordered = "argument",
  running = c("formulas", "starts"), pick = "argument", classed = "of",
  choose = c("condition", "yes", "no"), several = "parts", operation = "operands", convert = "argument",
  condition = "condition", shared = "part", deep = c("parts", "node")
)

# The nodes that a node is made of, as a list.
node_children <- function(node) {
  switch(node$kind,
    word = , r_call = unname(node$arguments),
    choose = list(node$condition, node$yes, node$no),
    aggregate = , ordered = , convert = , pick = list(node$argument),
    operation = node$operands,
    several = node$parts,
    running = c(node$formulas, Filter(function(start) start$kind != "value", node$starts)),
    classed = list(node$of),
    condition = list(node$condition),
    shared = list(node$part$node),
    deep = c(node$parts, list(node$node))
  )
}

# What `f(node, children)` gives, where `children` are what it gave for the node's own, as a list. Shared and deep
# nodes are what the node in them is; `of_shared` may make something else of that. Parts of a node for which
# `stop_at(node)` holds are not visited.
fold_node <- function(node, f, of_shared = identity, stop_at = NULL) {
  seen <- new.env(parent = emptyenv())
  visit <- function(node) {
    if (!is.null(stop_at) && stop_at(node)) return(f(node, list()))
    if (node$kind == "shared") {
      known <- seen[[node$id]]
      if (is.null(known)) {
        inner <- visit(node$part$node)
        known <- list(of_shared(inner))
        assign(node$id, known, seen)
      }
      return(known[[1]])
    }
    children <- node_children(node)
    found <- vector("list", length(children))
    # A loop takes less of R's stack than lapply() does.
    for (k in seq_along(children)) {
      one <- visit(children[[k]])
      if (!is.null(one)) found[[k]] <- one
    }
    if (node$kind == "deep") found[[length(found)]] else f(node, found)
  }
  visit(node)
}

# The same tree with `f(node)` in place of each node, whose parts were replaced before, but for parts of nodes for which
# `stop_at(node)` holds.
map_node <- function(node, f, stop_at = function(node) FALSE) {
  seen <- new.env(parent = emptyenv())
  visit <- function(node) {
    if (node$kind == "shared") {
      if (is.null(seen[[node$id]])) {
        inner <- visit(node$part$node)
        assign(node$id, new_shared(inner), seen)
      }
      return(seen[[node$id]])
    }
    if (!stop_at(node)) {
      for (part in parts_of_kind[[node$kind]]) {
        node[[part]] <- if (is_node(node[[part]])) visit(node[[part]]) else lapply(node[[part]], visit)
      }
    }
    if (node$kind != "deep") return(f(node))
    node[c("type", "like")] <- list(node$node$type, node$node$like)
    node
  }
  visit(node)
}

# The nodes for which `is(node)` holds, each once, inner ones first.
find_nodes <- function(node, is, stop_at = NULL) {
  found <- list()
  fold_node(node, function(node, children) if (is(node)) found[[length(found) + 1]] <<- node, stop_at = stop_at)
  found
}

# Whether `is(node)` holds for some node of the tree. Looks no further when one is found.
any_node <- function(node, is) {
  seen <- NULL
  visit <- function(node) {
    if (is(node)) return(TRUE)
    if (node$kind == "shared") {
      if (is.null(seen)) seen <<- new.env(parent = emptyenv())
      if (!is.null(seen[[node$id]])) return(FALSE)
      assign(node$id, TRUE, seen)
    }
    for (child in node_children(node)) if (visit(child)) return(TRUE)
    FALSE
  }
  visit(node)
}

# The columns that a tree reads, in the order in which it does.
node_columns <- function(node) {
  as.character(fold_node(node, function(node, children) {
    unique(c(unlist(children), switch(node$kind, column = node$name, r_code = node$columns,
                                      c(node$within, node$along$names))))
  }))
}

# The script's single values in a tree, by the code that gave them.
shown_values <- function(node) {
  values <- find_nodes(node, function(node) node$kind == "value" && is_shown_value(node))
  found <- stats::setNames(lapply(values, function(node) format_value(node$value)),
                           vapply(values, function(node) one_line(node$shown), ""))
  found[!duplicated(names(found))]
}

# A literal shows itself in the formula.
is_shown_value <- function(node) is.atomic(node$value) && length(node$value) == 1 && !identical(node$shown, node$value)
