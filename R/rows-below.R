# Columns of several tables, one below the other.

# Values of one column of several tables. What is only missing fits everything.
put_below <- function(parts, name, call, stop_clash = stop_not_of_one_sort) {
  bare <- vapply(parts, function(part) is.logical(part) && all(is.na(part)), NA)
  known <- parts[!bare]
  if (!length(known)) return(unlist(parts))
  model <- known[[1]]
  if (any(vapply(parts, function(part) length(dim(part)) > 0, NA))) {
    stop_because(c("Column {.code {name}} can't be appended: it is {what_is(model)}.",
                   "try" = "Split it into columns first, or leave it out."),
                 "type_mismatch", call, column = name)
  }
  if (any(vapply(known, is.factor, NA)) && all(vapply(known, function(part) is.factor(part) || is.character(part),
                                                      NA))) return(categories_below(parts, bare, name, call))
  for (k in seq_along(parts)) {
    if (!bare[k] && !are_of_one_sort(model, parts[[k]])) stop_clash(parts, k, model, name, call)
  }
  if (any(vapply(known, inherits, NA, "integer64"))) known <- lapply(known, bit64::as.integer64)
  if (inherits(model, "difftime")) known <- lapply(known, `units<-`, units(model))
  empty <- known[[1]][NA_integer_]
  parts[!bare] <- known
  parts[bare] <- lapply(parts[bare], function(part) rep(empty, length(part)))
  joined <- if (are_joined_as_plain(parts)) joined_as_plain(parts) else do.call(c, lapply(parts, unname))
  if (inherits(model, "POSIXct")) attr(joined, "tzone") <- attr(model, "tzone")
  joined
}

# A copy of a column that is not in R's own memory.
in_counted_memory <- function(column) {
  if (is.character(column) && is.null(attributes(column)) && are_utf8_cpp(column)) return(packed_texts_cpp(column))
  if (is.character(column) || is.factor(column) || !is_moved_as_plain(column)) return(column)
  joined_as_plain(list(column))
}

# Texts that nobody has looked at stay what they are, and large columns are in memory that is counted.
are_joined_as_plain <- function(parts) {
  length(parts) > 1 && length(unique(vapply(parts, typeof, ""))) == 1 && all(vapply(parts, is_moved_as_plain, NA)) &&
    !any(vapply(parts, is.factor, NA)) && sum(lengths(parts)) > 1000 && all(vapply(parts, is_ready_text, NA))
}

is_ready_text <- function(x) !is.character(x) || are_deferred_cpp(x) || !is.null(coded_parts_cpp(x)) || are_utf8_cpp(x)

joined_as_plain <- function(parts) {
  joined <- join_stretches_cpp(unname(parts), seq_along(parts), rep(0, length(parts)), lengths(parts),
                               getOption("rowanroot.threads", 0L))
  kept <- attributes(parts[[1]])
  attributes(joined) <- kept[names(kept) %in% c("class", "units", "tzone")]
  joined
}

are_of_one_sort <- function(model, part) {
  if (is.object(model) || is.object(part)) {
    whole <- vapply(list(model, part), function(x) inherits(x, "integer64") || is.integer(x) && !is.object(x), NA)
    return(identical(class(model), class(part)) || all(whole))
  }
  is.numeric(model) && is.numeric(part) || typeof(model) == typeof(part)
}

stop_not_of_one_sort <- function(parts, k, model, name, call) {
  at <- which(!is.na(parts[[k]]))[1]
  shown <- as.character(parts[[k]][at])
  stop_because(c("Column {.code {name}} of table {k - 1} can't be appended to that of the first.",
                 "found" = "It is {sort_text(parts[[k]])} there, and {sort_text(model)} in the first table.",
                 "found" = if (is.atomic(parts[[k]])) "Its first value there is {.val {shown}}, in row {at}.",
                 "try" = "Convert one of them first, for example with {.code as_number()} or {.code as.character()}."),
                   "type_mismatch", call, column = name)
}

