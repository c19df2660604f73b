# Two runs at once: the second waits for the first.

# Runs the code while nobody else works in this folder. A run that has the lock already needs no other.
locked <- function(code) {
  if (!is.null(state$lock)) return(code)
  dir.create(journal_folder(), showWarnings = FALSE)
  file <- file.path(journal_folder(), "lock")
  lock <- filelock::lock(file, timeout = 0)
  if (is.null(lock)) {
    note_that("Another run is working in {.file {getwd()}}. Waiting for it.", "waiting")
    lock <- filelock::lock(file)
  }
  state$lock <- lock
  on.exit({
    state$lock <- NULL
    filelock::unlock(lock)
  })
  code
}
