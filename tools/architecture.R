# Draws docs/architecture.png from the code: families of files, in layers, and calls between them.
layers <- list(
  interface = c("cli", "report", "why", "lineage", "plot", "print", "run"), verbs = c("verb", "routine"), words = c("words", "columns", "order", "one_by_one", "all_at_once"),
  files = c("live", "source", "sink", "database", "demo"), formulas = "formula", engine = "engine", store = "store", base = c("step", "utils")
)
files <- setdiff(list.files("R", "[.]R$"), c("RcppExports.R", "rowanroot-package.R"))
family <- sub("[-.].*", "", files)
family[files == "live-table.R"] <- "live"
code <- lapply(file.path("R", files), parse, keep.source = FALSE)
defined <- function(exprs) unlist(lapply(exprs, function(e) if (is.call(e) && as.character(e[[1]])[1] %in% c("<-", "delayedAssign") && (is.symbol(e[[2]]) || is.character(e[[2]]))) as.character(e[[2]])))
owner <- unlist(Map(function(exprs, own) stats::setNames(rep(own, length(defined(exprs))), defined(exprs)), code, family))
called <- function(e) {
  if (!is.recursive(e)) return(character())
  c(if (is.call(e) && is.symbol(e[[1]])) as.character(e[[1]]), unlist(lapply(as.list(e), function(part) if (!identical(part, quote(expr = ))) called(part))))
}
used <- do.call(rbind, Map(function(exprs, own) {
  names <- intersect(unique(called(as.call(c(quote(`{`), exprs)))), names(owner))
  data.frame(from = rep(own, length(names)), to = unname(owner[names]), name = names)
}, code, family))
used <- unique(used[used$from != used$to, ])
calls <- aggregate(name ~ from + to, used, length)
place <- do.call(rbind, lapply(seq_along(layers), function(l) {
  members <- intersect(layers[[l]], family)
  data.frame(family = members, x = (seq_along(members) - (length(members) + 1) / 2) * 1.4 + (l %% 2) * 0.35, y = -l, layer = names(layers)[l], files = vapply(members, function(m) sum(family == m), 0L))
}))
stopifnot(setequal(place$family, unique(family)))
at <- function(names, what) place[[what]][match(names, place$family)]
calls <- transform(calls, x = at(from, "x"), y = at(from, "y"), xend = at(to, "x"), yend = at(to, "y"))
calls$up <- calls$yend > calls$y
library(ggplot2)
figure <- ggplot() +
  geom_curve(data = calls[order(calls$up), ], aes(x, y - 0.12, xend = xend, yend = yend + 0.14, linewidth = name, colour = up), curvature = 0.08, alpha = 0.45, arrow = arrow(length = unit(5, "pt"))) +
  geom_label(data = place, aes(x, y, label = paste0(family, "-*\n", files, ifelse(files == 1, " file", " files"))), size = 3.4, label.size = 0, fill = "#f3c98b", colour = "#22313f", lineheight = 0.9) +
  geom_text(data = unique(place[c("y", "layer")]), aes(-6.3, y, label = layer), hjust = 0, size = 3.6, colour = "#56646f") +
  scale_linewidth(range = c(0.3, 2), name = "functions called") + scale_colour_manual(values = c("FALSE" = "#2b6777", "TRUE" = "#b5481e"), labels = c("down", "up"), name = NULL) +
  theme_void(12) + theme(legend.position = "bottom", plot.background = element_rect(fill = "white", colour = NA), plot.margin = margin(12, 12, 12, 12))
ggsave("docs/architecture.png", figure, width = 12.8, height = 8, dpi = 100)
print(calls[calls$up, c("from", "to", "name")], row.names = FALSE)
