# Writes docs/messages.md: every error, warning and notice, with its class, the function that says it and an example as
# it is printed. The examples are what the package's tests meet.
#   Rscript tools/messages.R
suppressPackageStartupMessages(library(rowanroot))
raisers <- c("stop_because", "warn_because", "note_that", "stop_caused")
met <- new.env()

# Notes what is said while the tests run: where in the code, and the text.
note <- function(condition) {
  for (n in rev(seq_len(sys.nframe() - 1))) {
    raiser <- sys.call(n)[[1]]
    if (!is.symbol(raiser) || !as.character(raiser) %in% raisers) next
    key <- paste(deparse(sys.call(n)), collapse = " ")
    if (is.null(met[[key]])) {
      assign(key, list(class = class(condition), text = conditionMessage(condition), call = condition$call), envir = met)
    }
    return(invisible())
  }
}

original <- rowanroot:::as_condition
recorded <- function(parts, class, kind, call, ...) {
  returned <- original(parts, class, kind, call, ...)
  note(returned)
  returned
}
environment(recorded) <- list2env(list(original = original, note = note), parent = asNamespace("rowanroot"))
utils::assignInNamespace("as_condition", recorded, "rowanroot")

files <- list.files("tests/testthat", "^test-.*[.]R$", full.names = TRUE)
many_processes <- "new-word|architecture|test-demo|every-way|formula-random|exact-formats"
for (file in files[!grepl(many_processes, files)]) {
  cat(basename(file), "\n")
  testthat::test_file(file, package = "rowanroot", load_package = "installed", reporter = "silent",
                      stop_on_failure = FALSE)
}

printed <- function(one) {
  text <- gsub("/[^ '\"]*/Rtmp[^/ '\"]*/", "/bees/", trimws(one$text, "right"))
  if ("message" %in% one$class) return(text)
  label <- if ("error" %in% one$class) "Error" else "Warning"
  paste0(label, if (is.null(one$call)) ": " else paste0(" in ", deparse(one$call)[1], " : "), text)
}
all <- lapply(mget(ls(met), met), function(one) data.frame(class = one$class[1], text = printed(one)))
all <- do.call(rbind, all)
all <- all[order(all$class, all$text), ]
lines <- c("# Messages", "",
           "Every error, warning and notice that the tests meet, by class (written by `make messages`).", "")
for (class in unique(all$class)) {
  lines <- c(lines, paste0("## ", class), "", "```", paste(all$text[all$class == class], collapse = "\n\n"), "```", "")
}
writeLines(lines, "docs/messages.md")
cat(nrow(all), "messages\n")
