# Writing a file so that whoever looks sees the old one or the new one, whole.

# `write` gets the path of a file beside `path`; once it has written it, the file is flushed, and meanwhile handed to
# `before` (which may still stop), then takes the place of `path`.
replace_file <- function(path, write, before = function(file) NULL) {
  path <- where_link_points(path)
  remove_unfinished(path)
  unfinished <- paste0(unfinished_start(path), Sys.getpid(), ".unfinished")
  on.exit(unlink(unfinished))
  write(unfinished)
  flush <- begin_flush_cpp(unfinished)
  before(unfinished)
  problem <- end_flush_cpp(flush)
  if (nzchar(problem)) stop_cannot_write(path, problem)
  if (!file.rename(unfinished, path)) stop_because("Can't put {.file {path}} in its place.", "cannot_write")
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

stop_cannot_write <- function(path, problem, call = NULL) stop_because(c("Can't write {.file {path}}.", "x" = "The system said: {problem}."), "cannot_write", call)

unfinished_start <- function(path) file.path(dirname(path), paste0(".", basename(path), "."))

# What a run that was killed has left.
remove_unfinished <- function(path) {
  files <- list.files(dirname(path), all.files = TRUE)
  left <- files[startsWith(files, basename(unfinished_start(path))) & endsWith(files, ".unfinished")]
  unlink(file.path(dirname(path), left))
}
