# A second engine, for tests only: it runs steps and their trees in plain R, one row after the other, and knows
# nothing of the core. What both engines give must be the same, bit for bit.

reference_engine <- structure(list(), class = "reference_engine")

execute_by_reference <- function(engine, step, table, call) by_reference_step(step, table)

registerS3method("execute", "reference_engine", execute_by_reference, envir = asNamespace("rowanroot"))

# Steps of a chain of verbs on a table, run by an engine.
run_by <- function(engine, table) {
  data <- as.data.frame(rowanroot:::rooted(table)$source$data)
  for (step in rowanroot:::rooted(table)$steps) data <- rowanroot:::execute(engine, step, data, NULL)
  data
}

by_reference_step <- function(step, data) UseMethod("by_reference_step")

by_reference_step.step_set_columns <- function(step, data) {
  for (statement in step$statements) {
    targets <- statement$targets
    if (statement$removes) {
      data[targets] <- NULL
      next
    }
    node <- statement$node
    values <- if (node$kind == "several") lapply(node$parts, by_reference, data = data,
                                                 step = step) else list(by_reference(node, data, step))
    if (length(values) != length(targets)) values <- as.list(values[[1]])
    for (k in seq_along(targets)) data[[targets[k]]] <- if (nrow(data)) rep_len(values[[k]], nrow(data)) else logical()
  }
  data[step$columns]
}

by_reference_step.step_one_row_per <- function(step, data) {
  step$within <- step$keys
  first <- !duplicated(group_key(data, step$keys))
  made <- by_reference_step.step_set_columns(utils::modifyList(step,
                                                               list(columns = unique(c(names(data), step$columns)))),
                                             data)
  structure(made[first, step$columns, drop = FALSE], row.names = seq_len(sum(first)))
}

by_reference_step.step_keep_rows <- function(step, data) {
  holds <- rep_len(as.logical(by_reference(step$node, data, step)), nrow(data)) %in% TRUE
  taken(data, which(if (step$verb == "keep_rows") holds else !holds))
}

by_reference_step.step_sort_rows <- function(step, data) taken(data,
                                                               in_order_of(data, step$order, step$missing == "last"))

# In their order, group after group; those equal to the last one come with it.
by_reference_step.step_top_rows <- function(step, data) {
  best <- list(names = step$by, descending = rep(step$verb == "top_rows", length(step$by)))
  rows <- unlist(lapply(split_rows(data, step$within), function(rows) {
    known <- rows[stats::complete.cases(data[rows, step$by, drop = FALSE])]
    ranked <- known[in_order_of(data[known, , drop = FALSE], best)]
    top <- utils::head(ranked, step$count)
    if (step$ties == "cut" || !length(top)) return(top)
    is_same <- Reduce(`&`, lapply(step$by, function(name) data[[name]][ranked] == data[[name]][top[length(top)]]))
    ranked[seq_along(ranked) <= length(top) | is_same]
  }))
  taken(data, as.integer(rows))
}

by_reference_step.step_columns <- function(step, data) stats::setNames(data[step$from], step$columns)

by_reference_step.step_conditions <- function(step, data) data

by_reference_step.step_append_rows <- function(step, data) {
  taken(do.call(rbind, c(list(data), lapply(step$others, `[[`, "values"))), NULL)
}

taken <- function(data, rows) {
  if (!is.null(rows)) data <- data[rows, , drop = FALSE]
  structure(data, row.names = seq_len(nrow(data)))
}

# The rows of each group, NA and NaN apart.
split_rows <- function(data, names) {
  key <- group_key(data, names)
  unname(split(seq_len(nrow(data)), factor(key, unique(key))))
}

# Texts by the code points of their characters, missing values at an end.
in_order_of <- function(data, order, missing_last = TRUE) {
  if (!length(order$names)) return(seq_len(nrow(data)))
  keys <- Map(function(name, descending) {
    x <- data[[name]]
    x <- if (is.character(x)) match(x, sort(unique(x), method = "radix")) else as.numeric(x)
    if (descending) -x else x
  }, order$names, order$descending)
  do.call(base::order, c(unname(keys), na.last = missing_last, method = "radix"))
}

# What a tree comes to: one value for each row, or anything else that the script has.
by_reference <- function(node, data, step) {
  rowanroot:::fold_node(node, function(node, parts) by_reference_node(node, parts, data, step))
}

by_reference_node <- function(node, parts, data, step) {
  switch(node$kind,
    column = data[[node$name]],
    value = node$value,
    rows = in_groups_of(node, data, step, function(rows) if (node$name ==
                                                             ".row") seq_along(rows) else rep(length(rows),
                                                                 length(rows))),
    word = of_each_row(word_by_r(node$word), parts, data),
    choose = of_each_row(if (isTRUE(node$some_rows)) choice_of_rows else choice_of_row, parts, data),
    aggregate = in_groups_of(node, data, step, function(rows) rep(aggregate_by_r(node,
        rep_len(parts[[1]], nrow(data))[rows]), length(rows))),
    ordered = in_groups_of(node, data, step, function(rows) ordered_by_r(node, rep_len(parts[[1]], nrow(data))[rows])),
    r_call = call_by_r(node, parts, data, step),
    stop("The reference engine has no ", node$kind, ".")
  )
}

# A function of one row, called for one row after the other.
of_each_row <- function(fun, parts, data) {
  values <- lapply(seq_len(nrow(data)), function(row) {
    do.call(fun, lapply(parts, function(part) if (length(part) == 1) part else part[row]), quote = TRUE)
  })
  put_together(values, if (identical(fun, choice_of_row) || identical(fun, choice_of_rows)) parts[-1])
}

