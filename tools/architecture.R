# Draws docs/architecture.png from the code: families of files, in layers, and calls between them.
source("tools/calls.R")
library(ggplot2)

# Where each family stands: those seen by people on top.
places_of_families <- function(found) {
  files <- setdiff(list.files("R", "[.]R$"), c("RcppExports.R", "rowanroot-package.R"))
  of_file <- sub("[-.].*", "", files)
  do.call(rbind, lapply(seq_along(layers), function(l) {
    members <- layers[[l]][layers[[l]] %in% of_file]
    data.frame(family = members, x = (seq_along(members) - (length(members) + 1) / 2) * 1.6 + (l %% 2) * 0.35, y = l,
               layer = names(layers)[l],
               files = vapply(members, function(family) sum(of_file == family), 0L))
  }))
}

calls <- calls_of_package("R")
place <- places_of_families(calls)
counted <- stats::aggregate(to ~ from_family + to_family + up,
                            unique(calls[c("from_family", "to_family", "to", "up")]), length)
at <- function(families, what) place[[what]][match(families, place$family)]
arrows <- data.frame(x = at(counted$from_family, "x"), y = at(counted$from_family, "y"),
                     xend = at(counted$to_family, "x"), yend = at(counted$to_family, "y"),
                     functions = counted$to, way = ifelse(counted$up, "up", "down"))
figure <- ggplot() +
  geom_curve(data = arrows, aes(x, y - 0.14, xend = xend, yend = yend + 0.16, linewidth = functions, colour = way),
             curvature = 0.08, alpha = 0.4,
             arrow = arrow(length = unit(5, "pt"))) +
  geom_label(data = place, aes(x, y, label = paste0(family, "-*\n", files, ifelse(files == 1, " file", " files"))),
             size = 3.4, label.size = 0,
             fill = "#f3c98b", colour = "#22313f", lineheight = 0.9) +
  geom_text(data = unique(place[c("y", "layer")]), aes(-4.6, y, label = layer), hjust = 0, size = 3.6,
            colour = "#56646f") +
  scale_linewidth(range = c(0.3, 2), name = "functions called") +
  scale_colour_manual(values = c(down = "#2b6777", up = "#b5481e"), name = NULL) + theme_void(12) +
  theme(legend.position = "bottom", plot.background = element_rect(fill = "white", colour = NA),
        plot.margin = margin(12, 12, 12, 12))
ggsave("docs/architecture.png", figure, width = 12.8, height = 8, dpi = 100)
up <- calls[calls$up, c("from_family", "from", "to_family", "to")]
cat(nrow(up), "calls go up\n")
if (nrow(up)) print(up, row.names = FALSE)
quit(status = if (nrow(up)) 1 else 0)
