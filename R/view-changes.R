#' Compare an output with its previous version
#'
#' When an output is made again, the file that it replaces is kept in `.rowanroot` beside the script
#' until the output is made once more.
#'
#' @param output The path of an output file, in the folder of its script or below. A table of an
#'   SQLite file that has several is written as in `"out/yield.sqlite, table net"`.
#' @param by Columns that make the key by which rows are matched, as in [compare_tables()].
#' @return A comparison as from [compare_tables()]: print it, or use `as.data.frame()`.
#' @section Errors: `rowanroot_no_such_file`; `rowanroot_unknown_output` if the file is not an
#'   output; `rowanroot_nothing_before` if it was made only once.
#' @examples
#' old <- setwd(tempdir())
#' visits <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5))
#' save_table(visits, "weights.csv")
#' visits$gross_kg[2] <- 28
#' save_table(visits, "weights.csv")
#' changes("weights.csv", by = hive)
#' unlink(c("weights.csv", ".rowanroot"), recursive = TRUE)
#' setwd(old)
#' @export
changes <- function(output, by = NULL) {
  call <- quote(changes())
  check_path(output, "output", call, several = FALSE)
  changes_by(output, substitute(by), parent.frame(), call)
}

replaced_table <- function(kept, call) {
  pieces <- read_table_before(kept)
  frames_below(pieces, rep("the table before", length(pieces)), call)
}

changes_by <- function(output, by, env, call) {
  if (!file.exists(output_file(output))) stop_no_file(output, getwd(), call)
  folder <- project_of(output, call)
  old <- setwd(folder$path)
  on.exit(setwd(old))
  if (!length(output_records(folder$output))) stop_unknown_output(output, call)
  kept <- before_path(folder$output)
  files <- list(before = kept, now = folder$output)
  if (is_folder_path(folder$output)) files <- lapply(files, file.path, "*.csv")
  if (!file.exists(kept)) {
    stop_because(c("There is nothing to compare {.file {output}} with.",
                   "try" = "When it is made again, the file that it replaces is kept, until {.code rowanroot clean}."),
                 "nothing_before", call, output = output)
  }
  tables <- if (is.null(folder$table)) lapply(files, function(file) as.data.frame(open_table(file)))
            else list(before = replaced_table(kept, call),
                      now = as.data.frame(open_table(folder$file, table = folder$table)))
  eval(as.call(list(compare_tables, quote(before), quote(now), by = by)), tables, env)
}