categories_below <- function(parts, bare, name, call) {
  all_levels <- lapply(parts[!bare], function(part) if (is.factor(part)) levels(part) else unique(part[!is.na(part)]))
  are_ordered <- all(vapply(parts[!bare], is.ordered, NA))
  levels <- if (are_ordered) levels_in_one_order(all_levels, name,
                                                 call) else unique(c(levels(Find(is.factor, parts)),
                                                     unlist(all_levels)))
  factor(unlist(lapply(parts, as.character)), levels = levels, ordered = are_ordered)
}

# All levels in an order in which those of each table are: of those that may come next, the one that was met first.
levels_in_one_order <- function(all_levels, name, call) {
  left <- unique(unlist(all_levels))
  placed <- character()
  while (length(left)) {
    waiting <- unique(unlist(lapply(all_levels, function(levels) setdiff(levels, placed)[-1])))
    next_one <- setdiff(left, waiting)[1]
    if (is.na(next_one)) {
      stop_because(c("The tables have the categories of {.code {name}} in different orders.",
                     "found" = "These contradict each other: {listed(left, in_quotes)}.",
                     "try" = "Give them one order with {.code as_category({name}, levels = c(\u2026))}."),
                       "type_mismatch", call, column = name)
    }
    placed <- c(placed, next_one)
    left <- setdiff(left, next_one)
  }
  placed
}

# "dates", "numbers", "text": what the values of a column are, in words.
values_are <- function(x) {
  if (is.factor(x)) return("categories")
  if (inherits(x, "Date")) return("dates")
  if (inherits(x, "POSIXt")) return("date-times")
  if (inherits(x, "integer64")) return("whole numbers of 64 bits")
  if (is.object(x)) return(paste("values of class", class(x)[1]))
  if (is.character(x)) "text" else if (is.logical(x)) "TRUE or FALSE" else if (is.numeric(x)) "numbers"
    else paste(typeof(x), "values")
}

# The same column of several files. `place` says in words where a row of a file is.
put_files_below <- function(parts, name, files, place, call) {
  if (length(parts) == 1) return(parts[[1]])
  put_below(parts, name, call, function(parts, k, model, name, call) {
    of_model <- match(TRUE, vapply(parts, identical, NA, model))
    at <- which(!is.na(parts[[k]]))[1]
    shown <- as.character(parts[[k]][at])
    stop_because(c(paste0("{.code {name}} has {values_are(model)} in {.file {files[of_model]}}, and ",
                          "{values_are(parts[[k]])} in {.file {files[k]}}."),
                   "found" = "The first value there is {.val {shown}}, in {place(k, at)}.",
                     "try" = "Give them one type in the files, or open the files separately."),
                 "type_mismatch", call, column = name, file = files[k])
  })
}

# Columns of these names of several tables, one below the other. A table that lacks a column has missing values there;
# `places` says in words where some tables, by their numbers, are. `put(parts, name)` puts the parts of one together.
tables_below <- function(tables, names, places, put) {
  rows <- vapply(tables, nrow, 0L)
  lacking <- lapply(stats::setNames(nm = names), function(name) {
    which(!vapply(tables, function(table) name %in% names(table), NA) & rows > 0)
  })
  tell_filled(lacking[lengths(lacking) > 0], rows, places)
  lapply(stats::setNames(nm = names), function(name) {
    put(Map(function(table, rows) if (name %in% names(table)) table[[name]] else rep(NA, rows), tables, rows), name)
  })
}

# A line for columns that the same tables lack.
tell_filled <- function(lacking, rows, places) {
  for (at in unique(unname(lacking))) {
    names <- names(lacking)[vapply(lacking, identical, NA, at)]
    note_that(paste0("{listed(names)} {if (length(names) == 1) 'is' else 'are'} absent in {places(at)}: missing in ",
                     "{counted_rows(sum(rows[at]))}."), "filled")
  }
}
