#' Save a table to a file or a database
#'
#' Writes a table to a file, unless the file is up to date: made from the same bytes of the same
#' input files, by the same formulas with the same constants and functions. Spacing, comments and
#' the names of variables do not count. `.rowanroot/journal.jsonl` in the working directory records
#' what each output was made from.
#'
#' The file is written under a temporary name, flushed, and renamed, so that there is always the
#' complete old file or the complete new one. A file that rowanroot did not write, or that was
#' edited since, is not overwritten.
#'
#' In CSV files, numbers are written in the shortest form that reads back as exactly the same
#' number, dates as `2026-03-31`, date-times in UTC in the shortest form that reads back as the same
#' time, and missing values as nothing. If the path is a symbolic link, the file that it points to
#' is written.
#'
#' If a formula calls R's functions, the time zone, the language and the options `digits`, `OutDec`
#' and `scipen` count as inputs too. A formula that uses random numbers, the current time, the
#' environment or a file does not depend on its inputs alone: its output is made in each run, with a
#' warning of class `rowanroot_made_anew`. `set.seed()` at the top level of a script makes random
#' numbers repeatable.
#'
#' If the path ends in a slash, the output is a folder with CSV files: one for each file that the
#' table is made from, under the same name, or one for each value of the column `parts`. Only files
#' whose content changed are written, and those of parts that are gone are removed. If all steps go
#' row by row, only rows of files that changed are calculated. Each file is the complete old one or
#' the complete new one, and a run that was interrupted is completed by the next. Other files in the
#' folder are never changed: they are an error, unless `force` is `TRUE`.
#'
#' A database table is written in one transaction, with the driver's bulk method (`COPY` for
#' PostgreSQL): to an SQLite file by its path, to any other database by a DBI connection. To see
#' whether it is up to date, it is read back. A table with the same columns is refilled and keeps
#' its indexes, triggers, grants and comments; one with other columns is created again, but if such
#' things would be lost this is an error unless `force` is `TRUE`. Rows that other tables refer to
#' with `ON DELETE CASCADE` are not removed.
#'
#' @param x A rooted table from [open_table()], or a data frame.
#' @param path The path of the output, whose folder is created if needed; or a DBI connection. The
#'   extension sets the format: `.csv`, `.xlsx` (needs the package zip), `.parquet` (nanoparquet),
#'   `.jsonl`, `.sqlite`, `.sqlite3` or `.db` (RSQLite). A path that ends in `/` is a folder. Values
#'   that a format can't hold are an error before anything is written, and a warning counts the
#'   values that it changes: see [file_formats].
#' @param table The name of the table in a database, or `DBI::Id(schema = , table = )`.
#' @param force Write it even if it is up to date, was edited, or was not written by rowanroot.
#' @param guard_formulas In CSV files and workbooks, put an apostrophe before text that a
#'   spreadsheet would run as a formula because it begins with `=`, `+`, `-` or `@`, also in names
#'   of columns.
#' @param parts For a folder: the column that says which file a row belongs in. Its values are the
#'   names of the files. They can't be missing, begin with a dot, or contain a slash.
#' @param parts_most How many files `parts` may make.
#' @param as What a database gets: a `"table"` with the rows as they are now; or a `"view"`, which
#'   follows the tables that it is made from by itself. All its steps must run in the database, as
#'   [show_steps()] tells; where the database's arithmetic fails, looking at it is an error there.
#' @return `x`, invisibly.
#' @section Errors: `rowanroot_foreign_output` if the file was written or edited by something else,
#'   `rowanroot_output_is_input` if the table is made from the file itself,
#'   `rowanroot_output_saved_twice` if a script saves it twice, `rowanroot_cannot_write`,
#'   `rowanroot_bad_text` for text that is not UTF-8, `rowanroot_unknown_format`;
#'   `rowanroot_no_parts` if rows are not of one file each, `rowanroot_bad_part` for a value that
#'   can't name a file, `rowanroot_too_many_parts` if there would be more than `parts_most` files;
#'   `rowanroot_not_in_database` for a view whose steps don't all run there.
#' @examples
#' old <- setwd(tempdir())
#' visits <- data.frame(hive = c("NB-01", "NB-02"), gross_kg = c(31, 28.5), tare_kg = c(6, 6.2))
#' visits |>
#'   set_columns({ net_kg <- gross_kg - tare_kg }) |>
#'   save_table("yield.csv")
#' readLines("yield.csv")
#'
#' # A folder with a file for each hive
#' save_table(visits, "hives/", parts = hive)
#' list.files("hives")
#' unlink(c("yield.csv", "hives", ".rowanroot"), recursive = TRUE)
#' setwd(old)
#' @export
save_table <- function(x, path, table = NULL, force = FALSE, guard_formulas = FALSE, parts = NULL, parts_most = 1000,
                       as = "table") {
  call <- quote(save_table())
  check_table(x, call)
  target <- output_target(path, table, parts_column(substitute(parts), x, parent.frame(), call), parts_most, as, call)
  if (identical(state$run$mode, "look")) return(invisible(look_at_output(target, x, guard_formulas, call)))
  check_saved_once(target$name, call)
  check_flag(force, "force", call)
  check_flag(guard_formulas, "guard_formulas", call)
  if (is_rooted_table(x)) take_in_checks(x)
  current <- if (is_rooted_table(x)) current_table(x, call) else open_frame(x)
  check_is_no_input(current, target, call)
  force <- force || isTRUE(state$run$force)
  if (identical(state$run$mode, "status")) save_output(current, target, force, guard_formulas, call)
  else if (!is.null(state$run)) save_or_note(current, target, force, guard_formulas, call)
  else locked({
    save_output(current, target, force, guard_formulas, call)
    put_store_in_order()
  })
  invisible(x)
}

