#' Start a project
#'
#' Creates a folder with a script to start from, and a folder for the files that it reads.
#'
#' @param folder The path of a folder that does not exist yet, or is empty.
#' @return The path of the script, invisibly.
#' @section Errors: `rowanroot_folder_in_use` if the folder is not empty.
#' @examples
#' folder <- tempfile()
#' make_project(folder)
#' list.files(folder, recursive = TRUE)
#' unlink(folder, recursive = TRUE)
#' @export
make_project <- function(folder) {
  call <- quote(make_project())
  check_path(folder, "folder", call, several = FALSE)
  if (file.exists(folder) && (!dir.exists(folder) || length(list.files(folder, all.files = TRUE, no.. = TRUE)))) {
    stop_because(c("{.file {folder}} is not empty.",
                   "try" = "Give a new or an empty folder."), "folder_in_use", call)
  }
  from <- system.file("project", package = "rowanroot")
  for (file in list.files(from, recursive = TRUE)) {
    dir.create(dirname(file.path(folder, file)), recursive = TRUE, showWarnings = FALSE)
    if (!file.copy(file.path(from, file), file.path(folder, file))) {
      stop_because("Can't write to the folder {.file {folder}}.", "cannot_write", call)
    }
  }
  invisible(file.path(folder, "script.R"))
}

#' Free the disk space that rowanroot uses beside a script
#'
#' The folder `.rowanroot` has the journal, which records what each output was made from, and cached
#' columns, hashes of files, and previous versions of outputs. All but the journal can be removed at
#' any time; it is made again when it is needed.
#'
#' @param folder The folder of the script.
#' @param journal Remove the journal too. Outputs are then like any other files: they are not
#'   overwritten unless you use `force`.
#' @return The number of bytes that were removed, invisibly.
#' @examples
#' folder <- tempfile()
#' make_demo(folder)
#' run_script(file.path(folder, "yield.R"))
#' print(clean_store(folder))
#' unlink(folder, recursive = TRUE)
#' @export
clean_store <- function(folder = ".", journal = FALSE) {
  call <- quote(clean_store())
  check_path(folder, "folder", call, several = FALSE)
  check_flag(journal, "journal", call)
  if (!dir.exists(folder)) stop_because("There is no folder {.file {folder}}.", "no_such_file", call)
  old <- setwd(folder)
  on.exit(setwd(old))
  if (!dir.exists(journal_folder())) return(invisible(0))
  locked({
    files <- list.files(journal_folder(), recursive = TRUE, full.names = TRUE, all.files = TRUE)
    files <- files[!basename(files) %in% c("lock", if (!journal) "journal.jsonl")]
    size <- sum(file.size(files))
    remove_files(files)
  })
  state$hashes <- NULL
  invisible(size)
}

cli_new <- function(args) {
  given <- cli_arguments("new", args)
  if (is.null(given)) return(exit_done)
  script <- make_project(given$args)
  cat("Made ", script, ". Put CSV files into ", file.path(given$args, "data"), ", then:\n\n  rowanroot run ",
      shQuote(script), "\n", sep = "")
  exit_done
}

cli_clean <- function(args) {
  options <- list(optparse::make_option("--journal", action = "store_true", default = FALSE,
                                        help = "remove the journal too: outputs are then like any other files"))
  given <- cli_arguments("clean", args, options, at_least = 0)
  if (is.null(given)) return(exit_done)
  size <- clean_store(if (length(given$args)) given$args else ".", given$options$journal)
  cat(if (size < 1e6) counted(round(size / 1e3), "kB", "kB") else counted(round(size / 1e6), "MB", "MB"), "removed\n")
  exit_done
}

# How many rows, the columns, and the rows that are only in one of the tables, as many as a reader can use.
comparison_for_json <- function(found, most = 1000) {
  list(rows = list(both = found$both, added = nrow(found$added), removed = nrow(found$removed)),
       columns = as.data.frame(found),
       added = utils::head(as.data.frame(found$added), most), removed = utils::head(as.data.frame(found$removed), most))
}

cli_changes <- function(args) {
  options <- list(optparse::make_option("--by", metavar = "columns",
                                        help = "the key by which rows are matched: hive,day"), json_option)
  given <- cli_arguments("changes", args, options)
  if (is.null(given)) return(exit_done)
  check_cli_output(given$args, "changes")
  by <- if (!is.null(given$options$by)) as.call(c(quote(c),
                                                  lapply(strsplit(given$options$by, ",", fixed = TRUE)[[1]],
                                                         as.name)))
  found <- changes_by(given$args, by, globalenv(), quote(changes()))
  if (given$options$json) print_json(comparison_for_json(found)) else print(found)
  exit_done
}
