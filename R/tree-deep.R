# Formulas of very many levels, such as a chain of 2,000 `+`, which programs write. R's own calls for each level of a
# tree would fill its stack. So they are cut into parts of a few levels, each a shared node: the innermost is bound
# first, and looked at first by all that walks through the tree, after which it is known.

# Syntax through which a formula is cut, besides words that go row by row: each of their arguments has a value for
# each row.
syntax_seen_through <- c("(", "if", "ifelse")

levels_of_part <- 20
most_levels <- 5000

# How many levels a piece of code has is found without walking down them.
has_many_levels <- function(expr) {
  levels <- code_levels(expr)
  if (levels > most_levels) stop_too_deep(levels)
  levels > 2 * levels_of_part
}

stop_too_deep <- function(levels) {
  shown <- format(c(most_levels, levels), big.mark = ",", trim = TRUE)
  stop_because(c("A formula can have {shown[1]} levels at most, and this one has {shown[2]}.",
                 "try" = "Give parts of it lines of their own, as scratch columns: {.code .part <- \u2026}.",
                 "try" = "For a long list of values use {.code look_up()}."), "bad_formula")
}

bind_deep <- function(expr, scope) {
  parts <- list()
  cut <- function(expr) {
    part <- new_shared(bind_formula(expr, scope))
    if (part$kind == "shared") parts[[length(parts) + 1]] <<- part
    name <- paste0("\u2026", length(scope$locals) + 1)
    scope$locals[[name]] <<- part
    as.name(name)
  }
  node <- bind_formula(cut_code(expr, cut, scope$seen_through), scope)
  new_deep(parts, node, expr)
}

# The code with its parts of some levels replaced by what `cut` gives for them, from within. The way back up is kept
# in a list.
cut_code <- function(expr, cut, seen_through) {
  new_frame <- function(expr) list2env(list(expr = expr, at = 1L, levels = 0L))
  way <- list(new_frame(expr))
  repeat {
    frame <- way[[length(way)]]
    if (frame$at < length(frame$expr)) {
      frame$at <- frame$at + 1L
      part <- frame$expr[[frame$at]]
      if (is.call(part) && match(head_name(part), seen_through, 0L)) way[[length(way) + 1]] <- new_frame(part)
      next
    }
    done <- frame$expr
    levels <- frame$levels + 1L
    if (length(way) == 1) return(done)
    if (levels >= levels_of_part) {
      done <- cut(done)
      levels <- 0L
    }
    way[[length(way)]] <- NULL
    above <- way[[length(way)]]
    above$expr[[above$at]] <- done
    above$levels <- max(above$levels, levels)
  }
}

