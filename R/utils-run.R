# What the layers below need to know of the script that is run.

failed_outputs <- function(run = state$run) as.character(unlist(lapply(run$failures, `[[`, "output")))