# Of a single row a missing branch is a logical NA: here it is what the column has, as its other values or the
# branches say.
put_together <- function(values, branches) {
  model <- Find(function(value) !(is.logical(value) && all(is.na(value))), c(values, branches))
  if (is.character(model)) return(as.character(unlist(values)))
  if (is.null(model) || !is.object(model)) return(unlist(values))
  result <- rep(model[1], length(values))
  result[] <- NA
  for (k in seq_along(values)) if (!is.na(values[[k]])) result[k] <- values[[k]]
  result
}

choice_of_row <- function(condition, yes, no) {
  condition <- as.logical(condition)
  if (is.na(condition)) NA else if (condition) yes else no
}

choice_of_rows <- function(condition, yes, no) if (isTRUE(as.logical(condition))) yes else no

# R's own function; which of two texts comes first is found by their code points.
word_by_r <- function(word) {
  compares <- word$name %in% c("<", "<=", ">", ">=", "pmin", "pmax", "lesser_known", "greater_known")
  function(...) {
    given <- list(...)
    if (!compares || !any(vapply(given, is.character, NA))) return(do.call(word$r, given, quote = TRUE))
    ranks <- match(unlist(given), sort(unique(unlist(given)), method = "radix"))
    result <- do.call(word$r, as.list(ranks))
    if (is.logical(result)) result else unlist(given)[match(result, ranks)]
  }
}

# Values of each group of the node, or of the block, in the order of either.
in_groups_of <- function(node, data, step, f) {
  order <- in_order_of(data, if (is.null(node$along)) step$along else node$along)
  groups <- split_rows(data[order, , drop = FALSE], if (is.null(node$within)) step$within else node$within)
  rows <- lapply(groups, function(group) order[group])
  values <- lapply(rows, f)
  if (!length(values)) return(f(integer()))
  do.call(c, values)[base::order(unlist(rows))]
}

aggregate_by_r <- function(node, x) {
  name <- node$word$name
  if (is.character(x) && name %in% c("min", "max")) {
    if (node$skip_missing) x <- x[!is.na(x)]
    return(if (anyNA(x)) NA_character_ else sort(x, method = "radix", decreasing = name == "max")[1])
  }
  options <- c(if (node$skip_missing) list(na.rm = TRUE),
               if (!is.null(node$share)) list(probs = node$share, names = FALSE))
  value <- do.call(node$word$r, c(list(x), options))
  if (name == "sum" && is.integer(x) && isTRUE(abs(value) > .Machine$integer.max)) NA_integer_ else value
}

ordered_by_r <- function(node, x) {
  options <- node$options
  switch(node$word$memory,
    ranking = rank_by_r(x, options$best, options$ties, options$missing),
    neighbour = {
      from <- seq_along(x) - node$word$what * options$rows
      x[ifelse(from < 1 | from > length(x), NA, from)]
    },
    running = running_by_r(node$word$name, x, options$missing),
    stop("The reference engine has no ", node$word$name, "().")
  )
}

# A function of R: of one row where it goes value by value, else of the columns of each group.
call_by_r <- function(node, parts, data, step) {
  names(parts) <- names(node$arguments)
  if (rowanroot:::goes_by_value(node$word, node$arguments)) {
    is_column <- vapply(node$arguments, `[[`, "", "kind") != "value"
    one_row <- function(...) {
      given <- parts
      given[is_column] <- list(...)
      do.call(node$fun, given, quote = TRUE)
    }
    return(of_each_row(one_row, unname(parts[is_column]), data))
  }
  in_groups_of(node, data, step, function(rows) {
    value <- do.call(node$fun, lapply(parts, function(part) if (length(part) == nrow(data)) part[rows] else part),
                     quote = TRUE)
    rep_len(value, length(rows))
  })
}

# Running words, a row at a time.
running_by_r <- function(word, x, missing) {
  of <- list(running_total = sum, running_mean = mean, running_count = function(x) length(x), running_min = min,
             running_max = max, running_product = prod)[[word]]
  nothing <- list(running_total = 0, running_mean = NA, running_count = 0, running_min = NA, running_max = NA,
                  running_product = 1)[[word]]
  stopped <- FALSE
  value <- vapply(seq_along(x), function(k) {
    known <- x[seq_len(k)][!is.na(x[seq_len(k)])]
    if (is.na(x[k])) stopped <<- TRUE
    if (missing == "stop" && stopped || missing == "skip" && is.na(x[k])) return(NA_real_)
    as.numeric(if (length(known)) of(known) else nothing)
  }, 0)
  value
}

codes_by_r <- function(x) if (is.character(x)) match(x, sort(unique(x), method = "radix")) else as.numeric(x)

# R's rank() of the values; dense ranks by their place among the different ones.
rank_by_r <- function(x, best, ties, missing) {
  x <- codes_by_r(x)
  if (best == "highest") x <- -x
  na.last <- switch(missing, keep = "keep", first = FALSE, last = TRUE)
  if (ties != "dense") return(rank(x, na.last = na.last, ties.method = ties))
  known <- match(x, sort(unique(x)))
  known[is.na(x)] <- NA
  unknown <- is.na(x)
  if (missing == "last") known[unknown] <- max(0, known, na.rm = TRUE) + seq_len(sum(unknown))
  if (missing == "first") {
    known <- known + sum(unknown)
    known[unknown] <- seq_len(sum(unknown))
  }
  known
}
