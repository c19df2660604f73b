# A table that is too large for the memory is read, calculated and written chunk by chunk, where its steps allow that.

# What is read and what is calculated, and some of it twice for a while.
memory_per_byte <- 2.5

# Files of so many bytes are read in chunks, if what is done with them allows that. Where the system can hold more than
# the budget as files in memory, these are quicker: all threads have enough to do, and nothing is begun again. What R's
# functions are given, and give, lies in R's own memory.
chunks_from <- function(calls_r) {
  folder <- scratch_folder()
  room <- if (calls_r) 0 else memory_for_files_cpp(path.expand(if (dir.exists(folder)) folder else dirname(folder)))
  getOption("rowanroot.chunks_from", max(memory_budget(), room) / memory_per_byte)
}

needs_chunks <- function(x, path, call) {
  source <- rooted(x)$source
  if (!inherits(source, "csv_source") || inherits(source, "filling_source")) return(FALSE)
  if (path_ending(path) != "csv" || "category" %in% source$options$types) return(FALSE)
  trees <- unlist(lapply(rooted(x)$steps, step_trees), recursive = FALSE)
  from <- chunks_from(any(vapply(trees, any_node, NA, is = calls_r)))
  if (sum(file.size(source_files(source, call)$path)) <= from) return(FALSE)
  all(vapply(rooted(x)$steps, goes_by_chunks, NA))
}

# What is made of a chunk, and of those before it until R's collector comes by, takes some 40 times its bytes.
chunk_bytes <- function() getOption("rowanroot.chunk_bytes", min(max(memory_budget() / 40, 2^12), 2^26))

# Gives the number of rows that were written.
write_in_chunks <- function(x, parts, file, guard, call) {
  source <- rooted(x)$source
  progress <- new_chunk_progress()
  on.exit(progress$end())
  steps <- list()
  rows <- 0
  begin <- function(chunks) {
    rows <<- 0
    steps <<- lapply(rooted(x)$steps, function(step) {
      step$chunks <- new_chunks()
      step
    })
    progress$begin(chunks)
  }
  work <- function(data) {
    data <- run_chunk(steps, data, call)
    if (rows == 0) write_csv_file(data, file, call, guard) else if (nrow(data)) append_to_csv(data, file, call, guard)
    rows <<- rows + nrow(data)
    progress$step()
  }
  with_few_warnings(each_chunk(source, needed_columns(x, call), chunk_bytes(), begin, work, call))
  check_still_same(source, parts, call)
  rows
}

run_chunk <- function(steps, data, call) {
  before <- if (length(steps)) steps[[1]]$chunks$before else 0
  tryCatch(for (step in steps) {
    more <- nrow(data)
    data <- execute(default_engine(), step, data, call)
    step$chunks$before <- step$chunks$before + more
  }, rowanroot_error = function(e) {
    if (!before) stop(e)
    stop_with_line(e, "found" = paste0("The table is read in chunks: rows are counted from row ",
                                       "{format(before + 1, big.mark = ',')}."))
  })
  data
}

# Each kind of warning once, of the first chunk that has it.
with_few_warnings <- function(code) {
  told <- character()
  withCallingHandlers(code, warning = function(w) {
    kind <- paste(class(w)[1], if (!inherits(w, "rowanroot_warning")) conditionMessage(w))
    if (kind %in% told) tryInvokeRestart("muffleWarning")
    told <<- c(told, kind)
  })
}
