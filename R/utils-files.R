# Files by their very names: nothing in a name is a pattern, whatever letters it has.

remove_files <- function(paths, recursive = FALSE) unlink(paths, recursive = recursive, expand = FALSE)

# A folder as a pattern that it alone fits.
as_pattern <- function(path) gsub("([][*?\\\\])", "\\\\\\1", path)

# A path as a pattern: the file itself if there is one; else only its last part is one, if the folder is there.
as_glob <- function(path) {
  if (file.exists(path)) return(as_pattern(path))
  folder <- dirname(path)
  if (folder == "." || !dir.exists(folder)) return(path)
  paste0(as_pattern(sub("/$", "", folder)), "/", basename(path))
}

# A name for a file that stands for a path, which may be too long for one.
file_name_for <- function(path, longest = 200) {
  name <- utils::URLencode(enc2utf8(path), reserved = TRUE)
  if (nchar(name, "bytes") <= longest) return(name)
  ending <- path_ending(path)
  paste0(rlang::hash(enc2utf8(path)), if (nzchar(ending)) paste0(".", ending))
}

# The folder that names of outputs are seen from, and where the journal is: that of the script that runs, wherever
# it goes meanwhile.
base_folder <- function() if (is.null(state$run$folder)) getwd() else state$run$folder

# What belongs to the outputs made there: the journal, and what is cached.
journal_folder <- function() file.path(base_folder(), ".rowanroot")

absolute_path <- function(path) if (is_absolute(path)) path.expand(path) else file.path(getwd(), path)

# Written out here, since loading the package tools for them takes longer than they do.
path_ending <- function(path) tolower(ifelse(grepl("[.][[:alnum:]]+$", path), sub("^.*[.]", "", path), ""))

without_ending <- function(path) sub("([^.]+)[.][[:alnum:]]+$", "\\1", path)

file_stem <- function(path) without_ending(basename(path))

is_absolute <- function(path) grepl("^(/|[A-Za-z]:[/\\\\])", path.expand(path))

check_path <- function(path, arg, call, several = TRUE) {
  blank <- if (is.character(path)) which(is.na(path) | !nzchar(path))
  fine <- is.character(path) && length(path) > 0 && !length(blank) && (several || length(path) == 1)
  if (fine && !all(validUTF8(path))) {
    stop_because(c("{.arg {arg}} is not valid UTF-8.",
                   "try" = "If it is Latin-1, write {.code iconv({arg}, \"latin1\", \"UTF-8\")}, or rename the file."),
                 "bad_argument", call)
  }
  if (fine) return(invisible())
  if (several && length(blank)) {
    found <- if (is.na(path[blank[1]])) "missing" else "empty"
    stop_because("{.arg {arg}} must have a path in each place, and number {blank[1]} is {found}.", "bad_argument", call)
  }
  stop_because(c("{.arg {arg}} must be {if (several) 'a path or a data frame' else 'one path'}, not {what_is(path)}."),
               "bad_argument", call)
}

# The same path, however it is written: an output has one name in the journal.
plain_path <- function(path) {
  here <- path_parts(base_folder())
  parts <- path_parts(absolute_path(path))
  below <- length(parts) > length(here) && identical(parts[seq_along(here)], here)
  if (below) paste(parts[-seq_along(here)], collapse = "/") else paste(parts, collapse = "/")
}

# The parts of a path, with `.` and `..` worked out.
path_parts <- function(path, start = character()) {
  parts <- start
  for (part in strsplit(path, "/", fixed = TRUE)[[1]]) {
    if (part == "..") parts <- parts[-length(parts)]
    else if (part != "." && (nzchar(part) || !length(parts))) parts <- c(parts, part)
  }
  parts
}
