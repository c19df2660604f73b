#' Plot columns
#'
#' `plot_column()` shows the distribution of a column beside those of the columns that it was made
#' from. `plot_running()` draws a running total or the like as a line for each group.
#' `plot_ranking()` shows the rows with the best ranks as ordered bars.
#'
#' A figure of a table with many rows shows what fits its size: values are counted in bins, and
#' lines have at most six groups, with at most 2,000 points each.
#'
#' @param x A rooted table from [open_table()], or a data frame.
#' @param column The name of a column.
#' @param along The column along which it runs. If it is not given, that of the formula that made
#'   the column, otherwise the order of rows.
#' @param within The column whose values make the groups. If it is not given, that of the formula
#'   that made the column.
#' @param by The column that was ranked, which gives the bars their length; for a rooted table it is
#'   found from the formula.
#' @param label The column whose values label the bars; by default row numbers.
#' @param top How many of the best ranks to show.
#' @return A plot of the package ggplot2, which is drawn when it is printed; you can add other
#'   layers, scales and themes.
#' @section Errors: `rowanroot_unknown_column`, `rowanroot_type_mismatch` for a column that can't be
#'   drawn this way, `rowanroot_missing_package`.
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE)
#' set.seed(1)
#' visits <- data.frame(
#'   day = as.Date("2025-03-01") + 0:59, hive = rep(c("NB-01", "SH-02"), 30),
#'   gross_kg = round(rnorm(60, 30, 5), 1), tare_kg = 6
#' )
#' yield <- open_table(visits) |>
#'   set_columns({
#'     net_kg <- gross_kg - tare_kg
#'     so_far <- running_total(net_kg, along = day, within = hive)
#'     place  <- ranking(net_kg, best = "highest")
#'   })
#' plot_column(yield, net_kg)
#' plot_running(yield, so_far, along = day, within = hive)
#' plot_ranking(yield, place, label = hive, top = 10)
#' @export
plot_column <- function(x, column) {
  call <- quote(plot_column())
  shown <- columns_to_show(x, substitute(column), column, call)
  if (!can_be_drawn(shown$data[[shown$name]])) {
    stop_because(c("{.code {shown$name}} can't be drawn: it is {what_is(shown$data[[shown$name]])}.",
                   "try" = "It must have one number, text, date or logical value in each row."), "type_mismatch",
                 call, column = shown$name)
  }
  plot_column_data(shown$data, shown$name, if (is_rooted_table(x)) table_origins(x)[[shown$name]])
}

can_be_drawn <- function(values) is.atomic(values) && !is.complex(values) && !is.raw(values) && length(dim(values)) <= 1

plot_column_data <- function(data, own, origins) {
  names <- c(own, utils::head(Filter(function(name) can_be_drawn(data[[name]]), intersect(origins, names(data))), 3))
  spreads <- do.call(rbind, lapply(names, function(name) spread_of(data[[name]], name)))
  spreads$column <- factor(spreads$column, names)
  spreads$role <- ifelse(spreads$column == own, "the column", "made from")
  missing <- vapply(names, function(name) sum(is.na(data[[name]])), 0L)
  subtitle <- paste0("rows by value", if (length(names) > 1) paste0(", beside ", listed(names[-1], identity),
                                                                    ", which it is made from"))
  ggplot2::ggplot(spreads) +
    ggplot2::geom_rect(ggplot2::aes(xmin = .data$place - .data$width / 2, xmax = .data$place + .data$width / 2,
                                    ymin = 0, ymax = .data$rows, fill = .data$role), show.legend = FALSE) +
    ggplot2::geom_text(data = spreads[!is.na(spreads$label), ],
                       ggplot2::aes(x = .data$place, y = .data$rows, label = .data$label), vjust = -0.5, size = 3,
                       colour = look$ink) +
    ggplot2::facet_wrap(ggplot2::vars(.data$column), scales = "free",
                        labeller = ggplot2::as_labeller(stats::setNames(paste0(names,
                            ifelse(missing, paste0(" (", format(missing, big.mark = ",", trim = TRUE), " missing)"),
                                   "")), names))) +
    ggplot2::scale_fill_manual(values = c("the column" = look$accent, "made from" = look$line)) +
    ggplot2::scale_x_continuous(labels = function(x) if (all(!is.na(spreads$label))) rep("",
        length(x)) else format(x, big.mark = ",")) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = c(0, 0.08))) +
    ggplot2::labs(title = own, subtitle = subtitle, x = NULL, y = "rows") + look_of_figures()
}

