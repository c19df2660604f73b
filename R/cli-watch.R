# Runs a script again whenever one of its files changes.

cli_watch <- function(args) {
  options <- list(optparse::make_option("--every", default = "1", metavar = "seconds",
                                        help = "how often to look at the files [%default]"), memory_option)
  given <- cli_arguments("watch", args, options)
  if (is.null(given)) return(exit_done)
  use_memory_option(given$options$memory, "watch")
  every <- number_option(given$options$every, "--every", "watch", 0.05, whole = FALSE)
  check_cli_file(given$args, "watch")
  tryCatch(watch_script(given$args, every), interrupt = function(e) cat("\nStopped watching.\n"))
  exit_done
}

watch_script <- function(script, every) {
  folder <- normalizePath(dirname(script))
  watched <- character()
  repeat {
    before <- watched_states(watched, folder)
    watched <- union(watched, run_watched(script))
    if (!identical(before, watched_states(watched, folder)[names(before)])) next
    now <- watched_states(watched, folder)
    cat(format(Sys.time(), "%H:%M:%S"), "  watching ", counted(length(now), "file"), "; Ctrl-C stops\n", sep = "")
    changed <- wait_for_change(now, watched, folder, every)
    cat("\n", format(Sys.time(), "%H:%M:%S"), "  ", changed, "\n", sep = "")
  }
}

# A run that fails prints its error, and the files that it looked at before are still watched.
run_watched <- function(script) {
  run <- new_script_run("run", script)
  cli_guarded({
    run_locked(script, run, quote(run_script()))
    exit_done
  }, on_interrupt = stop)
  run$watched
}

# The states of all files that the patterns match, and of the scripts in the folder.
watched_states <- function(watched, folder) {
  files <- unique(c(Sys.glob(watched), list.files(folder, "[.][Rr]$", full.names = TRUE)))
  files <- files[order(named_in_utf8(files), method = "radix")]
  stats::setNames(file_states_cpp(files), files)
}

# Waits until something has changed, and changes no more.
wait_for_change <- function(before, watched, folder, every) {
  repeat {
    Sys.sleep(every)
    now <- watched_states(watched, folder)
    if (identical(now, before)) next
    repeat {
      Sys.sleep(min(every, 0.3))
      later <- watched_states(watched, folder)
      if (identical(later, now)) break
      now <- later
    }
    parts <- function(states) data.frame(name = sub(paste0(folder, "/"), "", names(states), fixed = TRUE),
                                         hash = ifelse(is.na(states), "", states))
    what <- changed_parts(parts(before), parts(now))
    return(paste(c(utils::head(what, 3), if (length(what) > 3) paste(length(what) - 3, "more")), collapse = ", "))
  }
}
