# Ordered words: calculated at once, from a column, in the order of rows and by the groups that they stand in.

lower_ordered <- function(node, block) {
  argument <- lower_unguarded(node$argument, block)
  id <- column_slot(argument, block)
  groups <- block_numbered_groups(block, node$within)
  order <- block_order(block, node$along)
  key <- paste("ordered", id, node$word$name, canonical_value(node$options), groups$key, order$key)
  if (is.null(block$aggregates[[key]])) {
    calculate(block, id)
    layout <- list(rows = block$rows, order = order, of_row = groups$of_row,
                  groups = group_count(groups))
    if (!is.null(block$chunks)) layout <- with_earlier_chunks(layout, node, key, block)
    about <- list(name = node$word$name, label = label_of(node$argument), formula = block$formula, call = block$call)
    values <- ordered_values(node$word, block$values[[id]], node$options, layout, about)
    block$aggregates[[key]] <- new_slot(block, values)
  }
  block$aggregates[[key]]
}

# A word without a way of its own is calculated by R, group after group.
ordered_values <- function(word, x, options, layout, about) {
  way <- ordered_ways[[if (is.null(word$memory)) "r" else word$memory]]
  way(if (is.null(word$memory)) word$r else word$what, x, options, layout, about)
}

# The ways in which ordered words are calculated: each gets what the word's record has for it.
delayedAssign("ordered_ways", list(ranking = calculate_ranking, running = calculate_running, moving = calculate_moving,
                                   neighbour = calculate_neighbour, known = calculate_known, parts = calculate_parts,
                                   r = calculate_ordered_by_r))

calculate_ordered_by_r <- function(r, x, options, layout, about) {
  rows <- if (is.null(layout$order)) seq_along(x) else order_rows(layout$order) + 1L
  of_row <- if (is.null(layout$of_row)) rep(0L, length(x)) else layout$of_row
  members <- split(rows, factor(of_row[rows], levels = unique(of_row[rows])))
  values <- lapply(members, function(rows) {
    found <- do.call(r, c(list(x[rows]), options), quote = TRUE)
    if (is_column_like(found, length(rows))) return(found)
    stop_because("{.code {about$name}()} must give one value for each row, but gives {what_is(found)}.", "wrong_length",
                 about$call)
  })
  if (!length(values)) return(do.call(r, c(list(x), options), quote = TRUE))
  do.call(c, unname(values))[order(unlist(members))]
}

# The order of rows along these columns, as they are now; of the block if there are none; NULL if that has none either.
# Found once for a block. It has `columns`, `descending`, the `time` of one column of times, and `codes` if the rows
# go along few whole numbers, such as days: then many words need no more. order_rows() gives the rows themselves.
block_order <- function(block, along = NULL) {
  ids <- if (is.null(along)) block$along$ids else unlist(block$columns[along$names])
  if (!length(ids)) return(NULL)
  descending <- if (is.null(along)) block$along$descending else along$descending
  key <- paste("along", paste(ids, descending, collapse = " "))
  if (is.null(block$orders[[key]])) {
    calculate(block, ids)
    columns <- block$values[ids]
    names <- shown_side(if (is.null(along)) block$along$names else along$names)
    warn_missing_order(columns, names, block)
    order <- list2env(list(columns = sortable_columns(columns, names, block$call), descending = descending, key = key,
                           time = if (length(ids) == 1 && inherits(columns[[1]], c("Date", "POSIXct"))) columns[[1]]))
    if (length(ids) == 1) order$codes <- compact_codes_cpp(order$columns[[1]], descending, most_codes)
    block$orders[[key]] <- order
  }
  block$orders[[key]]
}

most_codes <- 4000

# The rows in order, from 0; NULL without an order.
order_rows <- function(order) {
  if (is.null(order)) return(NULL)
  if (is.null(order$rows)) {
    order$rows <- order_rows_cpp(order$columns, order$descending, rep_len(FALSE, length(order$columns)),
                                 length(order$columns[[1]]),
                                 getOption("rowanroot.threads", 0L))
  }
  order$rows
}

warn_missing_order <- function(columns, names, block) {
  for (k in seq_along(columns)) {
    if (!anyNA(columns[[k]])) next
    missing <- is.na(columns[[k]])
    warn_because(c(paste0("{.code {names[k]}} is missing in {counted_rows(sum(missing))}, row {which(missing)[1]} ",
                          "first: {if (sum(missing) == 1) 'it comes' else 'they come'} last in the order."),
                   "in" = "{block$formula}"), "missing_order", block$call)
  }
}

