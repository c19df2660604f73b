# Hashes of files, calculated again only if the file has another state: size, time and number in the file system are
# a shortcut, and what counts is the content.

# A file that was changed just before it was looked at may change again without its time showing it: for as long as
# the clock of its file system takes to tick. That is some milliseconds where times have fractions of a second, and
# up to two seconds elsewhere.
settled_after <- function(times) if (all(times != floor(times))) 0.05 else 2

file_hashes <- function(paths) {
  paths <- normalizePath(paths, mustWork = FALSE)
  states <- file_states_cpp(paths)
  if (anyNA(states)) stop_changing_file(paths[is.na(states)][1], NULL)
  known <- known_hashes()
  same <- mapply(function(path, state) identical(known[[path]]$state, state), paths, states)
  vapply(seq_along(paths), function(k) {
    if (same[k]) return(known[[paths[k]]]$hash)
    hash <- rlang::hash_file(paths[k])
    if (is_settled(states[k])) assign(paths[k], list(state = states[k], hash = hash), envir = known)
    hash
  }, "")
}

is_settled <- function(file_state, now = as.numeric(Sys.time())) {
  parts <- strsplit(strsplit(file_state, " ", fixed = TRUE)[[1]][3:4], ".", fixed = TRUE)
  times <- vapply(parts, function(part) as.numeric(part[1]) + as.numeric(part[2]) / 1e9, 0)
  all(times < now - settled_after(times))
}

# What this session knows in this folder: at first what earlier ones have left there. A damaged file is as good as none.
known_hashes <- function() {
  file <- hashes_path()
  if (is.null(state$hashes[[file]])) {
    left <- json_in_file(file)
    parts <- if (is.list(left)) lapply(left[c("path", "state", "hash")], unlist)
    fine <- all(vapply(parts, is.character, NA)) && all(lengths(parts) == length(parts$path))
    known <- if (fine) Map(function(state, hash) list(state = state, hash = hash), parts$state, parts$hash)
    state$hashes[[file]] <- list2env(stats::setNames(as.list(known), parts$path[seq_along(known)]), parent = emptyenv())
  }
  state$hashes[[file]]
}

# What is known of a file, if it is still in that state.
known_state <- function(path) {
  path <- normalizePath(path, mustWork = FALSE)
  known <- known_hashes()[[path]]
  if (!is.null(known) && identical(as.vector(known$state), as.vector(file_states_cpp(path)))) known
}

# A file that was just written, whose hash is known.
remember_written <- function(path, hash) {
  path <- normalizePath(path)
  state$written[[path]] <- list(state = file_states_cpp(path), hash = hash)
}

# What was written is known from now on, if nothing changed it until its time stamp would show it. To wait for that
# costs less than to read what is large again.
know_written <- function() {
  written <- state$written
  state$written <- NULL
  is_open <- !vapply(written, function(one) is_settled(one$state), NA)
  if (sum(file.size(as.character(names(written)[is_open])), na.rm = TRUE) > 2e8) Sys.sleep(0.06)
  for (path in names(written)) {
    one <- written[[path]]
    if (is_settled(one$state) && identical(as.vector(file_states_cpp(path)), as.vector(one$state))) {
      assign(path, one, envir = known_hashes())
    }
  }
}

# For the next session. Those of files that are no more are dropped.
keep_hashes <- function() {
  known <- mget(ls(known_hashes(), all.names = TRUE, sorted = FALSE), envir = known_hashes())
  # Tables of a file stand under its path, and a line of their own.
  known <- known[file.exists(sub("\n.*", "", names(known)))]
  if (!length(known)) return(invisible())
  of_all <- function(name) vapply(known, `[[`, "", name, USE.NAMES = FALSE)
  text <- jsonlite::toJSON(list(path = names(known), state = of_all("state"), hash = of_all("hash")))
  replace_text(hashes_path(), text)
}

hashes_path <- function() file.path(journal_folder(), "hashes.json")
