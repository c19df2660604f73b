#' @keywords internal
"_PACKAGE"

#' @importFrom Rcpp evalCpp
#' @useDynLib rowanroot, .registration = TRUE
NULL

# What holds for one run of a script: see `with_run()`.
state <- new.env(parent = emptyenv())
