# How a routine looks.

#' @export
format.routine <- function(x, width = cli::console_width(), ...) {
  title <- if (!length(x$steps)) "Routine without steps" else paste("Routine of", counted(length(x$steps), "step"))
  learned <- lapply(seq_along(x$steps), function(k) vapply(x$learned[[k]], learned_text, ""))
  c(cli::style_bold(paste0(title, if (!is.null(x$of)) paste0(", calibrated on ", x$of))),
    numbered_steps(lapply(x$steps, call_in_words), learned, width))
}

#' @export
print.routine <- function(x, width = cli::console_width(), ...) {
  print_lines(format(x, width = width))
  invisible(x)
}

# Below the lines of a step stands what was learned in it.
numbered_steps <- function(steps, learned, width) {
  numbers <- format(paste0(seq_along(steps), "."))
  indent <- if (length(numbers)) nchar(numbers[1]) + 1 else 0
  unlist(lapply(seq_along(steps), function(k) {
    lines <- unlist(lapply(steps[[k]], strwrap, width = width - indent, exdent = 2))
    below <- unlist(lapply(learned[[k]], strwrap, width = width - indent - 4, exdent = 2))
    c(paste(numbers[k], lines[1]), paste0(strrep(" ", indent),
                                          c(lines[-1], if (length(below)) paste0("    ", cli::col_grey(below))),
                                          recycle0 = TRUE))
  }))
}
