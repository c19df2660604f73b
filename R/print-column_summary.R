# How a summary of columns looks.

#' @export
format.column_summary <- function(x, width = cli::console_width(), ...) {
  parts <- summary_parts(x)
  if (!length(parts)) return(no_columns)
  lines <- lapply(parts, function(part) c(format_side_by_side(part, summary_numbers, width), ""))
  utils::head(unlist(lines), -1)
}

no_columns <- "There are no columns."

# What is shown of columns of numbers, and of the others: text for text.
summary_parts <- function(x) {
  models <- attr(x, "models")
  data <- as.data.frame(x)
  is_number <- vapply(models, is_measured, NA)
  counts <- function(rows) c(list(column = data$column[rows], type = data$type[rows]),
                             lapply(data[rows, c("known", "missing", "different")], shown_count))
  numbers <- Map(function(row, model) shown_measures(unlist(data[row, measures]), model), which(is_number),
                 models[is_number])
  numbers <- lapply(stats::setNames(nm = measures), function(name) vapply(numbers, `[[`, "", name))
  texts <- list(`most frequent` = ifelse(is.na(data$frequent[!is_number]), "", data$frequent[!is_number]))
  c(if (any(is_number)) list(c(counts(is_number), numbers)), if (!all(is_number)) list(c(counts(!is_number), texts)))
}

# Beside the greatest values of the column rounding leaves 0.
shown_measures <- function(values, model) {
  if (inherits(model, c("Date", "POSIXct"))) {
    shown <- vapply(values, shown_moment, "", model = model)
    days <- if (inherits(model, "Date")) values[["sd"]] else values[["sd"]] / 86400
    shown[["sd"]] <- if (is.na(days)) "" else paste(format(days, digits = 3), "days")
    return(shown)
  }
  values[abs(values) < 1e-12 * max(abs(values), 0, na.rm = TRUE)] <- 0
  vapply(values, function(value) {
    far <- is.finite(value) && value != 0 && (abs(value) >= 1e15 || abs(value) < 1e-4)
    # A whole number is a value, and shown as it is; others are rounded.
    if (is.na(value)) "" else if (!far && value == floor(value)) format(value, big.mark = ",",
        scientific = FALSE) else format(signif(value, 5), digits = 5, big.mark = ",", scientific = far)
  }, "")
}

shown_moment <- function(value, model) {
  if (is.na(value)) return("")
  if (inherits(model, "Date")) return(format(structure(floor(value), class = "Date")))
  zone <- attr(model, "tzone")[1]
  format(structure(value, class = c("POSIXct", "POSIXt")), "%Y-%m-%d %H:%M", tz = if (is.null(zone)) "" else zone)
}

#' @export
print.column_summary <- function(x, width = cli::console_width(), ...) {
  print_lines(cli::ansi_trimws(format(x, width = width), "right"))
  invisible(x)
}
