# Where an output goes. Each kind of target has a class with methods for these, and a `name` that it has in print
# and in the journal.

# Whether there is something, whoever made it.
target_exists <- function(target) UseMethod("target_exists")

# The record of its content as it is now, of these that it has; NULL if something else has made or changed it. One that
# was to have more has that in `incomplete`, in words.
content_record <- function(target, records) UseMethod("content_record")

#' @export
content_record.default <- function(target, records) record_of_content(records, target_hash(target))

# Why its content is of none of them.
why_foreign <- function(target, records) UseMethod("why_foreign")

#' @export
why_foreign.default <- function(target, records) {
  if (length(records)) "it was changed by something other than rowanroot" else "it was not made by rowanroot"
}

# The hash of its content as it is now.
target_hash <- function(target) UseMethod("target_hash")

# Writes the table and puts it down in the journal: the old content or the new one is there, whole. Gives the number
# of rows. `now` is the record, `found` the state.
target_write <- function(target, x, now, found, force, call) UseMethod("target_write")

new_target <- function(kind, name, ...) structure(list(name = name, ...), class = c(paste0(kind, "_target"), "target"))

# `parts` is the column by which a folder has its files, `most` how many there may be; `as` is what a database gets.
output_target <- function(path, table, parts, most, as, call) {
  if (check_one_of(as, c("table", "view"), "as", call) == "view") return(new_view_target(path, table, call))
  if (is_folder_path(path)) {
    if (!is.null(table)) stop_table_of_file(path, call)
    return(new_folder_target(path, parts, most, call))
  }
  if (!is.null(parts)) {
    stop_because(c("{.arg parts} is for folders, not for {if (is.character(path)) path else 'a database'}.",
                   "try" = paste("The path of a folder ends in a slash:",
                                 "{.code save_table(x, \"out/yield/\", parts = {parts})}.")),
                 "bad_argument", call)
  }
  if (inherits(path, "DBIConnection")) return(new_database_target(path, NULL, table, call))
  check_output_path(path, call)
  if (path_ending(path) %in% file_kinds$sqlite$endings) return(new_database_target(NULL, path, table, call))
  if (!is.null(table)) stop_table_of_file(path, call)
  new_target("file", plain_path(path), path = reachable_path(path))
}

stop_table_of_file <- function(path, call) {
  what <- if (is_folder_path(path)) "a folder" else "a file"
  stop_because("{.arg table} is for databases; {.file {path}} is {what} of one table.", "bad_argument", call)
}

# The path of an output as it is reached from here: its plain one, unless the script has gone elsewhere.
reachable_path <- function(path) if (identical(base_folder(), getwd())) plain_path(path) else absolute_path(path)

#' @export
target_exists.file_target <- function(target) file.exists(target$path)

#' @export
target_hash.file_target <- function(target) file_hashes(target$path)

# Puts down how the content with this hash, which is about to be there, was made.
record_output <- function(target, now, written, rows, columns, found, force, call) {
  if (found$state == "foreign" && !force && !identical(written, target_hash(target))) {
    stop_foreign(target$name, found$why, call)
  }
  add_output_record(now, written, rows, columns)
}

add_output_record <- function(now, written, rows, columns) {
  now$written <- written
  now$made_at <- format(Sys.time(), "%Y-%m-%dT%H:%M:%SZ", tz = "UTC")
  now$rows <- rows
  now$columns <- as.list(columns)
  keep_hashes()
  add_record(now)
}

stop_foreign <- function(name, why, call) {
  stop_because(c("{.file {name}} was left as it is: {why}.",
                 "try" = "To keep it, give it another name and run again.",
                 "try" = "To replace it, run with {.code --force}, or write {.code save_table(\u2026, force = TRUE)}."),
               "foreign_output", call, output = name)
}
