#' Write a report on a table
#'
#' Writes one self-contained HTML file: what the table was read from, its steps in words, the
#' lineage, each new column with its distribution beside the columns it came from, checks, what
#' changed since the output was last made, times and versions. It has a light and a dark style, can
#' be printed, and can be sent to a colleague.
#'
#' Ranks are shown as ordered bars, running words as a line for each group. Everything that comes
#' from the data is escaped, including names.
#'
#' @param x A rooted table from [open_table()].
#' @param to The path of the file to write, which ends in `.html`. An existing file is replaced.
#' @param title The title of the report; by default what the table is read from.
#' @return The path of the file, invisibly.
#' @section Errors: `rowanroot_not_a_table`; `rowanroot_cannot_write` for a folder that does not
#'   exist or can't be written to; `rowanroot_bad_argument`; `rowanroot_missing_package`, as figures
#'   and pages need the packages ggplot2 and htmltools.
#' @examplesIf requireNamespace("ggplot2", quietly = TRUE) && requireNamespace("htmltools", quietly = TRUE)
#' visits <- data.frame(hive = c("NB-01", "NB-02", "SH-01"), gross_kg = c(31, 28.5, 20), tare_kg = 6)
#' yield <- open_table(visits) |>
#'   set_columns({ net_kg <- gross_kg - tare_kg }) |>
#'   must_hold("net weight is positive" = net_kg > 0)
#' file <- tempfile(fileext = ".html")
#' report(yield, file)
#' unlink(file)
#' @export
report <- function(x, to, title = NULL) {
  call <- quote(report())
  check_rooted(x, call)
  if (missing(to)) {
    stop_because(c("Which file?", "try" = "{.code report(x, \"report.html\")}"), "bad_argument", call)
  }
  check_report_file(to, call)
  if (!is.null(title) && !rlang::is_string(title)) {
    stop_because("{.arg title} must be one text, not {what_is(title)}.", "bad_argument", call)
  }
  table <- current_table(x, call)
  parts <- reported_parts(table, call)
  write_page(if (is.null(title)) source_title(rooted(table)$source) else title,
             list(report_of_table(parts, heading = NULL)), to, call)
  invisible(to)
}

check_report_file <- function(file, call) {
  check_package(c("ggplot2", "htmltools"), "Reports", call)
  check_path(file, "to", call, several = FALSE)
  if (!path_ending(file) %in% c("html", "htm")) {
    stop_because(c("A report must be an HTML file.", "found" = "{.file {file}} does not end in {.code .html}."),
                 "bad_argument", call)
  }
  if (!dir.exists(dirname(file))) {
    stop_because(c("There is no folder {.file {dirname(file)}}.",
                   "try" = "Create the folder first, or write the report elsewhere."), "cannot_write", call,
                     path = file)
  }
  if (file.access(dirname(file), 2) != 0) {
    stop_because("Can't write to the folder {.file {dirname(file)}}.", "cannot_write", call, path = file)
  }
}

# Everything that is reported about a table. Its steps are run one by one, for the time and the warnings of each.
reported_parts <- function(x, call) {
  source <- rooted(x)$source
  parts <- source_parts(source, call)
  times <- list()
  timed <- function(what, code) {
    took <- system.time(value <- code)[["elapsed"]]
    times[[length(times) + 1]] <<- data.frame(what = what, seconds = took)
    value
  }
  read <- timed("reading", source_data(source, parts, source_columns(source, call), call))
  data <- read
  warned <- list()
  for (k in seq_along(rooted(x)$steps)) {
    step <- rooted(x)$steps[[k]]
    data <- withCallingHandlers(timed(paste("step", k), execute(default_engine(), step, data, call)),
                                warning = function(w) {
      warned <<- c(warned, list(list(step = k, text = conditionMessage(w), broken = w$broken)))
      tryInvokeRestart("muffleWarning")
    })
  }
  list(table = x, read = read, data = data, times = do.call(rbind, times), warned = warned, lineage = lineage(x),
       origins = table_origins(x))
}

