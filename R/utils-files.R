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

# The folder that names of outputs are seen from, and where the journal is: that of the script that runs, wherever it goes meanwhile.
base_folder <- function() if (is.null(state$run$folder)) getwd() else state$run$folder

absolute_path <- function(path) if (is_absolute(path)) path.expand(path) else file.path(getwd(), path)

path_ending <- function(path) tolower(tools::file_ext(path))

is_absolute <- function(path) grepl("^(/|[A-Za-z]:[/\\\\])", path.expand(path))
