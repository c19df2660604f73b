# Writes docs/guides/: the vignettes as Markdown, with what they print and their figures.
#   Rscript tools/guides.R
guides <- list.files("vignettes", "[.]Rmd$", full.names = TRUE)
to <- file.path(getwd(), "docs", "guides")
unlink(to, recursive = TRUE)
dir.create(to, recursive = TRUE)
options(width = 100, cli.num_colors = 1L)

title_of <- function(lines) gsub("^title: \"|\"$", "", grep("^title: ", lines, value = TRUE)[1])

for (guide in guides) {
  lines <- readLines(guide)
  name <- sub("[.]Rmd$", "", basename(guide))
  body <- lines[-seq_len(which(lines == "---")[2])]
  space <- new.env(parent = globalenv())
  knitr::opts_knit$set(base.dir = NULL, root.dir = NULL, out.format = "markdown")
  knitr::opts_chunk$set(fig.path = file.path(to, paste0(name, "-")), dpi = 96, fig.width = 7, fig.height = 4.5)
  text <- knitr::knit(text = body, envir = space, quiet = TRUE)
  # Figures are beside the page.
  text <- gsub(paste0(to, "/"), "", text, fixed = TRUE)
  text <- gsub("\n{3,}", "\n\n", paste(c(paste("#", title_of(lines)), "", text), collapse = "\n"))
  writeLines(text, file.path(to, paste0(name, ".md")))
  knitr::opts_chunk$restore()
  cat(name, "\n")
}
