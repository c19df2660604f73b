# What is shown of long work, on a terminal only: which part of it is being done, or how many of its chunks are.

# From so many bytes of files on work takes long.
long_from <- 1e8

# Shows what tell_progress() reports while the code runs, which reads so many bytes.
with_progress <- function(bytes, code) {
  if (is.null(state$progress) && cli::is_dynamic_tty() && bytes >= long_from) {
    state$progress <- new.env(parent = emptyenv())
    on.exit({
      end_progress()
      state$progress <- NULL
    })
  }
  code
}

tell_progress <- function(what) {
  if (is.null(state$progress)) return(invisible())
  end_progress()
  state$progress$bar <- cli::cli_progress_message("{what} \u2026", .auto_close = FALSE, .envir = environment())
}

end_progress <- function() if (!is.null(state$progress$bar)) cli::cli_progress_done(id = state$progress$bar)

# A bar that fills up chunk by chunk.
new_chunk_progress <- function() {
  if (!cli::is_dynamic_tty()) return(list(begin = function(chunks) NULL, step = function() NULL, end = function() NULL))
  bar <- NULL
  list(
    begin = function(chunks) bar <<- cli::cli_progress_bar("Reading and writing", total = chunks, .auto_close = FALSE),
    step = function() cli::cli_progress_update(id = bar),
    end = function() cli::cli_progress_done(id = bar)
  )
}