# The ranks of a column, from 1, as they were asked for.
calculate_ranking <- function(what, x, options, layout, about) {
  if (!is.atomic(x) || is.complex(x) || is.raw(x)) {
    stop_because(c("Can't rank {what_is(x)}.", "found" = "{.code {about$label}} is {what_is(x)}.",
                   "in" = "{about$formula}",
                   "try" = "Numbers, text, dates and categories can be ranked."), "type_mismatch", about$call)
  }
  ties <- switch(options$as, percent_rank = "min", cume_dist = "max", options$ties)
  in_turn <- !is.null(layout$order) && (ties %in% c("first", "last") || options$missing != "keep")
  x <- sortable_column(x, about$call)
  turn <- if (in_turn) order_rows(layout$order) + 1L
  if (in_turn) {
    layout$of_row <- layout$of_row[turn]
    x <- if (inherits(x, "integer64")) structure(unclass(x)[turn], class = "integer64") else x[turn]
  }
  ranks <- ranks_cpp(x, options$best == "highest", ties, options$missing, layout$of_row, layout$groups,
                     getOption("rowanroot.threads", 0L))
  if (in_turn) ranks[turn] <- ranks
  if (options$as == "position") return(ranks)
  if (in_turn) layout$of_row[turn] <- layout$of_row
  count <- known_in_groups(ranks, layout)
  if (options$as == "percent_rank") ifelse(count == 1 & !is.na(ranks), 0, (ranks - 1) / (count - 1)) else ranks / count
}

# How many values are known: one number, or that of each row's group.
known_in_groups <- function(values, layout) {
  if (is.null(layout$of_row)) return(sum(!is.na(values)))
  of_groups <- aggregate_groups_cpp("known", values, TRUE, layout$of_row, layout$groups,
                                    getOption("rowanroot.threads", 0L))
  spread_groups_cpp(of_groups, layout$of_row, getOption("rowanroot.threads", 0L))
}

# Codes along the order are enough where there are some.
running_order <- function(layout) if (is.null(layout$order$codes)) order_rows(layout$order)

calculate_running <- function(what, x, options, layout, about) {
  threads <- getOption("rowanroot.threads", 0L)
  if (what == "count") x <- ifelse(is.na(x), NA_integer_, 1L)
  check_numbers(x, about, classes_it_takes("running", what))
  if (is.double(x) && !is_long_integer(x) || what %in% c("mean", "product")) {
    if (is_long_integer(x)) return(running_cpp(what, options$missing, x, running_order(layout), layout$order$codes,
                                               layout$of_row, layout$groups, layout$carried, threads))
    bare <- if (is.object(x)) as.vector(unclass(x)) else x
    values <- running_cpp(what, options$missing, bare, running_order(layout), layout$order$codes, layout$of_row,
                          layout$groups, layout$carried, threads)
    return(if (is.object(x)) with_class_of(values, x) else values)
  }
  result <- running_integers_cpp(what, options$missing, x, running_order(layout), layout$order$codes, layout$of_row,
                                 layout$groups, layout$carried, threads)
  if (result$overflow > 0) {
    warn_because(c(paste0("Integer overflow in {.code {about$formula}}: the total is missing from row ",
                          "{result$overflow} on."),
                   "try" = "Add up doubles: {.code {about$name}(as.numeric({about$label}))}."),
                     "overflow", about$call)
  }
  result$values
}

# `align` and `missing` are among the options only where they are not the usual ones.
calculate_moving <- function(what, x, options, layout, about) {
  is_count <- what == "count"
  if (is_count) x <- ifelse(is.na(x), NA_real_, 1) else check_numbers(x, about, classes_it_takes("moving", what))
  reach <- if (inherits(options$rows, "rowanroot_time_window")) reach_of_time(options, layout, about)
           else reach_of_rows(options, layout, about)
  of <- if (is_long_integer(x)) moving_long_integers else function(what, x, move) move(what, x)
  values <- after_earlier_rows(as.numeric(unclass(x)), layout, reach$before, function(x, layout) {
    of(what, x, function(what, x) {
      moving_cpp(what, x, reach$before, reach$after, reach$scale, reach$with_to, reach$step, options$short == "missing",
                 identical(options$missing, "skip"), order_rows(layout$order), layout$of_row, layout$groups,
                 getOption("rowanroot.threads", 0L))
    })
  })
  if (is_long_integer(x)) return(if (what %in% c("total", "least", "greatest")) structure(values, class = "integer64")
                                 else values)
  if (is_count) return(as.integer(values))
  if (is.object(x)) return(with_class_of(values, x))
  if (!is.double(x) && what %in% c("least", "greatest")) as.integer(values) else values
}

# Integers of 64 bits, `x` having the bits of doubles: totals are those of both halves of the bits, and the least and
# the greatest are found by their places among the values.
moving_long_integers <- function(what, x, move) {
  x <- structure(x, class = "integer64")
  if (what == "total") return(unclass(joined_halves(move("total", upper_half(x)), move("total", lower_half(x)))))
  if (!what %in% c("least", "greatest")) return(move(what, suppressWarnings(bit64::as.double.integer64(x))))
  known <- bit64::sort.integer64(bit64::unique.integer64(x[!is.na(x)]))
  unclass(known)[move(what, as.numeric(bit64::match(x, known)))]
}

half_bits <- 4294967296

upper_half <- function(x) bit64::as.double.integer64(bit64::`%/%.integer64`(x, bit64::as.integer64(half_bits)))

