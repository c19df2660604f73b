# Is an output up to date, and if not, why?

# The state of an output: "up to date", "missing" (not made yet), "out of date", or "foreign" (there is a file, but
# it is not the one that was written). `why` has a line for each reason.
output_state <- function(target, now) {
  if (!target_exists(target)) return(list(state = "missing", why = "it is not there yet"))
  records <- output_records(now$output)
  record <- content_record(target, records)
  if (is.null(record)) return(list(state = "foreign", why = why_foreign(target, records)))
  if (!is.null(record$incomplete)) return(list(state = "out of date", why = record$incomplete, record = record))
  if (isTRUE(record$drawn)) {
    return(list(state = "out of date", why = "a function of it draws random numbers", record = record))
  }
  if (identical(record$key, now$key)) return(list(state = "up to date", why = character()))
  list(state = "out of date", why = what_changed(with_details(record), now), record = record)
}

# The reasons why what is made now differs from what was made then.
what_changed <- function(then, now) {
  settings <- changed_settings(then$settings, now$settings)
  lines <- changed_lines(then$lines, now$lines)
  # What R's functions give depends on settings, so that the keys of lines have changed with them.
  if (length(settings)) lines <- lines[!startsWith(lines, "a value or a function changed")]
  why <- c(changed_parts(inputs_of(then), inputs_of(now)), settings, lines)
  if (length(why)) return(why)
  if (!identical(then$rowanroot, now$rowanroot) || !identical(then$r, now$r)) {
    return("R or a package has another version")
  }
  if (!identical(then$source, now$source)) return("how the input is read changed")
  if (!identical(isTRUE(then$guarded), isTRUE(now$guarded))) return("guard_formulas changed")
  if (!identical(then$parts, now$parts)) return("parts changed")
  "the order of inputs or steps changed"
}

changed_settings <- function(then, now) {
  words <- c(digits = "options(digits)", decimals = "options(OutDec)", scipen = "options(scipen)",
             zone = "the time zone", locale = "the language")
  differ <- intersect(names(words)[vapply(names(words), function(name) !identical(then[[name]], now[[name]]), NA)],
                      names(then))
  if (length(differ)) paste0(words[differ], " is ", now[differ], ", was ", then[differ])
}

inputs_of <- function(record) {
  data.frame(name = vapply(record$inputs, `[[`, "", "name"), hash = vapply(record$inputs, `[[`, "", "hash"))
}

# Lines are identified by their name and how often it came before.
changed_lines <- function(then, now) {
  then <- stats::setNames(as.list(then), line_names(then))
  now <- stats::setNames(as.list(now), line_names(now))
  why <- lapply(union(names(now), names(then)), function(name) changed_line(then[[name]], now[[name]]))
  as.character(unlist(why))
}

line_names <- function(lines) make.unique(vapply(as.list(lines), `[[`, "", "name"))

changed_line <- function(then, now) {
  if (is.null(then)) return(paste("new:", now$text))
  if (is.null(now)) return(paste("gone:", then$text))
  if (identical(then$key, now$key)) return(NULL)
  if (!is.null(now$anew)) return(paste(now$text, now$anew))
  if (!identical(then$text, now$text)) return(paste0(now$text, " (was ", then$text, ")"))
  common <- intersect(names(then$values), names(now$values))
  differ <- common[!mapply(identical, then$values[common], now$values[common])]
  if (!length(differ)) return(paste("a value or a function changed in", now$text))
  paste0(now$name, ": ", differ, " is ", unlist(now$values[differ]), ", was ", unlist(then$values[differ]))
}
