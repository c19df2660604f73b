# What a routine has learned, in words.

# "mean(net_kg) is 9.74".
learned_text <- function(one) {
  if (one$way == "levels") return(paste0(one$label, ": ", listed(one$value, quoted)))
  values <- shown_each(one$value, 7)
  if (!length(one$keys)) return(paste(one$label, "is", values))
  shown <- utils::head(seq_along(values), 4)
  of_each <- paste(vapply(shown, key_text, "", keys = one$keys), values[shown])
  paste0(one$label, ": ", paste(of_each, collapse = "; "),
         if (length(values) > 4) paste0("; and ", length(values) - 4, " more"))
}