lower_half <- function(x) {
  bit64::as.double.integer64(x - bit64::as.integer64(upper_half(x)) * bit64::as.integer64(half_bits))
}

# A total that does not fit is missing, with bit64's warning.
joined_halves <- function(upper, lower) {
  bit64::as.integer64(upper) * bit64::as.integer64(half_bits) + bit64::as.integer64(lower)
}

# How many rows before and after its own a window has. One in the middle of an even number has more before.
reach_of_rows <- function(options, layout, about) {
  rows <- options$rows
  if (options$short == "missing" && rows > layout$rows && layout$rows > 0 && is.null(layout$carried)) {
    stop_because(c("The window is longer than the table.",
                   "found" = paste0("{.arg rows} is {options$rows}, and the table has {counted_rows(layout$rows)}, in ",
                                "{.code {about$formula}}."),
                   "try" = "For shorter windows, use {.code short = \"fewer\"}."), "bad_argument",
                     about$call)
  }
  if (is.null(layout$carried)) rows <- min(rows, 2 * max(layout$rows, 1))
  before <- switch(if (is.null(options$align)) "end" else options$align, end = rows - 1, centre = floor(rows / 2),
                   start = 0)
  list(before = before, after = rows - 1 - before, with_to = TRUE, step = 0)
}

# Each row's place in time, and the times between which its window is.
reach_of_time <- function(options, layout, about) {
  time <- time_along(layout, about)
  window <- options$rows
  later <- function(by) as.numeric(add_time(time, by, window$unit))
  align <- if (is.null(options$align)) "end" else options$align
  at <- as.numeric(time)
  half <- window$seconds / 2 / if (inherits(time, "Date")) 86400 else 1
  edges <- switch(align,
    end = list(later(-window$count), at),
    start = list(at, later(window$count)),
    centre = list(at - half, at + half)
  )
  list(before = 0, after = 0, scale = c(list(at), edges), with_to = align == "end",
       step = if (inherits(time, "Date")) 1 else 0)
}

# The one date or time along which the rows go, from the earliest on.
time_along <- function(layout, about) {
  column <- layout$order$time
  if (is.null(column) || layout$order$descending) {
    stop_because(c("A window of time needs one date or time to go along.", "in" = "{about$formula}",
                   "try" = "{.code along = day}"), "bad_argument", about$call)
  }
  if (is.double(column)) column else structure(as.double(column), class = class(column), tzone = attr(column, "tzone"))
}

calculate_neighbour <- function(direction, x, options, layout, about) {
  after_earlier_rows(x, layout, options$rows, function(x, layout) {
    rows <- neighbours_cpp(layout$rows, direction * options$rows, order_rows(layout$order), layout$of_row,
                           layout$groups)
    values <- values_in_rows(x, rows)
    if (is_missing_literal(options$default)) return(values)
    check_default(x, options$default, about)
    values[is.na(rows)] <- options$default
    values
  })
}

# The last known value up to each row, or the next one from it on. Numbers are moved by the core; of other columns the
# rows that the values are in.
calculate_known <- function(direction, x, options, layout, about) {
  check_single_values(x, about)
  after_earlier_rows(x, layout, 1, function(x, layout) {
    order <- order_rows(layout$order)
    if (direction < 0 && !is.null(order)) order <- rev(order)
    known <- function(values) {
      last_known_cpp(values, direction < 0 && is.null(order), order, layout$of_row, layout$groups,
                     getOption("rowanroot.threads", 0L))
    }
    if (is.numeric(x) && !is.object(x) || is.logical(x)) return(known(x))
    if (inherits(x, c("Date", "POSIXct", "difftime", "factor"))) {
      return(with_class_of(known(as.vector(unclass(x))), x))
    }
    values_in_rows(x, known(replace(seq_along(x), is.na(x), NA_integer_)))
  }, of_results = TRUE)
}

check_single_values <- function(x, about) {
  if (is.atomic(x) && length(dim(x)) <= 1) return(invisible())
  stop_because(c("{.code {about$name}()} needs a column of single values.",
                 "found" = "{.code {about$label}} is {what_is(x)}.", "in" = "{about$formula}"), "type_mismatch",
               about$call)
}

# Which of so many parts a row is in: NTILE of the SQL standard, whose larger parts come first.
calculate_parts <- function(what, x, options, layout, about) {
  ranks <- calculate_ranking("ranking", x, c(options, list(ties = "first", missing = "keep", as = "position")), layout,
                             about)
  counts <- if (!is.null(layout$of_row)) as.integer(known_in_groups(ranks, layout))
  parts_of_ranks_cpp(ranks, counts, options$parts)
}

check_default <- function(x, default, about) {
  if (length(default) == 1 && (!is.na(common_type(c(value_type(x), value_type(default)))) || is.object(x) &&
                               identical(class(x), class(default)))) return(invisible())
  stop_because(c("{.arg default} must be one value of the column's type.",
                 "found" = paste0("It is {what_is(default)}, and {.code {about$label}} is {type_name(x)}, in ",
                              "{.code {about$formula}}.")), "type_mismatch", about$call)
}
