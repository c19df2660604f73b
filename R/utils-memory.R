# How much memory may be used. Large pieces beyond that are files without a name (src/core/scratch.h).

least_memory <- 64e6

# Calculates within the budget.
within_memory <- function(code) {
  set_memory()
  withCallingHandlers(code, `rowanroot::OutOfMemory` = function(e) stop_out_of_memory(conditionMessage(e)),
                      error = function(e) if (says_no_memory(e)) stop_no_memory(conditionMessage(e), e$call))
}

# Of R itself, or of the C++ library, whose memory is not counted.
says_no_memory <- function(e) {
  if (inherits(e, "rowanroot_error")) return(FALSE)
  of_r <- gettext(c("cannot allocate vector of size %0.1f Mb", "memory exhausted (limit reached?)"), domain = "R")
  starts <- c("cannot allocate ", sub("%.*", "", of_r), "std::bad_alloc")
  inherits(e, "std::bad_alloc") || any(startsWith(conditionMessage(e), starts))
}

# Tells the core, unless it knows.
set_memory <- function() {
  asked <- list(getOption("rowanroot.memory"), scratch_folder())
  if (identical(asked, state$memory_limit)) return(invisible())
  limit_memory_cpp(if (is.null(asked[[1]])) 0 else memory_size(asked[[1]]), path.expand(asked[[2]]))
  state$memory_limit <- asked
}

# Where memory is short, R's collector gives back what is no longer used before a library that can't call it asks for
# more.
collect_if_beyond <- function() if (memory_use_cpp()$files > 0) gc(full = TRUE)

memory_budget <- function() {
  set_memory()
  memory_use_cpp()$budget
}

# Beside the journal, where there is one.
scratch_folder <- function() {
  usual <- if (dir.exists(journal_folder())) file.path(journal_folder(), "scratch") else tempdir()
  getOption("rowanroot.scratch", usual)
}

# Bytes of a size such as "4 GB".
memory_size <- function(size, what = "options(rowanroot.memory)") {
  bytes <- if (rlang::is_string(size)) bytes_of_text(size)
           else if (is.numeric(size) && length(size) == 1 && is.finite(size)) as.numeric(size) else NA
  if (!is.na(bytes) && bytes >= least_memory) return(bytes)
  found <- if (rlang::is_string(size)) paste0("\"", size, "\"") else if (is.na(bytes)) what_is(size) else format(size)
  stop_because(c("{.code {what}} must be a size of at least 64 MB, not {found}.",
                 "try" = "Write it as {.code \"4 GB\"}, or as a number of bytes."), "bad_argument")
}

bytes_of_text <- function(text) {
  parts <- regmatches(text, regexec("^ *([0-9]+([.][0-9]+)?) *([kKMGT]?)(i?)[bB]? *$", text))[[1]]
  if (!length(parts)) return(NA_real_)
  base <- if (nzchar(parts[5])) 1024 else 1000
  as.numeric(parts[2]) * base^(match(toupper(parts[4]), c("", "K", "M", "G", "T")) - 1)
}

# "1.2 GB"
size_text <- function(bytes) {
  power <- min(max(floor(log10(max(bytes, 1)) / 3), 2), 4)
  paste(format(signif(bytes / 1000^power, 3)), c("MB", "GB", "TB")[power - 1])
}

stop_no_memory <- function(problem, call) {
  use <- lapply(memory_use_cpp(), size_text)
  by <- if (is.call(call)) paste0(" in `", one_line(call[[1]]), "()`")
  stop_because(c("The process can't have more memory.",
                 "found" = "The message{escaped(by)}: {problem}.",
                 "found" = "Of rowanroot's columns {use$memory} are in memory, of {use$budget} allowed.",
                 "try" = paste("What R's own functions make does not count. To leave them more:",
                               "{.code options(rowanroot.memory = \"500 MB\")}."),
                 "try" = "Fewer columns at once, or fewer rows."), "out_of_memory")
}

stop_out_of_memory <- function(problem) {
  use <- lapply(memory_use_cpp(), size_text)
  folder <- scratch_folder()
  stop_because(c("There is not enough room for what does not fit in memory.",
                 "found" = "The system's message on the folder {.file {folder}}: {problem}.",
                 "found" = "{use$memory} are in memory, of {use$budget} allowed, and {use$files} in that folder.",
                 "try" = "A folder with more room: {.code options(rowanroot.scratch = \"\u2026\")}.",
                 "try" = "More memory, if there is any: {.code options(rowanroot.memory = \"8 GB\")}."),
               "out_of_memory")
}