# Made of the parts: a list of tags. Without a heading it is the only table of the page; else it has a number there.
report_of_table <- function(found, heading, changed = NULL, number = NULL) {
  t <- htmltools::tags
  # Below the heading of the page, and that of the table.
  levels <- if (is.null(heading)) list(t$h2, t$h3) else list(t$h3, t$h4)
  x <- found$table
  made <- intersect(rooted(x)$columns, names(found$origins))
  sections <- list(
    list("Inputs", inputs_section(found)),
    list("Steps", steps_section(x, found)),
    list("Lineage", if (length(rooted(x)$steps)) figure_tag(plot(found$lineage), lineage_in_words(found$lineage), 11,
                                                          max(3, min(9, 1.5 +
                                                              0.45 * sum(found$lineage$nodes$kind != "file"))),
                                                          "lineage")),
    list("New columns", if (length(made)) new_columns_section(made, found, levels[[2]])),
    list("Checks", checks_section(found)),
    list("What changed", changed_section(changed)),
    list("Times and versions", times_section(found))
  )
  sections <- Filter(function(one) !is.null(one[[2]]), sections)
  size <- paste0(counted_rows(nrow(found$data)), ", ", counted(length(found$data), "column"))
  id <- function(name) paste(c(if (!is.null(number)) paste0("table-", number), gsub(" ", "-", tolower(name))),
                             collapse = "-")
  list(
    if (!is.null(heading)) t$h2(id = id(NULL), shown(heading)),
    t$p(class = "soft", paste0(source_title(rooted(x)$source), ": ", size)),
    t$nav(`aria-label` = paste(c("Parts of the report", heading), collapse = ": "),
          t$ul(lapply(sections, function(one) t$li(t$a(href = paste0("#", id(one[[1]])), one[[1]]))))),
    lapply(sections, function(one) t$section(`aria-labelledby` = id(one[[1]]),
                                             levels[[1]](id = id(one[[1]]), one[[1]]), one[[2]]))
  )
}

# Figures take time: of many columns only the first are drawn, and all others stand in a table.
most_drawn <- 6

new_columns_section <- function(made, found, heading) {
  drawn <- if (length(made) <= most_drawn + 4) made else utils::head(made, most_drawn)
  others <- setdiff(made, drawn)
  list(htmltools::tags$div(class = "columns", lapply(drawn, column_card, found = found, heading = heading)),
       if (length(others)) others_table(others, found))
}

others_table <- function(names, found) {
  summaries <- do.call(rbind, lapply(names, function(name) summary_row(name, found$data[[name]])))
  number <- function(values, digits) ifelse(is.na(values), "", format(signif(values, digits), trim = TRUE))
  formulas <- vapply(names, function(name) formula_of(found$lineage$nodes, name), "")
  ranges <- vapply(names, function(name) if (is.numeric(found$data[[name]])) range_text(found$data[[name]]) else "", "")
  about <- data.frame(Column = shown(names), Formula = ifelse(is.na(formulas), "", formulas), Type = summaries$type,
                      Missing = vapply(names, function(name) format(sum(is.na(found$data[[name]])), big.mark = ","),
                                       ""),
                      Mean = vapply(summaries$mean, number, "", digits = 5),
                        Sd = vapply(summaries$sd, number, "", digits = 3), Range = ranges)
  names(about)[6:7] <- c("Standard deviation", "Least to greatest")
  table_tag(about, paste("The other", counted(length(names), "new column")),
            number = c("Missing", "Mean", "Standard deviation"))
}

inputs_section <- function(found) {
  source <- rooted(found$table)$source
  files <- if (inherits(source, "file_source")) source_files(source, NULL)
  about <- if (!is.null(files)) {
    info <- file.info(files$path, extra_cols = FALSE)
    data.frame(File = files$name, `Size in kB` = format(round(info$size / 1000, 1), big.mark = ",", nsmall = 1),
               Changed = format(info$mtime, "%Y-%m-%d %H:%M"), check.names = FALSE)
  } else data.frame(Source = source_title(source))
  shown <- utils::head(about, 40)
  list(table_tag(shown, paste0(counted_rows(nrow(found$read)), " read"), number = "Size in kB"),
       if (nrow(about) > 40) htmltools::tags$p(class = "soft", paste("and", nrow(about) - 40, "more files")))
}

steps_section <- function(x, found) {
  t <- htmltools::tags
  steps <- lapply(rooted(x)$steps, function(step) call_in_words(step$typed_call))
  if (!length(steps)) return(t$p("There are no steps."))
  t$ol(class = "steps", lapply(seq_along(steps), function(k) {
    warned <- Filter(function(one) one$step == k && is.null(one$broken), found$warned)
    t$li(lapply(steps[[k]], t$p), t$p(class = "soft", paste0(format(signif(found$times$seconds[k + 1], 2)), " s")),
         lapply(warned, function(one) t$p(class = "broken", paste("Warning:", one$text))))
  }))
}

lineage_in_words <- function(graph) {
  edges <- as.data.frame(graph)
  edges <- edges[!is.na(edges$formula), ]
  paste("What each column is made from:", paste(vapply(unique(edges$to),
                                                       function(to) paste(to, "from",
                                                           paste(edges$from[edges$to == to], collapse = ", ")), ""),
                                                collapse = "; "))
}

# A column: its formula, what is missing before and after, a summary and figures.
column_card <- function(name, found, heading) {
  t <- htmltools::tags
  formula <- formula_of(found$lineage$nodes, name)
  code <- if (!is.na(formula)) t$pre(t$code(formula, .noWS = "outside"), .noWS = "inside")
  t$article(class = "card", heading(shown(name)), code, t$dl(column_facts(name, found)), column_figures(name, found))
}

