#' @section Verbs for tables:
#' * add and change columns: [set_columns()]; choose them: [keep_columns()], [drop_columns()], [move_columns()],
#'   [rename_columns()], with [names_like()], [columns_that()], [all_columns()]
#' * rows: [keep_rows()], [drop_rows()], [sort_rows()], [top_rows()], [bottom_rows()], [one_of_each()]; groups:
#'   [one_row_per()]; long and wide: [rows_from_columns()], [columns_from_rows()]
#' * combine tables: [append_rows()], [append_columns()], [join_rows()], [look_up()]
#' * check: [must_hold()], [should_hold()], with [known()], [in_range()], [has_form()], [only_once()]
#' * look: [peek()], [column_summary()], [compare_tables()], [plot_column()], [plot_running()], [plot_ranking()]
#' * steps for many tables: [routine()], [run()], [calibrate()]
#' @section Words for formulas:
#' R's own functions, and:
#' * rank: [ranking()], [row_ranking()], [equal_parts()]; across columns: [row_total()], [row_mean()], [row_min()],
#'   [row_max()], [row_known()], [row_missing()], [row_max_name()], [row_min_name()]
#' * order of rows (cumulative sums, lags, rolling means): [running_total()] and the like,
#'   [running()], [moving_mean()] and the like, [previous()], [following()], [change()]
#' * scale: [z_score()], [min_max()], [share()], [bands()], [convert_unit()]
#' * missing values: [first_known()], [last_known()], [next_known()]; aggregates: [count_known()],
#'   [count_distinct()], [first_value()], [last_value()]
#' * text: [split_text()], [join_text()], [title_case()], [text_between()], [text_found()], [pattern()]
#' * convert: [as_number()], [as_date()], [as_time()], [as_category()]
#' * dates: [date_part()], [start_of()], [end_of()], [add_time()], [time_between()]
#' * your own functions: [one_by_one()], [all_at_once()]
#' @section Files and runs:
#' [open_table()], [save_table()], [file_formats], [run_script()], [script_status()], [changes()], [why()],
#' [lineage()], [show_steps()], [report()], [make_project()], [make_demo()], [clean_store()]
#'
#' See also [coming_from]: the words of spreadsheets, SQL and base R, and rowanroot's words for the
#' same things.
#' @section Options:
#' Set with [options()]; none is needed.
#'
#' * `rowanroot.threads`: how many threads a job may use; 0, the default, depends on the size of the job.
#' * `rowanroot.memory`: how much memory rowanroot's own columns may take, as in `"4 GB"` or in bytes, at least 64 MB;
#'   by default half of what is free to the process, in the container that it runs in. What is beyond that lies in files
#'   without a name in the folder `rowanroot.scratch`: by default `.rowanroot/scratch`, or R's temporary folder where
#'   there is no `.rowanroot`.
#'   Vectors made by R's functions, and strings that have been looked at, are in R's own memory and not counted.
#' * `rowanroot.keep`: `FALSE` to store nothing but the journal in `.rowanroot`. `rowanroot.kept_bytes` (10e9) limits
#'   the size of the cached columns; those unused for longest are removed first. Columns of files are cached if the
#'   files have `rowanroot.keep_from` (1e6) bytes together, calculated columns if they took `rowanroot.keep_seconds`
#'   (0.25).
#' * `rowanroot.left_alone`: how many seconds (0.5) a file that may be incomplete, as it ends in the middle of a line,
#'   must be left alone before it is read.
#' @keywords internal
"_PACKAGE"

#' @importFrom Rcpp evalCpp
#' @useDynLib rowanroot, .registration = TRUE
NULL

# What holds for one run of a script: see `with_run()`.
state <- new.env(parent = emptyenv())

.onLoad <- function(libname, pkgname) {
  state$engine <- memory_engine()
  register_base_methods()
}
