# What formulas learn from a table, stored to be used on another. A calibration either learns or uses what it has
# `found`: for each aggregate its value, or that of each group with the groups' keys; for categories the levels.

new_calibration <- function(found = NULL) {
  calibration <- new.env(parent = emptyenv())
  calibration$learns <- is.null(found)
  calibration$found <- as.list(found)
  calibration
}

# In a line of a block the same calculation has the same value.
calibration_key <- function(node, block, names) {
  paste(block$line_number, canonical(node), paste(quoted(names), collapse = ","))
}

calibrated_aggregate <- function(node, block) {
  names <- if (is.null(node$within)) block$within_names else node$within
  key <- calibration_key(node, block, names)
  if (block$calibration$learns) {
    typed <- aggregate_value(node, block)
    block$calibration$found[[key]] <- c(learned_aggregate(typed, names, node, block), line = block$formula,
                                        way = "value",
                                      label = paste0(node$word$name, "(", label_of(node$argument), ")",
                                                     if (length(names)) paste(" within",
                                                         paste(shown_side(names), collapse = ", "))))
    return(typed)
  }
  one <- block$calibration$found[[key]]
  if (is.null(one)) stop_not_calibrated(node, block)
  if (!length(one$keys)) return(typed_value(one$value, block))
  groups <- block_groups(block, node$within)
  now <- group_keys(groups, node$within, block)
  place <- places_of_groups(now, one$keys, names, block$call)
  if (anyNA(place)) warn_unknown_groups(place, groups, now, one, block)
  new_slot(block, values_in_rows(one$value[place], groups$of_row + 1L))
}

# Its value, or one for each group.
learned_aggregate <- function(typed, names, node, block) {
  if (!length(names)) {
    return(list(value = if (typed$kind == "constant") typed$value else node_values(list(typed), block)[[1]]))
  }
  groups <- block_groups(block, node$within)
  first <- group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)
  values <- node_values(list(typed), block)[[1]]
  list(value = if (length(values) == block$rows) take_rows(values, first) else rep(values, length(first)),
       keys = group_keys(groups, node$within, block))
}

group_keys <- function(groups, within, block) {
  ids <- if (is.null(within)) block$within else unlist(block$columns[within])
  first <- group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)
  lapply(block$values[ids], take_rows, rows = first)
}

# Missing values are a group of their own.
places_of_groups <- function(now, learned, names, call) {
  for (k in seq_along(now)) check_key_types(now[[k]], learned[[k]], names[k], call)
  columns <- Map(function(a, b) {
    if (is.factor(a) || is.factor(b)) return(c(as.character(b), as.character(a)))
    if (inherits(b, "integer64")) return(c(b, bit64::as.integer64(a)))
    c(as.vector(unclass(b)), as.vector(unclass(a)))
  }, now, learned)
  of_row <- group_rows_cpp(unname(columns), length(columns[[1]]), 1L)$of_row
  known <- length(learned[[1]])
  match(utils::tail(of_row, length(of_row) - known), utils::head(of_row, known))
}

warn_unknown_groups <- function(place, groups, now, one, block) {
  rows <- which(is.na(place[groups$of_row + 1L]))
  unknown <- which(is.na(place))
  warn_because(c(paste0("{counted_rows(length(rows))} {cli::qty(length(rows))}{?is/are} of ",
                        "{counted(length(unknown), 'group')} that the routine was not calibrated on."),
                 "found" = "The first is row {rows[1]}, of the group {key_text(now, unknown[1])}.",
                 "found" = "{.code {one$label}} is missing there."), "unknown_group", block$call, rows = rows)
}

stop_not_calibrated <- function(node, block) {
  stop_because(c("{.code {label_of(node)}} was not learned when the routine was calibrated.",
                 "found" = "It is in {.code {block$formula}}, which other columns of this table lead to.",
                   "try" = "Calibrate the routine on a table with the same columns."),
               "not_calibrated", block$call)
}

calibrated_levels <- function(node, block) {
  key <- calibration_key(node, block, character())
  if (block$calibration$learns) {
    typed <- r_value(node, block)
    levels <- levels(node_values(list(typed), block)[[1]])
    block$calibration$found[[key]] <- list(value = levels, line = block$formula, way = "levels",
                                         label = paste("levels of", label_of(node$arguments[[1]])))
    return(typed)
  }
  one <- block$calibration$found[[key]]
  if (is.null(one)) stop_not_calibrated(node, block)
  node$arguments$levels <- new_value(one$value, quote(levels))
  r_value(node, block)
}
