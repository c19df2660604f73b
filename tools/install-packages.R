# Installs packages from CRAN, into a library that can be written to: the user's own is made if need be.
packages <- commandArgs(TRUE)
if (file.access(.libPaths()[1], 2) != 0) {
  own <- Sys.getenv("R_LIBS_USER")
  dir.create(own, recursive = TRUE, showWarnings = FALSE)
  .libPaths(c(own, .libPaths()))
}
if (length(packages)) {
  if ("@CRAN@" %in% getOption("repos")) utils::chooseCRANmirror(ind = 1)
  utils::install.packages(packages, Ncpus = max(1, parallel::detectCores()), quiet = TRUE)
}
