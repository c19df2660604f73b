# How a comparison of tables looks.

#' @export
format.table_comparison <- function(x, width = cli::console_width(), ...) {
  changed <- changed_part(x)
  parts <- list(cli::style_bold(comparison_title(x)), wrapped(rows_text(x), width),
                unlist(lapply(columns_text(x), wrapped, width = width)),
                if (length(changed)) format_side_by_side(changed, "rows", width), wrapped(same_text(x), width))
  unlist(lapply(parts[lengths(parts) > 0], function(lines) c(lines, "")))
}

# What is shown of the columns that changed: text for text.
changed_part <- function(x) {
  changed <- x$columns[x$columns$status == "changed", ]
  if (!nrow(changed)) return(NULL)
  list(changed = changed$column, rows = shown_count(changed$rows), `largest change` = largest_text(changed),
       `first changes` = change_text(changed))
}

comparison_title <- function(x) {
  columns <- c(before = sum(x$columns$status != "added"), after = sum(x$columns$status != "removed"))
  paste0(x$titles, ": ", vapply(x$rows, counted_rows, ""), ", ", vapply(columns, counted, "", one = "column"),
         collapse = paste0("  ", arrow(), "  "))
}

rows_text <- function(x) {
  if (is.na(x$both)) {
    return("The tables have different numbers of rows. Give a key, `by`, to match rows and compare their values.")
  }
  if (!length(x$by)) return(character())
  only <- function(rows, title) if (nrow(rows)) paste0(counted_rows(nrow(rows)), " only in ", title, " (",
                                                       first_keys(rows, x$by), ")")
  paste0(paste(c(paste0(counted_rows(x$both), " in both, matched by ", paste(x$by, collapse = ", "),
                        if (x$moved) ", in a different order"), only(x$added, x$titles[["after"]]),
                 only(x$removed, x$titles[["before"]])), collapse = "; "), ".")
}

first_keys <- function(rows, by) {
  shown <- vapply(seq_len(min(3, nrow(rows))), key_text, "", keys = as.list(rows)[by])
  paste0(paste(shown, collapse = "; "), if (nrow(rows) > 3) paste0("; ", mark("\u2026", "...")))
}

columns_text <- function(x) {
  unlist(lapply(c("added", "removed"), function(status) {
    found <- x$columns[x$columns$status == status, ]
    types <- if (status == "added") found$type_after else found$type_before
    if (nrow(found)) {
      paste0(c(added = "Added: ", removed = "Removed: ")[[status]],
             paste0(shown_cell(found$column), " (", types, ")", collapse = ", "))
    }
  }))
}

largest_text <- function(changed) {
  unit <- ifelse(changed$type_after == "date", " days", ifelse(changed$type_after == "time", " s", ""))
  sign <- ifelse(changed$largest > 0, "+", "")
  ifelse(is.na(changed$largest), "", paste0(sign, vapply(changed$largest, format, "", digits = 5, big.mark = ","),
                                            unit, " (", changed$at, ")"))
}

change_text <- function(changed) {
  retyped <- changed$type_before != changed$type_after
  paste0(ifelse(retyped, paste0(changed$type_before, " ", arrow(), " ", changed$type_after,
                                ifelse(changed$rows, ": ", "")), ""),
         ifelse(is.na(changed$examples), "", changed$examples))
}

same_text <- function(x) {
  if (is.na(x$both)) return(character())
  same <- sum(x$columns$status == "same") - length(x$by)
  others <- sum(x$columns$status != "same")
  if (!same && !others) return("There are no columns to compare.")
  turned <- if (x$turned) "The columns are in a different order."
  if (!same) return(as.character(turned))
  paste0(c(paste0(if (same == 1) "1 column is" else paste(same, "columns are"), " the same",
                  if (x$both < max(x$rows)) " in the rows of both", "."), turned), collapse = " ")
}

#' @export
print.table_comparison <- function(x, width = cli::console_width(), ...) {
  print_lines(cli::ansi_trimws(utils::head(format(x, width = width), -1), "right"))
  invisible(x)
}