check_output_path <- function(path, call) {
  check_path(path, "path", call, several = FALSE)
  ending <- path_ending(path)
  if (ending %in% names(output_formats)) {
    return(check_package(output_formats[[ending]]$package, output_formats[[ending]]$what, call))
  }
  if (ending %in% file_kinds$sqlite$endings) return(invisible())
  stop_because(c("Can't tell the format of {.file {path}}.",
                 "try" = "The name can end in {.or {.code {paste0('.', c(names(output_formats), 'sqlite'))}}}.",
                 "try" = "For a folder with a file for each part, it ends in a slash: {.code \"{path}/\"}."),
               "unknown_format", call)
}

check_saved_once <- function(path, call) {
  saved <- vapply(state$run$outputs, `[[`, "", "output")
  if (!path %in% saved) return(invisible())
  stop_because(c("The script saves {.file {path}} twice.",
                 "found" = "The second table would replace the first in every run.",
                   "try" = "Save one of them under another name."),
               "output_saved_twice", call, output = path)
}

check_is_no_input <- function(x, target, call) {
  if (any(vapply(sources_of(x), is_made_from, NA, target = target, call = call))) {
    stop_because(c("{.file {target$name}} can't be both an input and an output.",
                   "found" = "The table is made from it.", "try" = "Save under another name."), "output_is_input", call)
  }
}

# The sources of a table, and of those that it looks things up in.
sources_of <- function(x) {
  others <- unlist(lapply(rooted(x)$steps, looked_up_by), recursive = FALSE)
  c(list(rooted(x)$source), unlist(lapply(others, function(one) sources_of(one$table)), recursive = FALSE))
}

# Whether a source reads what a target writes, however either is called: by a link, by another connection, by a query.
is_made_from <- function(source, target, call) {
  if (inherits(target, "folder_target")) {
    return(inherits(source, "file_source") && reads_folder(source, target$path, call))
  }
  if (inherits(source, "file_source")) {
    file <- if (is.null(target$connection)) file_identities(target$path) else database_identity(target$connection)
    return(!is.null(file) && !is.na(file) && file %in% file_identities(source_files(source, call)$path))
  }
  if (!inherits(source, "database_source") || !inherits(target, "database_target")) return(FALSE)
  if (!is.null(target$path) && !file.exists(target$path)) return(FALSE)
  with_connection(target, function(connection) {
    of_source <- database_identity(source$connection)
    if (!identical(source$connection, connection) && (is.null(of_source) ||
                                                      !identical(of_source,
                                                                 database_identity(connection)))) return(FALSE)
    written <- table_identity(connection, target$table)
    read <- tables_read(source$connection, source_query(source, call))
    if (is.null(read) && !is.null(source$table)) read <- table_identity(source$connection, source$table)
    !is.null(written) && written %in% read
  })
}