columns_to_show <- function(x, typed, value, call) {
  check_package("ggplot2", "Figures", call)
  check_table(x, call)
  if (identical(typed, quote(expr = ))) {
    stop_because(c("Which column?", "try" = "{.code {one_line(call[[1]])}(x, net_kg)}"), "bad_argument", call)
  }
  name <- name_of_column(typed, value, column_names(x))
  if (!name %in% column_names(x)) stop_unknown_column(name, column_names(x), call)
  list(name = name, data = if (is_rooted_table(x)) table_data(x, call) else x)
}

# How many rows have each number, or values in each of some 40 bands; are in each month or year; or have the most
# frequent texts.
spread_of <- function(values, name) {
  if (inherits(values, c("Date", "POSIXct"))) {
    counts <- counts_of(values)
    months <- rowsum(counts$rows, format(counts$value, "%Y-%m"))[, 1]
    if (length(months) > 18) months <- rowsum(counts$rows, format(counts$value, "%Y"))[, 1]
    return(spread_of_texts(utils::head(months, 40), name))
  }
  if (!is.numeric(values) && !inherits(values, "difftime")) {
    counts <- counts_of(values)
    frequent <- utils::head(order(-counts$rows), 10)
    return(spread_of_texts(stats::setNames(counts$rows, as.character(counts$value))[frequent], name))
  }
  # Where some thousands of rows have many different numbers, all have.
  some <- utils::head(as.numeric(values), 5000)
  counts <- if (length(unique(some[is.finite(some)])) <= 60) counts_of(values)
  if (!is.null(counts) && nrow(counts) <= 60) return(spread_of_few(as.numeric(counts$value), counts$rows, name))
  numbers <- as.numeric(values)
  if (!all(are_numbers <- is.finite(numbers))) numbers <- numbers[are_numbers]
  edges <- pretty(range(numbers), 40)
  width <- edges[2] - edges[1]
  counts <- tabulate(findInterval(numbers, edges, rightmost.closed = TRUE), length(edges) - 1)
  data.frame(column = name, place = edges[-length(edges)] + width / 2, width = width, rows = counts,
             label = NA_character_)
}

spread_of_few <- function(numbers, rows, name) {
  in_order <- order(numbers)
  in_order <- in_order[is.finite(numbers[in_order])]
  if (!length(in_order)) return(data.frame(column = name, place = 0, width = 1, rows = 0, label = NA_character_))
  width <- if (length(in_order) > 1) 0.9 * min(diff(numbers[in_order])) else 1
  data.frame(column = name, place = numbers[in_order], width = width, rows = rows[in_order], label = NA_character_)
}

# The different values that are known, and how many rows have each.
counts_of <- function(values) {
  groups <- group_rows_cpp(list(stored_values(values)), length(values), getOption("rowanroot.threads", 0L))
  value <- values[group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)]
  data.frame(value = value, rows = groups$sizes)[!is.na(value), ]
}

# A factor whose first level is the most frequent value; missing ones have no level.
groups_by_size <- function(values) {
  groups <- group_rows_cpp(list(stored_values(values)), length(values), getOption("rowanroot.threads", 0L))
  names <- as.character(values[group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)])
  order <- order(is.na(names), -groups$sizes)
  known <- sum(!is.na(names))
  number <- match(seq_along(names), order)[groups$of_row + 1L]
  number[number > known] <- NA
  structure(number, levels = names[order][seq_len(known)], class = "factor")
}

spread_of_texts <- function(counts, name) {
  if (!length(counts)) return(data.frame(column = name, place = 0, width = 1, rows = 0, label = NA_character_))
  data.frame(column = name, place = seq_along(counts), width = 0.8, rows = as.vector(counts),
             label = shortened(names(counts), 14))
}

