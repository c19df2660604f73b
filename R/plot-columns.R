#' Figures of columns
#'
#' `plot_column()` shows how the values of a column are spread, beside those of the columns that it was made from.
#' `plot_running()` shows a running word as a line for each group. `plot_ranking()` shows the rows with the best
#' ranks as ordered bars.
#'
#' Of a table of many rows a figure shows what its size can show: spreads are counted, lines have 2,000 points of
#' each group at most, and six groups at most.
#'
#' @param x A rooted table from [open_table()], or a data frame.
#' @param column The name of a column.
#' @param along The column along which it runs; the order of rows, if none is given.
#' @param within The column whose values make the groups.
#' @param by For `plot_ranking()` the column that was ranked, as long as the bars; of a rooted table that is known.
#' @param label The column whose values name the bars; row numbers, if none is given.
#' @param top How many of the best ranks are shown.
#' @return An object of the package ggplot2, which draws itself when it is printed, and takes other layers, scales
#'   and themes.
#' @section Errors:
#' `rowanroot_unknown_column`, `rowanroot_type_mismatch` for a column that can't be shown so,
#' `rowanroot_missing_package`.
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
    ggplot2::labs(title = own, subtitle = if (length(names) > 1) paste("beside", paste(names[-1], collapse = ", ")),
                  x = NULL, y = "rows") + look_of_figures()
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
  value <- values[first_rows_cpp(groups$of_row, length(groups$sizes))]
  data.frame(value = value, rows = groups$sizes)[!is.na(value), ]
}

# A factor whose first level is the most frequent value; missing ones have no level.
groups_by_size <- function(values) {
  groups <- group_rows_cpp(list(stored_values(values)), length(values), getOption("rowanroot.threads", 0L))
  names <- as.character(values[first_rows_cpp(groups$of_row, length(groups$sizes))])
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
  optional <- function(typed, value) {
    name <- name_of_column(typed, value, column_names(x))
    if (!is.null(name) && !name %in% column_names(x)) stop_unknown_column(name, column_names(x), call)
    name
  }
  along <- optional(substitute(along), along)
  within <- optional(substitute(within), within)
  values <- shown$data[[shown$name]]
  if (!is.numeric(values)) {
    stop_because("{.code {shown$name}} must be numbers, not {type_name(values)}.", "type_mismatch", call,
                 column = shown$name)
  }
  plot_running_data(shown$data, shown$name, along, within)
}

plot_running_data <- function(table, name, along, within) {
  values <- table[[name]]
  group <- if (is.null(within)) factor(rep("", length(values))) else groups_by_size(table[[within]])
  others <- nlevels(group) - 6
  kept <- which(as.integer(group) <= 6 & !is.na(values))
  data <- data.frame(at = if (is.null(along)) kept else table[[along]][kept], value = values[kept],
                     group = droplevels(group[kept]))
  data <- data[!is.na(data$at), ]
  if (!nrow(data)) return(empty_figure(name))
  data <- data[order(data$group, data$at), ]
  data <- do.call(rbind, lapply(split(data, data$group),
                                function(one) if (nrow(one) > 2000) one[unique(round(seq(1, nrow(one),
                                    length.out = 2000))), ] else one))
  figure <- ggplot2::ggplot(data, ggplot2::aes(x = .data$at, y = .data$value, colour = .data$group,
                                               linetype = .data$group)) +
    ggplot2::geom_line(linewidth = 0.7, show.legend = !is.null(within)) +
    ggplot2::scale_colour_manual(values = look$lines, name = within) +
      ggplot2::scale_linetype_manual(values = look$dashes, name = within) +
    ggplot2::labs(title = name, subtitle = if (others > 0) paste("the 6 largest of",
                                                                 format(others + 6, big.mark = ","), "groups"),
                  x = if (is.null(along)) "row" else along, y = NULL)
  figure + look_of_figures()
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
    ggplot2::labs(title = name, subtitle = paste0("the best ", length(best), " of ", counted_rows(length(ranks))),
                  x = if (is.null(by)) NULL else by, y = NULL) +
    look_of_figures() + ggplot2::theme(panel.grid.major.y = ggplot2::element_blank())
}
