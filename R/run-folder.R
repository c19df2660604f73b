# Folders as outputs: a CSV file for each part of the source, or for each value of a column. The record of a folder has
# its `files`: for each its name, the hash of its content, its rows and, if the part can be calculated by itself, a key.

new_folder_target <- function(path, parts, most, call) {
  most <- check_whole_number(most, 1, "parts_most", call)
  path <- sub("(?<=.)/+$", "", path, perl = TRUE)
  if (plain_path(path) %in% c("", plain_path(base_folder()))) {
    stop_because(c("An output can't be the folder {.file {path}} itself.",
                   "try" = "Name a folder in it: {.code \"out/\"}."), "bad_argument", call)
  }
  new_target("folder", paste0(plain_path(path), "/"), path = reachable_path(path), parts = parts, most = most)
}

is_folder_path <- function(path) is.character(path) && length(path) == 1 && grepl("/$", path)

# The column that says which file a row belongs in; NULL stands for the parts of the source.
parts_column <- function(expr, x, env, call) {
  if (is.null(expr)) return(NULL)
  chosen <- choose_columns(expr, column_names(x), env, call)
  if (length(chosen) == 1) return(chosen)
  stop_because(c("{.arg parts} must be one column, not {length(chosen)}.",
                 "try" = if (length(chosen)) paste("Join them in a column of its own:",
                                                   "{.code join_text({toString(chosen)}, with = \"-\")}.")),
               "bad_argument", call)
}

#' @export
target_exists.folder_target <- function(target) length(list.files(target$path)) > 0

#' @export
content_record.folder_target <- function(target, records) {
  if (!length(records)) return(NULL)
  record <- records[[length(records)]]
  there <- folder_content(target)
  now <- files_of_record(record)
  others <- !(there == now$hash[match(names(there), now$name)]) %in% TRUE
  differs <- setdiff(union(setdiff(now$name, names(there)), names(there)[others]), unlist(record$others))
  if (!length(differs)) return(record)
  files <- lapply(records, files_of_record)
  if (length(strangers_in(there, files, record)) || length(edited_in(there, files))) return(NULL)
  record$incomplete <- incomplete_in_words(differs, names(there), now$name)
  record
}

incomplete_in_words <- function(differs, there, wanted) {
  name <- differs[1]
  others <- if (length(differs) > 1) paste(" and", length(differs) - 1, "more")
  paste0(name, others, if (!name %in% there) " is missing"
         else if (name %in% wanted) " is of an earlier run" else " is left from an earlier run")
}

#' @export
why_foreign.folder_target <- function(target, records) {
  there <- folder_content(target)
  files <- lapply(records, files_of_record)
  strangers <- strangers_in(there, files, if (length(records)) records[[length(records)]])
  if (length(strangers)) return(paste0("it holds ", some_of(strangers), ", not made by rowanroot"))
  paste0(some_of(edited_in(there, files)), " was changed by something other than rowanroot")
}

some_of <- function(names) paste0(names[1], if (length(names) > 1) paste(" and", length(names) - 1, "more"))

# Those that no record has, and that were not tolerated by the last.
strangers_in <- function(there, files, last) {
  setdiff(names(there), c(unlist(lapply(files, `[[`, "name")), unlist(last$others)))
}

# Those whose content no record has.
edited_in <- function(there, files) {
  names(there)[names(there) %in% unlist(lapply(files, `[[`, "name")) & !are_made_here(there, files)]
}

# Whether a record has a file of this name with this content.
are_made_here <- function(there, files) {
  known <- do.call(rbind, files)
  paste(names(there), there) %in% paste(known$name, known$hash)
}

# The hash of each file that can be seen in the folder, by its name; that of another folder is missing.
folder_content <- function(target) {
  names <- named_in_utf8(list.files(target$path))
  paths <- file.path(target$path, names)
  is_file <- file.exists(paths) & !dir.exists(paths)
  hashes <- rep(NA_character_, length(names))
  hashes[is_file] <- file_hashes(paths[is_file])
  stats::setNames(hashes, names)
}