empty_figure <- function(name) {
  ggplot2::ggplot() + ggplot2::annotate("text", 0, 0, label = "There is no value to show.", colour = look$soft) +
    ggplot2::labs(title = name, x = NULL, y = NULL) +
    look_of_figures() + ggplot2::theme(axis.text = ggplot2::element_blank(),
                                       panel.grid.major = ggplot2::element_blank())
}

#' @rdname plot_column
#' @export
plot_running <- function(x, column, along = NULL, within = NULL) {
  call <- quote(plot_running())
  shown <- columns_to_show(x, substitute(column), column, call)
  formula <- if (is_rooted_table(x)) formula_drawn(x, shown$name)
  given <- function(typed, value, of_formula) {
    name <- name_of_column(typed, value, column_names(x))
    if (!is.null(name) && !name %in% column_names(x)) stop_unknown_column(name, column_names(x), call)
    if (is.null(name)) of_formula else name
  }
  along <- given(substitute(along), along, along_drawn(formula, shown$data))
  within <- given(substitute(within), within, within_drawn(formula, shown$data))
  values <- shown$data[[shown$name]]
  if (!is.numeric(values)) {
    stop_because("{.code {shown$name}} must be numbers, not {type_name(values)}.", "type_mismatch", call,
                 column = shown$name)
  }
  plot_running_data(shown$data, shown$name, along, within, formula$text)
}

# What a column's formula is, if its word says how it is drawn: as lines (`running`) or as bars (`ranking`), in which
# groups and order, and in words ("running total of net_kg").
formula_drawn <- function(x, name) {
  for (step in rev(rooted(x)$steps)) {
    for (statement in rev(step$statements)) {
      if (!name %in% statement$targets || statement$removes) next
      node <- statement$node
      what <- if (node$kind == "running") "running" else node$word$draw
      if (is.null(what)) return(NULL)
      by <- function(own, of_block) if (is.null(own)) of_block else own
      return(list(what = what, within = by(node$within, step$within), along = by(node$along$names, step$along$names),
                  text = call_in_short(statement$formula)))
    }
  }
}

# "running total of net_kg", for `running_total(net_kg, along = day)`.
call_in_short <- function(formula) {
  if (!is.call(formula) || !is.name(formula[[1]])) return(NULL)
  paste(gsub("_", " ", as.character(formula[[1]])), "of", shortened(one_line(formula[[2]]), 40))
}

# Columns that the result still has: one that gives the order, and the first that makes groups.
along_drawn <- function(formula, data) if (length(formula$along) == 1 && formula$along %in% names(data)) formula$along

within_drawn <- function(formula, data) Find(function(name) name %in% names(data), formula$within)

most_lines <- 6

plot_running_data <- function(table, name, along, within, text = NULL) {
  values <- table[[name]]
  group <- if (is.null(within)) factor(rep("", length(values))) else groups_by_size(table[[within]])
  others <- nlevels(group) - most_lines
  shown <- which(as.integer(group) <= most_lines & !is.na(values))
  data <- data.frame(at = if (is.null(along)) shown else table[[along]][shown], value = values[shown],
                     group = droplevels(group[shown]))
  data <- data[!is.na(data$at), ]
  if (!nrow(data)) return(empty_figure(name))
  data <- data[order(data$group, data$at), ]
  data <- do.call(rbind, lapply(split(data, data$group), thinned))
  subtitle <- paste0(text, if (!is.null(text)) " ", "along ", if (is.null(along)) "the rows" else along,
                     if (!is.null(within)) paste0(", by ", within),
                     if (others > 0) paste0(" (the ", most_lines, " largest of ", format(others + most_lines,
                                                                                          big.mark = ","), ")"))
  figure <- ggplot2::ggplot(data, ggplot2::aes(x = .data$at, y = .data$value, colour = .data$group,
                                               linetype = .data$group)) +
    ggplot2::geom_line(linewidth = 0.7) +
    ggplot2::scale_colour_manual(values = look$lines, name = within) +
    ggplot2::scale_linetype_manual(values = look$dashes, name = within) +
    ggplot2::scale_y_continuous(labels = function(y) format(y, big.mark = ",", trim = TRUE)) +
    ggplot2::labs(title = name, subtitle = subtitle, x = if (is.null(along)) "row" else along, y = NULL) +
    look_of_figures()
  if (is.null(within)) figure + ggplot2::guides(colour = "none", linetype = "none") else named_lines(figure, data)
}

