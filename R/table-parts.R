# Which part of its source each row of a table comes from, and which parts can be calculated by themselves. All of this
# takes tables that are bound to the columns that their sources have now.

# A column that goes along with the rows; no name of a file or a script can be like it.
part_column <- ".rowanroot part"

# The values of a table as `data`, and `of_row`, the number of the part that each row comes from.
data_by_parts <- function(x, call) {
  parts <- source_parts(rooted(x)$source, call)
  x <- with_keys(x, parts, call)
  steps <- lapply(rooted(x)$steps, carrying_parts, call = call)
  data <- source_data(rooted(x)$source, parts, needed_columns(x, call), call)
  numbers <- part_numbers(rooted(x)$source, nrow(data), call)
  data <- with_columns(data, c(unclass(data), stats::setNames(list(numbers), part_column)))
  check_types_of_steps(steps, schema_of(data), call)
  data <- with_place_of_text(x, data, with_seed_of_script({
    for (step in steps) data <- execute(default_engine(), step, data, call)
    data
  }))
  list(data = with_columns(data, unclass(data)[rooted(x)$columns]), of_row = data[[part_column]])
}

carrying_parts <- function(step, call) {
  carrying <- step_carrying(step, part_column)
  if (!is.null(carrying)) return(carrying)
  stop_no_parts("The rows are no longer those of one file each.",
                "They come from {.code {step_lines(step)[[1]]$text}}.", call)
}

stop_no_parts <- function(sentence, found, call, envir = parent.frame()) {
  stop_because(c(sentence, "found" = found,
                 "try" = "For one file for each value of a column, write {.code parts = }, and the column."),
               "no_parts", call, envir = envir)
}

# For each row of files the number of its file: their names, read as a column of their own, say it.
part_numbers <- function(source, rows, call) {
  names <- source_files(source, call)$name
  if (length(names) == 1) return(rep(1L, rows))
  known <- source$cache$content$rows
  if (length(known) == length(names) && sum(known) == rows) return(rep(seq_along(names), known))
  source$options$file_column <- part_column
  source$cache <- list2env(as.list(source$cache), parent = emptyenv())
  source$cache$data <- NULL
  files <- source_data(source, source_parts(source, call), part_column, call)[[part_column]]
  coded <- coded_parts_cpp(files)
  if (is.null(coded)) match(files, file_stem(names)) else match(coded$texts, file_stem(names))[coded$of_row]
}

# Whether each part of the table is what comes of that part of the source alone.
is_by_parts <- function(x) all(vapply(rooted(x)$steps, goes_by_chunks, NA, carried = FALSE))

# For each row of the table the number of its part, where the table is by parts: only what says which rows there are is
# calculated.
rows_in_parts <- function(x, call) {
  steps <- rooted(x)$steps
  wanted <- character()
  for (k in rev(seq_along(steps))) {
    steps[[k]]$wanted <- wanted
    wanted <- step_needs(steps[[k]], wanted)
    steps[[k]] <- step_carrying(steps[[k]], part_column)
  }
  source <- rooted(x)$source
  data <- source_data(source, source_parts(source, call), source_columns_of(x, wanted, call), call)
  numbers <- stats::setNames(list(part_numbers(source, nrow(data), call)), part_column)
  data <- with_columns(data, c(unclass(data)[wanted], numbers))
  suppressWarnings(for (step in steps) data <- execute(default_engine(), step, data, call))
  data[[part_column]]
}

# A key for each part, of all that its rows in the table are made from, as `keys`, and the `types` of the columns; NULL
# if the rows may depend on other parts, or if the types are not known without reading most parts.
keys_of_parts <- function(x, call) {
  if (!is_by_parts(x)) return(NULL)
  types <- types_in_parts(rooted(x)$source, needed_columns(x, call), call)
  if (is.null(types)) return(NULL)
  made_by <- c(engine_version, source_key(rooted(x)$source), paste(names(types), types), rooted(x)$columns,
               vapply(rooted(x)$steps, key_of_step, ""))
  hashes <- source_parts(rooted(x)$source, call)$hash
  list(keys = vapply(hashes, function(hash) rlang::hash(c(made_by, hash)), "", USE.NAMES = FALSE), types = types)
}

# The parts that don't stay, as `stays(keys)` says, calculated by themselves: `data`, `of_row` among them, the `keys` of
# all parts, and which of all stay as `is_same`. NULL where none does, and if that fails or warns: then rows and files
# are to be named as those of the whole table.
some_parts <- function(x, stays, call) {
  found <- keys_of_parts(x, call)
  is_same <- if (!is.null(found)) stays(found$keys)
  if (!any(is_same)) return(NULL)
  made <- list(data = NULL, of_row = integer())
  if (!all(is_same)) {
    drawn <- random_state()
    made <- tryCatch(data_by_parts(table_of_parts(x, which(!is_same), found$types, call), call),
                     rowanroot_error = function(e) NULL, warning = function(w) NULL)
    if (is.null(made) || !identical(random_state(), drawn)) return(NULL)
  }
  c(made, list(keys = found$keys, is_same = is_same))
}

# The same of all parts.
all_parts_of <- function(x, call) {
  made <- if (is_by_parts(x)) list(data = table_data(x, call), of_row = rows_in_parts(x, call))
          else data_by_parts(x, call)
  c(made, list(keys = keys_of_parts(x, call)$keys,
               is_same = logical(nrow(source_files(rooted(x)$source, call)))))
}

# Some parts of the table only, if what they come to does not depend on the others. Its columns have the `types` and the
# order that they have in all.
table_of_parts <- function(x, at, types, call) {
  table <- rooted(x)
  files <- source_files(table$source, call)[at, ]
  table$source <- source_of_files(table$source, files)
  table$source$options$types <- types
  table$cache <- new.env(parent = emptyenv())
  table$earlier <- list()
  as_rooted_table(table)
}
