# The packages of DESCRIPTION that are missing or too old. Those of Suggests are for the tests.
purpose <- commandArgs(TRUE)
description <- read.dcf("DESCRIPTION", fields = c("Imports", "LinkingTo", "Suggests"))
fields <- c("Imports", "LinkingTo", if (identical(purpose, "test")) "Suggests")
wanted <- unique(trimws(unlist(strsplit(description[, fields], ","))))
package <- sub("[[:space:]]*[(].*", "", wanted)
version <- ifelse(grepl("[(]>=", wanted), sub(".*>=[[:space:]]*([^)]*)[)].*", "\\1", wanted), "0")
fine <- mapply(function(package, version) {
  installed <- tryCatch(utils::packageVersion(package), error = function(e) NULL)
  !is.null(installed) && installed >= version
}, package, version)
writeLines(package[!fine])
