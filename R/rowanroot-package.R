#' @section Options:
#' What [options()] may say; none needs to be set.
#'
#' * `rowanroot.threads`: how many threads a job has at most; 0, the default, leaves it to the size of the job.
#' * `rowanroot.memory`: how many bytes of memory a run may take; as many as the system has to give, if it is not
#'   set. A table that needs more is read, calculated and written in chunks, where its steps go row by row or on from
#'   the row above.
#' * `rowanroot.keep`: `FALSE` to keep nothing in `.rowanroot` but the journal. `rowanroot.kept_bytes` (10e9) limits
#'   what the kept columns take; those that were not used for the longest time go first. Columns of files are kept
#'   if these have `rowanroot.keep_from` (1e6) bytes together, calculated ones if they took `rowanroot.keep_seconds`
#'   (0.25).
#' * `rowanroot.left_alone`: how many seconds (0.5) a file that ends in the middle of a line must be left alone
#'   before it is read.
#' @keywords internal
"_PACKAGE"

#' @importFrom Rcpp evalCpp
#' @useDynLib rowanroot, .registration = TRUE
NULL

# What holds for one run of a script: see `with_run()`.
state <- new.env(parent = emptyenv())

.onLoad <- function(libname, pkgname) {
  state$engine <- memory_engine()
  register_base_methods()
}
