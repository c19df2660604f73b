# The look of figures: colours that colour-blind readers can distinguish, and that differ in lightness, for grey.

look <- list(
  ink = "#22313f", line = "#8a97a3", faint = "#e3e7ea", soft = "#5b6a77", accent = "#b5481e", second = "#2b6777",
    third = "#d9a441",
  lines = c("#2b6777", "#b5481e", "#d9a441", "#6a4c93", "#4f772d", "#22313f"),
    dashes = c("solid", "longdash", "solid", "dashed", "twodash", "dotted"),
  kinds = c("file" = "#d7dde2", "column of a file" = "#eef1f3", "made by a formula" = "#f3c98b",
            "scratch" = "#f8e7c9", "chooses rows or checks" = "#a9cfd3")
)

look_of_figures <- function() {
  ggplot2::theme_minimal(base_size = 12) + ggplot2::theme(
    text = ggplot2::element_text(colour = look$ink), plot.title = ggplot2::element_text(face = "bold"),
      plot.subtitle = ggplot2::element_text(colour = look$soft),
    panel.grid.minor = ggplot2::element_blank(), panel.grid.major = ggplot2::element_line(colour = look$faint,
        linewidth = 0.3),
    plot.title.position = "plot", plot.background = ggplot2::element_rect(fill = "white", colour = NA)
  )
}
