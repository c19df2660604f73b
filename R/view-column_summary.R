#' Summarise columns
#'
#' @param x A data frame, or a rooted table from [open_table()].
#' @param ... Columns, chosen as shown in [all_columns()]: all by default.
#' @return A data frame of class `column_summary` with a row for each column: its name (`column`)
#'   and `type`, how many rows are `known` and `missing`, and how many `different` values there are.
#'   For numbers, dates and times: `mean`, `sd`, `min`, the quartiles `q1`, `median` and `q3` (as
#'   R's [stats::quantile()]) and `max`, as doubles; dates are days and times are seconds since
#'   1970-01-01. For text, categories and logical columns: the three most `frequent` values with
#'   their counts; of equally frequent values the first come first. When printed, dates are shown as
#'   dates, and values that are tiny beside the column's greatest value are shown as 0.
#' @section Errors:
#' `rowanroot_unknown_column`, `rowanroot_not_a_table`.
#' @examples
#' visits <- data.frame(
#'   hive = c("NB-01", "NB-02", "NB-01", NA), net_kg = c(25, 22.3, NA, 14.5),
#'   day = as.Date("2025-03-01") + 0:3
#' )
#' column_summary(visits)
#' as.data.frame(column_summary(visits, net_kg))
#' @export
column_summary <- function(x, ...) {
  call <- quote(column_summary())
  check_table(x, call)
  names <- column_names(x)
  if (...length()) {
    names <- choose_columns(choice_as_typed(substitute(list(...)), x, parent.frame(), call), names, parent.frame(),
                            call)
  }
  data <- if (is_in_database(x)) table_columns(x, names, call) else if (is_rooted_table(x)) table_data(x, call) else x
  data <- unclass(data)[names]
  rows <- lapply(names, function(name) summary_row(name, data[[name]]))
  result <- do.call(rbind, c(list(summary_row("", logical())[0, ]), rows))
  structure(result, models = lapply(data, utils::head, 0), class = c("column_summary", "data.frame"))
}

summary_row <- function(name, column) {
  is_plain <- is.atomic(column) && is.null(dim(column)) && !is.complex(column) && !is.raw(column)
  row <- data.frame(column = name, type = type_name(column), known = NROW(column), missing = 0, different = NA_real_)
  row[measures] <- NA_real_
  row$frequent <- NA_character_
  if (!is_plain) return(row)
  if (is_measured(column)) {
    found <- measured(column)
    row$different <- found$different
    row[measures] <- found$measures
    row$missing <- length(column) - found$known
  } else {
    groups <- group_rows_cpp(list(stored_values(column)), length(column), getOption("rowanroot.threads", 0L))
    first <- group_edges_cpp(groups$of_row, length(groups$sizes), FALSE)
    is_known <- !is.na(column[first])
    row$different <- sum(is_known)
    row$missing <- sum(as.numeric(groups$sizes[!is_known]))
    if (row$different > 0) row$frequent <- frequent_values(column[first][is_known], groups$sizes[is_known])
  }
  row$known <- row$known - row$missing
  row
}

is_measured <- function(column) {
  is.numeric(column) && !is.factor(column) || inherits(column, c("Date", "POSIXct", "difftime", "integer64"))
}

measures <- c("mean", "sd", "min", "q1", "median", "q3", "max")

summary_numbers <- c("known", "missing", "different", measures)

measured <- function(column) {
  threads <- getOption("rowanroot.threads", 0L)
  found <- distribution_cpp(stored_values(column), c(0, 0.25, 0.5, 0.75, 1), threads)
  if (found$known == 0) return(c(found, list(measures = rep(NA_real_, length(measures)))))
  c(found, list(measures = c(found$mean, if (found$known > 1) sqrt(found$variance) else NA_real_, found$quantiles)))
}

frequent_values <- function(values, counts) {
  top <- utils::head(order(-counts, method = "radix"), 3)
  paste0(shown_cell(as.character(values[top])), " (", format(counts[top], big.mark = ",", trim = TRUE), ")",
         collapse = ", ")
}

#' @export
`[.column_summary` <- function(x, ...) as.data.frame(x)[...]

#' @export
as.data.frame.column_summary <- function(x, ...) {
  attr(x, "models") <- NULL
  class(x) <- "data.frame"
  x
}