# Keeps the table of the output that is looked for, and its state.
look_at_output <- function(target, x, guard, call) {
  run <- state$run
  run$outputs <- c(run$outputs, list(list(output = target$name)))
  if (!is.null(run$wanted) && !identical(target$name, run$wanted)) return(x)
  table <- if (is_rooted_table(x)) current_table(x, call) else open_frame(x)
  run$tables <- c(run$tables, list(list(name = target$name, path = target$path, table = table,
                                        state = output_state(target, record_for(target, table, guard, call)))))
  x
}

# In a run the others go on.
save_or_note <- function(x, target, force, guard, call) {
  tryCatch(save_output(x, target, force, guard, call), error = function(e) {
    note_failure(state$run, target$name, e)
    tell_run(target$name, "failed", first_lines(e))
  })
}

# What the values of the table are made from, as far as it counts for an output.
origin_of_output <- function(target, x, call) UseMethod("origin_of_output")

#' @export
origin_of_output.default <- function(target, x, call) table_origin(x, call)

record_for <- function(target, x, guard, call) {
  origin <- origin_of_output(target, x, call)
  if (guard) origin$key <- rlang::hash(paste(origin$key, "guarded"))
  if (!is.null(target$parts)) origin$key <- rlang::hash(paste(origin$key, "parts", target$parts))
  now <- new_record(target$name, x, origin, table_keys(x, origin$parts, call))
  if (is.null(state$run) && any(vapply(now$lines, function(line) !is.null(line$anew), NA))) {
    now$key <- rlang::hash(paste(now$key, new_nonce()))
  }
  now$guarded <- guard
  now$parts <- target$parts
  now
}

# Writes the output if it must be written, and reports its state to the run.
save_output <- function(x, target, force, guard, call) {
  now <- record_for(target, x, guard, call)
  found <- output_state(target, now)
  run <- state$run
  chosen <- is.null(run$only) || target$name %in% vapply(run$only, plain_path, "")
  if (identical(run$mode, "status") || !chosen) return(tell_run(target$name, found$state, found$why, chosen = chosen))
  if (found$state == "up to date" && !force) return(tell_run(target$name, "up to date"))
  if (found$state == "foreign" && !force && inherits(target, "database_target")) {
    stop_foreign(target$name, found$why, call)
  }
  tell_not_repeatable(now$lines, call)
  started <- proc.time()[["elapsed"]]
  rows <- with_progress(source_bytes(rooted(x)$source), within_memory(target_write(target, x, now, found, force, call)))
  why <- if (found$state == "up to date") "asked for" else if (found$state == "foreign" && force) c(found$why,
      "asked for") else found$why
  tell_run(target$name, "made", why, rows = as.vector(rows), seconds = round(proc.time()[["elapsed"]] - started, 3),
           files = attr(rows, "files"))
}

# What an output is made from, as data for its record.
new_record <- function(output, x, origin, keys) {
  list(
    output = output, key = origin$key, script = state$run$script,
    inputs = unname(Map(function(name, hash) list(name = name, hash = hash), all_parts(origin)$name,
                        all_parts(origin)$hash)),
    lines = table_lines(x), settings = as.list(session_settings()), source = rlang::hash(source_key(rooted(x)$source)),
      key_names = names(keys$columns), keys = unname(keys$columns), rows_key = keys$rows,
    rowanroot = as.character(utils::packageVersion("rowanroot")), r = as.character(getRversion())
  )
}

table_lines <- function(x) unlist(lapply(rooted(x)$steps, lines_of_step), recursive = FALSE)
