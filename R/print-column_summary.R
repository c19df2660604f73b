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
  finite <- values[is.finite(values)]
  values[abs(values) < 1e-12 * max(abs(finite), 0)] <- 0
  vapply(values, shown_measure, "", places = decimal_places(values, model))
}

# How many decimal places the values of a column have, judged by the measures that are values of it: none for whole
# numbers, and NA of measurements that have more than six.
decimal_places <- function(values, model) {
  if (is.integer(model)) return(0)
  places_of <- function(value) match(TRUE, abs(round(value, 0:6) - value) <= 1e-12 * abs(value)) - 1
  among <- vapply(values[c("min", "q1", "median", "q3", "max")], places_of, 0)
  if (all(is.finite(among[!is.na(values[names(among)])]))) max(among[c("min", "max")]) else NA
}

# A whole number is shown as it is. Others have two places more than the column's values (six at most) and three digits;
# those of a column of measurements five digits.
shown_measure <- function(value, places) {
  if (is.na(value)) return("")
  if (!is.finite(value)) return(format(value))
  if (value != 0 && (abs(value) >= 1e15 || abs(value) < 1e-4)) return(format(signif(value, 5), scientific = TRUE))
  digits_before <- if (value == 0) 1 else floor(log10(abs(value))) + 1
  shown_places <- if (is.na(places)) max(0, 5 - digits_before) else max(min(places + 2, 6), 3 - digits_before)
  value <- round(value, shown_places)
  # Years and other numbers of four digits need no mark.
  format(value, digits = 15, big.mark = if (abs(value) >= 1e4) "," else "", scientific = FALSE)
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