# At most 2,000 points of a line.
thinned <- function(line) {
  if (nrow(line) <= 2000) line else line[unique(round(seq(1, nrow(line), length.out = 2000))), ]
}

# Names at the ends of the lines; a legend where a name is long.
named_lines <- function(figure, data) {
  longest <- max(nchar(levels(data$group), "width"))
  if (longest > 16) return(figure)
  ends <- data[!duplicated(data$group, fromLast = TRUE), ]
  last <- max(data$at)
  near <- as.numeric(last) - as.numeric(ends$at) < 0.1 * (as.numeric(last) - as.numeric(min(data$at)))
  ends$at[near] <- last
  ends$value <- apart(ends$value, 0.06 * diff(range(data$value)))
  figure + ggplot2::guides(colour = "none", linetype = "none") +
    ggplot2::geom_text(data = ends, ggplot2::aes(label = paste0(" ", .data$group)), hjust = 0, size = 3.4) +
    ggplot2::coord_cartesian(clip = "off") +
    ggplot2::theme(plot.margin = ggplot2::margin(5.5, 8 + 6.5 * longest, 5.5, 5.5))
}

# The values, moved up or down as little as possible until each is at least `gap` from the next.
apart <- function(values, gap) {
  in_order <- order(values)
  steps <- gap * seq_along(values)
  values[in_order] <- stats::isoreg(values[in_order] - steps)$yf + steps
  values
}

#' @rdname plot_column
#' @export
plot_ranking <- function(x, column, top = 20, label = NULL, by = NULL) {
  call <- quote(plot_ranking())
  shown <- columns_to_show(x, substitute(column), column, call)
  top <- check_whole_number(top, 1, "top", call)
  ranks <- shown$data[[shown$name]]
  if (!is.numeric(ranks)) {
    stop_because("{.code {shown$name}} must be ranks, not {type_name(ranks)}.", "type_mismatch", call,
                 column = shown$name)
  }
  label <- name_of_column(substitute(label), label, column_names(x))
  by <- name_of_column(substitute(by), by, column_names(x))
  for (name in c(label, by)) if (!name %in% column_names(x)) stop_unknown_column(name, column_names(x), call)
  if (is.null(by) && is_rooted_table(x)) {
    by <- Find(function(name) is.numeric(shown$data[[name]]), table_origins(x)[[shown$name]])
  }
  plot_ranking_data(shown$data, shown$name, top, label, by)
}

plot_ranking_data <- function(table, name, top, label, by) {
  ranks <- table[[name]]
  best <- utils::head(order(ranks), sum(!is.na(ranks)))
  best <- utils::head(best, top)
  if (!length(best)) return(empty_figure(name))
  length_of_bar <- if (is.null(by)) max(ranks[best]) + 1 - ranks[best] else as.numeric(table[[by]][best])
  names <- if (is.null(label)) paste("row", best) else as.character(table[[label]][best])
  data <- data.frame(bar = factor(seq_along(best), rev(seq_along(best))), size = length_of_bar,
                     text = format(ranks[best], trim = TRUE))
  ggplot2::ggplot(data, ggplot2::aes(x = .data$size, y = .data$bar)) +
    ggplot2::geom_col(fill = look$second, width = 0.75) +
    ggplot2::geom_text(ggplot2::aes(label = .data$text), hjust = -0.3, size = 3.2, colour = look$ink) +
    ggplot2::scale_y_discrete(labels = stats::setNames(names, seq_along(best))) +
      ggplot2::scale_x_continuous(expand = ggplot2::expansion(mult = c(0, 0.08))) +
    ggplot2::labs(title = name, subtitle = paste0("the ", length(best), " best of ", counted_rows(length(ranks)),
                                                 if (!is.null(by)) paste0(", ranked by ", by)),
                  x = by, y = NULL) +
    look_of_figures() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
