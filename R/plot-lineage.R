#' @importFrom rlang .data
NULL

# The lineage as a figure: files at the left, and each column to the right of all that it is made from.

#' @export
plot.lineage <- function(x, ...) {
  check_package("ggplot2", "Figures", quote(plot()))
  shown <- laid_out(x)
  nodes <- shown$nodes
  edges <- data.frame(x = nodes$x[shown$edges$from] + nodes$half[shown$edges$from], y = nodes$y[shown$edges$from],
                      xend = nodes$x[shown$edges$to] - nodes$half[shown$edges$to], yend = nodes$y[shown$edges$to])
  ggplot2::ggplot() +
    ggplot2::geom_segment(data = edges, ggplot2::aes(x = .data$x, y = .data$y, xend = .data$xend, yend = .data$yend),
                          colour = look$line, linewidth = 0.4) +
    ggplot2::geom_label(data = nodes, ggplot2::aes(x = .data$x, y = .data$y, label = .data$label, fill = .data$what),
                        colour = look$ink, size = 3.2, label.size = 0,
                        label.padding = ggplot2::unit(0.35, "lines"), key_glyph = "rect") +
    ggplot2::geom_text(data = nodes[nzchar(nodes$under), ],
                       ggplot2::aes(x = .data$x, y = .data$y, label = .data$under), vjust = 2.9, colour = look$soft,
                       size = 2.5) +
    ggplot2::scale_fill_manual(values = look$kinds, name = NULL, drop = TRUE) +
    ggplot2::scale_y_continuous(expand = ggplot2::expansion(mult = 0.08)) +
      ggplot2::scale_x_continuous(limits = range(nodes$x - nodes$half, nodes$x + nodes$half),
                                  expand = ggplot2::expansion(mult = 0.06)) +
    ggplot2::labs(title = if (is.null(x$column)) "Lineage" else paste("Lineage of", x$column), subtitle = x$title) +
    look_of_figures() + ggplot2::theme(axis.text = ggplot2::element_blank(), axis.title = ggplot2::element_blank(),
                                       panel.grid.major = ggplot2::element_blank(), legend.position = "bottom")
}

#' @export
plot.rooted_table <- function(x, ...) plot.lineage(lineage(x))

kind_words <- c(file = "file", input = "column of a file", column = "made by a formula", scratch = "scratch",
                rows = "chooses rows or checks")

# Places of the nodes: a layer for each step away from the files, and in a layer near what they are made from.
# Columns of files that nobody uses are left out.
laid_out <- function(x) {
  used <- x$nodes$kind != "input" | seq_len(nrow(x$nodes)) %in% x$edges$from | identical(x$nodes$name, x$column)
  kept <- which(used)
  nodes <- x$nodes[kept, ]
  edges <- data.frame(from = match(x$edges$from, kept), to = match(x$edges$to, kept))
  edges <- edges[!is.na(edges$from) & !is.na(edges$to), ]
  layer <- rep(0, nrow(nodes))
  for (k in seq_len(nrow(nodes))) layer[k] <- max(c(-1, layer[edges$from[edges$to == k]])) + 1
  nodes$label <- shortened(node_labels(nodes), 34)
  nodes$what <- factor(kind_words[nodes$kind], kind_words)
  nodes$under <- ifelse(nodes$kind %in% c("column", "scratch"),
                        shortened(sub("^.*? <- ", "", nodes$formula, perl = TRUE), 30), "")
  nodes$half <- 0.0105 * nchar(nodes$label)
  width <- pmax(nodes$half, 0.0085 * nchar(nodes$under))
  nodes$y <- 0
  for (l in sort(unique(layer))) {
    members <- which(layer == l)
    wanted <- vapply(members, function(k) {
      from <- edges$from[edges$to == k]
      if (length(from)) mean(nodes$y[from]) else 0
    }, 0)
    members <- members[order(-wanted)]
    nodes$y[members] <- (length(members) + 1) / 2 - seq_along(members)
  }
  widths <- vapply(sort(unique(layer)), function(l) max(width[layer == l]), 0)
  middles <- cumsum(c(0, (utils::head(widths, -1) + utils::tail(widths, -1)) + 0.25))
  nodes$x <- middles[match(layer, sort(unique(layer)))]
  list(nodes = nodes, edges = edges)
}

shortened <- function(text, width) ifelse(nchar(text) > width, paste0(substr(text, 1, width - 1), "\u2026"), text)
