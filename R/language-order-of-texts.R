# Which of two texts comes first: by the code points of their characters, as in ranks and sorts, so that a result does
# not depend on the machine's language.

# The numbers of the texts in their order. A column beside one text is looked at once for each different text.
compared_texts <- function(a, b, compare) {
  column <- if (length(b) == 1) a else if (length(a) == 1) b
  different <- if (is.character(column)) different_texts_cpp(column)
  if (is.null(different)) {
    codes <- text_codes_cpp(c(as.character(a), as.character(b)), getOption("rowanroot.threads", 0L))
    return(compare(codes[seq_along(a)], codes[length(a) + seq_along(b)]))
  }
  compared <- if (length(b) == 1) compared_texts(different$texts, b, compare)
              else compared_texts(a, different$texts, compare)
  compared[different$of_row]
}

text_of_two <- function(a, b, compare, skip_missing) {
  rows <- if (length(a) && length(b)) max(length(a), length(b)) else 0L
  a <- rep_len(as.character(a), rows)
  b <- rep_len(as.character(b), rows)
  first <- compared_texts(a, b, compare)
  if (skip_missing) first <- ifelse(is.na(a) | is.na(b), is.na(b), first)
  ifelse(first, a, b)
}

# The first or the last text of a column, as R's min() and max() are called.
edge_text <- function(fun, last) {
  function(x, na.rm = FALSE) {
    if (na.rm) x <- x[!is.na(x)]
    if (!length(x)) return(fun(x))
    if (anyNA(x)) return(NA_character_)
    sort(unique(x), method = "radix", decreasing = last)[1]
  }
}
