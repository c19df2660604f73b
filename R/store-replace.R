# Writing a file so that whoever looks sees the old one or the new one, whole.

# `write` gets the path of a file beside `path`; once it has written it, the file is flushed, and meanwhile handed to
# `before` (which may still stop), then takes the place of `path`.
replace_file <- function(path, write, before = function(file) NULL) {
  path <- where_link_points(path)
  remove_unfinished(path)
  unfinished <- paste0(unfinished_start(path), Sys.getpid(), ".unfinished")
  on.exit(remove_files(unfinished))
  write(unfinished)
  flush <- begin_flush_cpp(unfinished)
  before(unfinished)
  problem <- end_flush_cpp(flush)
  if (nzchar(problem)) stop_cannot_write(path, problem)
  if (!file.rename(unfinished, path)) stop_because("Can't put {.file {path}} in its place.", "cannot_write")
}

replace_text <- function(path, text) {
  replace_file(path, function(file) writeLines(enc2utf8(text), file, useBytes = TRUE))
}

# The file itself, where the path is a symbolic link to it, or to another one.
where_link_points <- function(path) {
  for (k in 1:40) {
    to <- Sys.readlink(path)
    if (is.na(to) || !nzchar(to)) return(path)
    path <- if (is_absolute(to)) to else file.path(dirname(path), to)
  }
  stop_because("{.file {path}} is a symbolic link that leads to itself.", "cannot_write")
}

stop_cannot_write <- function(path, problem, call = NULL) {
  stop_because(c("Can't write {.file {path}}.", "found" = "The system's message: {problem}."), "cannot_write", call)
}

# A name that is long already can't be made longer.
unfinished_start <- function(path) {
  name <- basename(path)
  file.path(dirname(path), paste0(".", if (nchar(name, "bytes") > 200) rlang::hash(enc2utf8(name)) else name, "."))
}

# What a run that was killed has left.
remove_unfinished <- function(path) {
  files <- list.files(dirname(path), all.files = TRUE)
  start <- basename(unfinished_start(path))
  left <- files[startsWith(files, start) & endsWith(files, ".unfinished")]
  # That of another output may begin with the same letters.
  process <- sub(".unfinished", "", sub(start, "", left, fixed = TRUE, useBytes = TRUE), fixed = TRUE, useBytes = TRUE)
  remove_files(file.path(dirname(path), left[grepl("^[0-9]+$", process, useBytes = TRUE)]))
}