# What the content of a folder is called in its record.
hash_of_files <- function(files) {
  at <- order(files$name, method = "radix")
  rlang::hash(paste(files$name, files$hash)[at])
}

#' @export
target_write.folder_target <- function(target, x, now, found, force, call) {
  is_new <- !file.exists(target$path)
  if (!is_new && !dir.exists(target$path)) {
    stop_because("{.file {target$path}} is a file, not a folder.", "cannot_write", call)
  }
  make_folder_of(file.path(target$path, "file"), call)
  stage <- file.path(target$path, paste0(".", Sys.getpid(), ".unfinished"))
  on.exit({
    remove_files(stage, recursive = TRUE)
    if (is_new && !length(list.files(target$path))) remove_files(target$path, recursive = TRUE)
  })
  remove_files(list.files(target$path, "^[.][0-9]+[.]unfinished$", all.files = TRUE, full.names = TRUE),
               recursive = TRUE)
  noting <- noting_in_record(function(what) now[[what]] <<- TRUE, now$lines, call)
  made <- noting(folder_tables(target, x, now, found, call))
  dir.create(stage)
  files <- write_parts(made, stage, target, now, call)
  there <- folder_content(target)
  if (found$state == "foreign") now$others <- as.list(check_folder_is_ours(target, found, files, there, force, call))
  now$files <- as.list(files[names(no_files)])
  remember <- function() add_output_record(now, hash_of_files(files), sum(files$rows), rooted(x)$columns)
  changed <- put_in_place(target, files, there, stage, remember)
  structure(sum(files$rows), files = c(written = changed, of = nrow(files)))
}

# Names of other files that stay.
check_folder_is_ours <- function(target, found, files, there, force, call) {
  same <- setequal(names(there), files$name) && all(there == files$hash[match(names(there), files$name)])
  if (!force && !isTRUE(same)) stop_foreign(target$name, found$why, call)
  setdiff(names(there), files$name)
}

# The tables of all files that are to be made: `data`, the `rows` of each by its name, and `same`, the files that stay.
folder_tables <- function(target, x, now, found, call) {
  if (!is.null(target$parts)) return(tables_of_values(target, x, call))
  files <- files_for_parts(x, call)
  before <- if (is.null(found$record$warned)) files_of_record(found$record) else no_files
  there <- folder_content(target)
  at <- match(files, before$name)
  stays <- function(keys) (guarded_keys(keys, now) == before$key[at] & there[files] == before$hash[at]) %in% TRUE
  made <- some_parts(x, stays, call)
  if (is.null(made)) made <- all_parts_of(x, call)
  fresh <- files[!made$is_same]
  rows <- split(seq_along(made$of_row), factor(made$of_row, seq_along(fresh)))
  list(data = made$data, rows = stats::setNames(rows, fresh), keys = guarded_keys(made$keys, now)[!made$is_same],
       same = before[at[made$is_same], ])
}

# Apostrophes before formulas are part of a file's content.
guarded_keys <- function(keys, now) if (now$guarded) paste(keys, rep("guarded", length(keys))) else keys

# The file that each part of the source has in the folder.
files_for_parts <- function(x, call) {
  source <- rooted(x)$source
  if (!inherits(source, "file_source")) {
    stop_no_parts("Only a table of files has a file for each of its parts.",
                  "This one is made from {source_title(source)}.", call)
  }
  names <- source_files(source, call)$name
  files <- paste0(file_stem(names), ".csv")
  twice <- files[duplicated(tolower(files))]
  if (length(twice)) {
    of <- names[tolower(files) == tolower(twice[1])]
    stop_because(c("{.file {of[1]}} and {.file {of[2]}} would both be {.file {twice[1]}} in the folder.",
                   "try" = paste("Name the files in a column, {.code open_table(\u2026, file_column = \"file\")}, make",
                                 "each name one of its own, and write {.code parts = file}.")), "bad_part", call)
  }
  files
}

