# Dates, times, durations and categories in the core, which calculates with their numbers or codes. A typed node whose
# values have a class is "classed": the node of the core in it, and what it is `like`. Whatever asks for its values
# gets a column of that class; to all else it is of type "other", as any column with a class.

# The node as the core sees it, and what it is like; NULL if the core can't calculate with it.
core_view <- function(node, block) {
  if (node$type != "other") return(list(node = node, like = NULL))
  like <- class_of_node(node, block)
  stored <- typeof(like)
  if (!is.null(block$above)) like <- as_doubles(like)
  if (is.null(like) || !is_core_class(like)) return(NULL)
  storage <- core_type(like)
  seen <- switch(node$kind,
    classed = node$of,
    object = typed_constant(as.vector(unclass(node$value), storage), storage),
    { node$type <- stored; convert(node, storage) }
  )
  list(node = seen, like = like)
}

# What a node of type "other" is like, without its values being calculated.
class_of_node <- function(node, block) {
  switch(node$kind,
    classed = , shared = node$like,
    object = if (length(node$value) == 1 && is.atomic(node$value)) like_of(node$value),
    slot = class_of_slot(block, node$id)
  )
}

class_of_slot <- function(block, id) {
  pending <- block$likes[[as.character(id)]]
  if (is.null(pending)) like_of(block$values[[id]]) else pending
}

# A slot for values that are yet to be calculated, and have a class.
new_classed_slot <- function(block, node) {
  if (node$of$kind == "slot" && identical(class_of_slot(block, node$of$id), node$like)) return(node$of$id)
  id <- new_pending(block, node$of)$id
  block$put(id, NULL, node$of, "other")
  block$likes[[as.character(id)]] <- node$like
  id
}

# An operation of the core on columns with classes; NULL where it is R's. The word's record says what comes of them.
lower_classed <- function(node, arguments, block) {
  word <- node$word
  if (is.null(word$classed)) return(NULL)
  views <- lapply(unname(arguments), core_view, block = block)
  if (any(vapply(views, is.null, NA))) return(NULL)
  nodes <- lapply(views, `[[`, "node")
  likes <- lapply(views, `[[`, "like")
  codes <- as_codes(nodes, likes)
  if (is.null(codes)) return(NULL)
  given <- word$classed(codes$likes, vapply(codes$nodes, `[[`, "", "type"))
  if (is.null(given)) return(NULL)
  of_numbers <- operation_on_numbers(word, codes$nodes, given, block)
  if (is.null(given$like)) of_numbers else typed_classed(of_numbers, given$like)
}

operation_on_numbers <- function(word, nodes, given, block) {
  type <- core_type(given$of)
  nodes <- lapply(nodes, convert, type = type)
  if (!is.null(given$scale)) {
    scale <- typed_constant(given$scale, "double")
    nodes <- lapply(nodes, function(node) typed_operation("multiply", list(node, scale), "double", block$line))
  }
  result <- typed_operation(word$memory, nodes, if (isTRUE(given$logical)) "logical" else type, block$line)
  if (is.null(given$scale)) result else typed_operation("divide", list(result, scale), "double", block$line)
}

# A text that is a level of the other argument's category, as its code. NULL for what R has to see.
as_codes <- function(nodes, likes) {
  category <- which(vapply(likes, is.factor, NA))
  if (!length(category)) return(list(nodes = nodes, likes = likes))
  for (k in setdiff(seq_along(nodes), category)) {
    code <- code_of_level(nodes[[k]], likes[[category[1]]])
    if (is.null(code)) return(NULL)
    nodes[[k]] <- code
    likes[[k]] <- likes[[category[1]]]
  }
  list(nodes = nodes, likes = likes)
}

code_of_level <- function(node, like) {
  if (node$type == "missing") return(typed_constant(NA_integer_, "integer"))
  code <- if (node$kind == "constant" && node$type == "text") match(node$value, levels(like))
  if (!is.null(code) && (!is.na(code) || is.na(node$value))) typed_constant(code, "integer")
}

# A choice between columns of one class; NULL where R has to choose.
choose_classed <- function(condition, yes, no, block) {
  views <- lapply(list(yes, no), core_view, block = block)
  if (any(vapply(views, is.null, NA))) return(NULL)
  known <- c(yes$type, no$type) != "missing"
  codes <- as_codes(lapply(views, `[[`, "node"), lapply(views, `[[`, "like"))
  if (is.null(codes) || any(vapply(codes$likes[known], is.null, NA))) return(NULL)
  like <- codes$likes[known][[1]]
  if (!all(vapply(codes$likes[known], same_class, NA, b = like))) return(NULL)
  type <- core_type(like)
  typed_classed(typed_choice(condition, convert(codes$nodes[[1]], type), convert(codes$nodes[[2]], type), type), like)
}
