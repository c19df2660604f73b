# The known name nearest to a mistyped one, or none if none is near.
nearest_name <- function(name, known) {
  known <- setdiff(known, name)
  if (!length(known)) return(character())
  distance <- drop(utils::adist(name, known, ignore.case = TRUE))
  best <- which.min(distance)
  if (distance[best] <= max(1, nchar(name) %/% 3)) known[best] else character()
}

# The first few of many names, and how many more there are, for a message.
listed <- function(names, show = in_code, at_most = 8) {
  more <- length(names) - at_most
  if (more <= 1) return(cli::ansi_collapse(show(names)))
  paste0(paste(show(names[seq_len(at_most)]), collapse = ", "), " and ", format(more, big.mark = ","), " more")
}

in_code <- function(names) vapply(names, function(name) cli::format_inline("{.code {name}}", keep_whitespace = TRUE), "", USE.NAMES = FALSE)
in_quotes <- function(values) vapply(values, function(value) cli::format_inline("{.val {value}}", keep_whitespace = TRUE), "", USE.NAMES = FALSE)

# Code as one line of text.
one_line <- function(expr, width = 60L) {
  text <- gsub("[[:space:]]+", " ", paste(deparse(expr, width.cutoff = 500L), collapse = " "))
  if (nchar(text) > width) paste0(substr(text, 1, width - 1), "\u2026") else text
}

# "3,012 rows", "1 row".
counted <- function(n, one, many = paste0(one, "s")) {
  paste(format(n, big.mark = ",", scientific = FALSE, trim = TRUE), if (n == 1) one else many)
}

counted_rows <- function(n) counted(n, "row")

in_utf8 <- function(x) enc2utf8(as.character(x))

# A file beside another, as its path would be written.
in_folder_of <- function(path, name) if (dirname(path) == ".") name else file.path(dirname(path), name)