# Writes the files that may be others than before into the folder `stage`. Gives all files, as in the record.
write_parts <- function(made, stage, target, now, call) {
  tell_progress(paste("writing", target$name))
  hashes <- vapply(names(made$rows), function(name) {
    file <- file.path(stage, name)
    rows <- made$rows[[name]]
    data <- if (length(rows) == nrow(made$data)) made$data else rows_at(made$data, rows - 1L)
    write_csv_file(data, file, call, now$guarded)
    rlang::hash_file(file)
  }, "")
  # Where names that differ are one to the file system, one file would have replaced another.
  if (length(list.files(stage, all.files = TRUE, no.. = TRUE)) != length(hashes)) {
    stop_because(c("Some values differ only in upper and lower case, which names of files here do not.",
                   "try" = "Give the column values that differ."), "bad_part", call)
  }
  written <- data.frame(name = names(made$rows), hash = unname(hashes), rows = unname(lengths(made$rows)),
                        key = if (length(made$keys)) made$keys else rep("", length(hashes)))
  rbind(made$same, written)
}

# What changed is flushed, put down by `remember`, and moved into the folder; what is gone is removed. Gives the number
# of files that are new or other.
put_in_place <- function(target, files, there, stage, remember) {
  staged <- file.path(stage, files$name)
  changed <- which(file.exists(staged) & !(files$hash == there[files$name]) %in% TRUE)
  flushes <- lapply(staged[changed], begin_flush_cpp)
  for (k in seq_along(changed)) {
    problem <- end_flush_cpp(flushes[[k]])
    if (nzchar(problem)) stop_cannot_write(file.path(target$path, files$name[changed[k]]), problem)
  }
  gone <- gone_files(target, files, there)
  keep_folder_before(target, there)
  remember()
  for (k in changed) {
    path <- file.path(target$path, files$name[k])
    if (!file.rename(staged[k], path)) stop_because("Can't put {.file {path}} in its place.", "cannot_write")
    remember_written(path, files$hash[k])
  }
  remove_files(file.path(target$path, gone))
  length(changed)
}

# Files that earlier runs made and that are no part now. One that was edited stays.
gone_files <- function(target, files, there) {
  made_here <- are_made_here(there, lapply(output_records(target$name), files_of_record))
  setdiff(names(there)[made_here], files$name)
}

# The files that a new content replaces, for changes().
keep_folder_before <- function(target, there) {
  if (!length(output_records(target$name))) return(invisible())
  kept <- before_path(target$name)
  names <- names(there)[!is.na(there)]
  paths <- file.path(target$path, names)
  before <- file.path(kept, names)
  # What stays of an earlier run is kept already.
  is_kept <- file.exists(before)
  is_kept[is_kept] <- (file_identities(before[is_kept]) == file_identities(paths[is_kept])) %in% TRUE
  remove_files(setdiff(list.files(kept, full.names = TRUE, all.files = TRUE, no.. = TRUE), before[is_kept]),
               recursive = TRUE)
  dir.create(kept, showWarnings = FALSE, recursive = TRUE)
  for (k in which(!is_kept)) {
    known <- known_state(paths[k])
    keep_link(paths[k], before[k])
    # Another name changes the time of the file's attributes, and nothing in it.
    if (!is.null(known)) remember_written(paths[k], known$hash)
  }
}

# Whether a source reads files of the folder, or would once they are there.
reads_folder <- function(source, folder, call) {
  here <- file_identities(folder)
  dirs <- dirname(source_files(source, call)$path)
  if (!is.na(here) && here %in% file_identities(unique(dirs))) return(TRUE)
  parts <- path_parts(absolute_path(folder))
  any(vapply(source$pattern, function(pattern) {
    pattern <- path_parts(if (is_absolute(pattern)) path.expand(pattern) else file.path(source$folder, pattern))
    above <- pattern[-length(pattern)]
    length(above) == length(parts) && grepl("[*?[]", pattern[length(pattern)]) &&
      all(mapply(fits_pattern, parts, above))
  }, NA))
}

fits_pattern <- function(name, pattern) name == pattern || grepl(utils::glob2rx(pattern), name)
