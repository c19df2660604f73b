#' @export
in_memory.step_columns_from <- function(step, data, call) {
  groups <- groups_by_columns(as.list(data)[step$ids], nrow(data), call)
  count <- length(groups$sizes)
  first <- group_edges_cpp(groups$of_row, count, FALSE)
  label <- label_of_rows(data[[step$name]], step$labels)
  # The number of each row's cell, one column after the other.
  cell <- groups$of_row + 1 + (label - 1) * count
  made <- lapply(step$values, cells_of, step = step, data = data, cell = cell, count = count, call = call)
  columns <- c(lapply(as.list(data)[step$ids], column_in_rows, rows = first), unlist(unname(made), recursive = FALSE))
  as_table_like(data, stats::setNames(columns, step$columns), .set_row_names(count))
}

# Which of the names each row has.
label_of_rows <- function(column, labels) {
  numbered <- numbered_values(column, NULL)
  match(as.character(numbered$different), labels)[numbered$of_row + 1L]
}

# The columns of one value: a list with one for each name.
cells_of <- function(node, step, data, cell, count, call) {
  found <- if (node$kind == "column") list(values = data[[node$name]], cell = cell)
           else one_value_each(node, step, data, cell, call)
  row <- rep(NA_integer_, count * length(step$labels))
  row[found$cell] <- seq_along(found$cell)
  is_absent <- is.na(row)
  if (sum(!is_absent) < length(found$cell)) stop_several_values(cell, found$values, step, node$name, data, call)
  values <- values_in_rows(found$values, row)
  if (!is.na(step$absent) && any(is_absent)) values <- with_absent(values, is_absent, step, call)
  lapply(seq_along(step$labels), function(k) take_rows(values, seq_len(count) + (k - 1) * count))
}

# An aggregate of the rows of each cell.
one_value_each <- function(node, step, data, cell, call) {
  block <- new_block(c(as.list(data), list(.cell = cell)), nrow(data), call, step$env)
  block$within <- unlist(block$columns[".cell"])
  block$for_groups <- TRUE
  start_line(block, step$typed$value)
  groups <- block_groups(block)
  first <- group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)
  id <- column_slot(lower_node(type_tree(node, schema_of(data), block), block), block)
  calculate(block, id)
  list(values = take_rows(block$values[[id]], first), cell = cell[first])
}

stop_several_values <- function(cell, values, step, name, data, call) {
  twice <- which(duplicated(cell))
  both <- c(match(cell[twice[1]], cell), twice[1])
  of <- c(step$ids, step$name)
  which <- paste(vapply(of, function(column) paste(column, format_value(take_rows(data[[column]], both[1]))), ""),
                 collapse = ", ")
  stop_because(c("{counted(length(unique(cell[twice])), 'cell')} would have several values of {.code {name}}.",
                 "found" = paste0("The first is that of {which}: {format_value(take_rows(values, both[1]))} in row ",
                                  "{both[1]}, {format_value(take_rows(values, both[2]))} in row {both[2]}."),
                 "try" = "{.code value = sum({name})}, or another aggregate, says how they become one."),
               "several_values", call, rows = both)
}

with_absent <- function(values, is_absent, step, call) {
  fits <- are_of_one_sort(values, step$absent) || is.factor(values) && is.character(step$absent) &&
    step$absent %in% levels(values) || is.logical(values) && all(is.na(values))
  if (!fits) {
    stop_because(c("{.arg absent} must be of the type of the values.",
                   "found" = "It is {what_is(step$absent)}, and the values are {values_are(values)}."),
                 "type_mismatch", call)
  }
  values[is_absent] <- step$absent
  values
}
