# The known name nearest to a mistyped one, or none if none is near.
nearest_name <- function(name, known) {
  known <- setdiff(known, name)
  if (!length(known) || !validUTF8(name)) return(character())
  distance <- drop(utils::adist(name, known, ignore.case = TRUE))
  best <- which.min(distance)
  if (distance[best] <= max(1, nchar(name) %/% 3)) known[best] else character()
}

# The first few of many names, and how many more there are, for a message.
listed <- function(names, show = in_code, at_most = 8) {
  more <- length(names) - at_most
  if (more <= 1) return(in_a_sentence(show(names)))
  paste0(paste(show(names[seq_len(at_most)]), collapse = ", "), " and ", format(more, big.mark = ","), " more")
}

# "a", "a and b", "a, b and c".
in_a_sentence <- function(texts, word = "and") {
  last <- length(texts)
  if (last < 2) return(paste(texts))
  paste(paste(texts[-last], collapse = ", "), word, texts[last])
}

in_code <- function(names) in_format(names, "{.code {one}}")

in_quotes <- function(values) in_format(values, "{.val {one}}")

in_format <- function(values, format) {
  vapply(values, function(one) cli::format_inline(format, keep_whitespace = TRUE), "", USE.NAMES = FALSE)
}

# Text of several lines as one.
one_text <- function(text) gsub("[[:space:]]+", " ", paste(text, collapse = " "))

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

# What a text may hold to mislead whoever reads it in a terminal or on a page: control characters, and those that
# turn the direction of writing. Each is shown as it is written in code.
misleading <- c(1:8, 11:31, 127:159, 0x200e, 0x200f, 0x202a:0x202e, 0x2066:0x2069)

shown <- function(text) {
  if (!is.character(text)) return(text)
  text <- enc2utf8(text)
  broken <- !validUTF8(text)
  text[broken] <- iconv(text[broken], "UTF-8", "UTF-8", sub = "byte")
  pattern <- paste0("[", intToUtf8(misleading), "]")
  has_some <- grepl(pattern, text, perl = TRUE)
  for (code in if (any(has_some)) intersect(misleading, utf8ToInt(paste(text[has_some], collapse = "")))) {
    written <- if (code == 27) "\\033" else sprintf("\\u%04x", code)
    text[has_some] <- gsub(intToUtf8(code), written, text[has_some], fixed = TRUE)
  }
  text
}

# In one line, too.
shown_cell <- function(text) shown(encodeString(text))

# All texts of a list.
shown_parts <- function(x) {
  class <- class(x)
  structure(rapply(unclass(x), shown, classes = "character", how = "replace"), class = class)
}

# Prints lines, in which only colours, such as our own, are signs to the terminal.
print_lines <- function(lines) {
  style <- "\033\\[[0-9;]*m"
  styles <- gregexpr(style, lines, perl = TRUE)
  texts <- regmatches(lines, styles, invert = TRUE)
  signs <- regmatches(lines, styles)
  lines <- mapply(function(texts, signs) paste0(c(rbind(shown(texts), c(signs, ""))), collapse = ""), texts, signs)
  cat(as.character(lines), sep = "\n")
}

# One value as people read it.
value_text <- function(value) {
  if (is.list(value)) return(one_line(value))
  if (length(value) != 1 || is.na(value)) return(if (is.numeric(value) && is.nan(value)) "NaN" else "NA")
  if (is.factor(value) || is.character(value)) return(quoted(as.character(value)))
  if (is.numeric(value) && !is.object(value)) return(format(value, digits = 7))
  as.character(value)
}

names_or_none <- function(x) if (is.null(names(x))) rep("", length(x)) else names(x)

quoted <- function(text) encodeString(in_utf8(text), quote = '"')

format_value <- function(value) if (is.character(value)) quoted(value) else format(value, digits = 15)

# The name of a table if it has one, cut to fit beside the other.
short_title <- function(typed, otherwise) if (is.symbol(typed)) one_line(typed, 30L) else otherwise

shown_each <- function(x, digits) {
  if (!is.atomic(x) || !is.null(dim(x))) return(rep("...", NROW(x)))
  vapply(seq_along(x), function(k) {
    if (is.na(x[k])) "missing" else if (is.character(x) ||
                                        is.factor(x)) quoted(as.character(x[k])) else trimws(format(x[k],
                                            digits = digits))
  }, "")
}

# A character for terminals that show it, another for those that do not.
mark <- function(utf8, ascii) if (cli::is_utf8_output()) utf8 else ascii

arrow <- function() mark("\u2192", "->")

# How many levels a piece of code has, found without walking down them.
code_levels <- function(expr) code_levels_cpp(expr)