# Terms and what they are of the column, as tags.
column_facts <- function(name, found) {
  values <- found$data[[name]]
  summary <- summary_row(name, values)
  is_measured <- !is.na(summary$mean) && is.numeric(values)
  facts <- c(
    type = summary$type, missing = missing_text(name, found),
    "different values" = format(summary$different, big.mark = ","),
    if (is_measured) c("mean, sd" = paste(format(signif(summary$mean, 5)), format(signif(summary$sd, 3)), sep = ", "),
                       "least to greatest" = range_text(values)),
    if (!is.na(summary$frequent)) c("most frequent" = summary$frequent)
  )
  unname(Map(function(term, fact) list(htmltools::tags$dt(term), htmltools::tags$dd(fact)), names(facts), facts))
}

# How many values are missing, and how many of the columns that it is made from.
missing_text <- function(name, found) {
  missing <- function(one) format(sum(is.na(found$data[[one]])), big.mark = ",")
  from <- intersect(found$origins[[name]], names(found$data))
  of_each <- paste(from, vapply(from, missing, ""), collapse = ", ")
  paste0(missing(name), if (length(from)) paste0(" (", of_each, ")"))
}

column_figures <- function(name, found) {
  data <- found$data
  formula <- formula_drawn(found$table, name)
  what <- if (is.numeric(data[[name]])) formula$what else "other"
  spread <- plot_column_data(data, name, found$origins[[name]])
  spread <- figure_tag(untitled(spread), paste("Distribution of", name), 6.4, 2.6)
  if (identical(what, "running")) {
    running <- plot_running_data(data, name, along_drawn(formula, data), within_drawn(formula, data), formula$text)
    running <- running + ggplot2::labs(title = NULL)
    return(list(spread, figure_tag(running, paste0(name, ": ", running$labels$subtitle), 6.4, 2.8)))
  }
  if (!identical(what, "ranking")) return(list(spread))
  by <- Find(function(one) is.numeric(data[[one]]), intersect(found$origins[[name]], names(data)))
  ranks <- plot_ranking_data(data, name, 10, NULL, by)
  list(spread, figure_tag(untitled(ranks), paste("The best ranks of", name), 6.4, 2.8))
}

# In a card the name stands above.
untitled <- function(figure) figure + ggplot2::labs(title = NULL, subtitle = NULL)

formula_of <- function(nodes, name) {
  utils::tail(c(NA_character_, nodes$formula[nodes$name == name & nodes$kind == "column"]), 1)
}

range_text <- function(values) {
  known <- values[!is.na(values)]
  if (length(known)) paste(value_text(min(known)), "to", value_text(max(known))) else "none"
}

checks_section <- function(found) {
  rows <- list()
  for (k in seq_along(rooted(found$table)$steps)) {
    broken <- do.call(rbind, lapply(Filter(function(one) one$step == k, found$warned), `[[`, "broken"))
    for (check in step_checks(rooted(found$table)$steps[[k]])) {
      hit <- match(check$title, broken$name)
      result <- if (is.na(hit)) "holds" else paste("broken in", counted_rows(broken$rows[hit]))
      rows[[length(rows) + 1]] <- data.frame(Check = check$title, Formula = check$formula, Result = result)
    }
  }
  if (length(rows)) table_tag(do.call(rbind, rows), "What must or should hold", result = "Result")
}

changed_section <- function(changed) {
  if (is.null(changed)) return(NULL)
  t <- htmltools::tags
  columns <- as.data.frame(changed)
  differs <- columns[columns$status != "same", ]
  rows <- paste0(counted_rows(nrow(changed$added)), " added, ", counted_rows(nrow(changed$removed)), " removed")
  if (!nrow(differs)) return(t$p(paste0("No column differs from the previous output; ", rows, ".")))
  shown <- data.frame(Column = differs[[1]], What = differs$status,
                      Rows = ifelse(is.na(differs$rows), "", format(differs$rows, big.mark = ",", trim = TRUE)),
                      Examples = ifelse(is.na(differs$examples), "", differs$examples))
  list(t$p(rows), table_tag(shown, "Columns that differ from the previous output", number = "Rows"))
}

times_section <- function(found) {
  versions <- data.frame(What = c("rowanroot", "R", "made"),
                         Version = c(as.character(utils::packageVersion("rowanroot")), as.character(getRversion()),
                                     format(Sys.time(), "%Y-%m-%d %H:%M")))
  took <- data.frame(What = found$times$what, Seconds = format(signif(found$times$seconds, 2), trim = TRUE))
  list(table_tag(took, "Time taken", number = "Seconds"), table_tag(versions, "Made with"))
}
