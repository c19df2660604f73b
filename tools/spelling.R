# Checks the spelling of help pages, guides, README, NEWS and messages with hunspell and tools/words.txt, our own words.
#   Rscript tools/spelling.R
guides <- c("README.md", "NEWS.md", "CONTRIBUTING.md", Sys.glob("vignettes/*.Rmd"), Sys.glob("docs/*.md"))

# Markdown without code, links and names of columns.
prose_of <- function(file) {
  lines <- readLines(file, encoding = "UTF-8")
  fences <- grepl("^\\s*(```|---$)", lines)
  lines[cumsum(fences) %% 2 == 1 | fences] <- ""
  text <- gsub("`[^`]*`|\\]\\([^)]*\\)|<[^>]*>|https?:\\S*", " ", paste(lines, collapse = "\n"))
  path <- file.path(tempdir(), gsub("/", "-", file))
  writeLines(text, path)
  path
}

words <- tempfile(fileext = ".rds")
saveRDS(readLines("tools/words.txt"), words)
check <- function(files, filter) {
  found <- utils::aspell(files, filter, control = "-d en_GB", program = "hunspell", dictionaries = words)
  found <- found[!found$Original %in% readLines("tools/words.txt"), ]
  if (nrow(found)) paste0(basename(found$File), ":", found$Line, ": ", found$Original)
}
wrong <- c(check(Sys.glob("man/*.Rd"), "Rd"), check(vapply(guides, prose_of, ""), NULL))
cat(if (length(wrong)) wrong else "No unknown word.", sep = "\n")
quit(status = if (length(wrong)) 1 else 0)
