#' Coming from other ways of working
#'
#' The words of spreadsheets, SQL and base R, and rowanroot's words for the same things.
#'
#' @section In formulas:
#' \tabular{lll}{
#'   \strong{spreadsheet} \tab \strong{SQL, base R} \tab \strong{rowanroot} \cr
#'   `=B2-C2`, filled down \tab `b - c` \tab `b - c`, for all rows at once \cr
#'   `IF`, `IFS` \tab `CASE WHEN`, `ifelse()` \tab `if (condition) a else b` \cr
#'   `SWITCH`, `CHOOSE` \tab `CASE x WHEN` \tab `switch(x, NB = "North Bank", "elsewhere")` \cr
#'   `IFERROR`, `IFNA` \tab `COALESCE`, `NVL` \tab [first_known()] \cr
#'   `SUM`, `AVERAGE`, `STDEV` \tab `SUM() OVER ()`, `ave()` \tab `sum(x)`, `mean(x)`, `sd(x)`; groups: `within =
#'   apiary` \cr
#'   `SUM` across a row \tab `a + b + c`, `rowSums()` \tab [row_total()], [row_mean()], [row_max()] \cr
#'   `SUM(B$2:B2)` \tab `SUM() OVER (ORDER BY)`, `cumsum()` \tab [running_total()] \cr
#'   a formula that uses the cell above \tab `LAG`, `Reduce()` \tab [previous()], [running()] \cr
#'   the cell below \tab `LEAD` \tab [following()] \cr
#'   a rolling mean \tab `AVG() OVER (ROWS ...)` \tab [moving_mean()] \cr
#'   `RANK` \tab `RANK`, `DENSE_RANK`, `PERCENT_RANK` \tab [ranking()] \cr
#'   quartiles, deciles \tab `NTILE` \tab [equal_parts()] \cr
#'   fill down \tab \tab [last_known()] \cr
#'   `VLOOKUP`, `XLOOKUP` \tab `LEFT JOIN`, `match()` \tab [look_up()] \cr
#'   `CONCAT`, `&` \tab \code{||}, `paste()` \tab [join_text()] \cr
#'   `TEXTSPLIT` \tab `strsplit()` \tab [split_text()] \cr
#'   `LEFT`, `MID`, `LEN`, `UPPER`, `TRIM` \tab `SUBSTRING`, `LENGTH` \tab `substr()`, `nchar()`, `toupper()`,
#'   `trimws()` \cr
#'   `PROPER` \tab \tab [title_case()] \cr
#'   `VALUE`, `DATEVALUE` \tab `CAST` \tab [as_number()], [as_date()] \cr
#'   `YEAR`, `MONTH` \tab `EXTRACT` \tab [date_part()] \cr
#'   `EDATE`, `EOMONTH` \tab `seq(by = "month")` \tab [add_time()], [end_of()] \cr
#'   `DATEDIF` \tab `DATEDIFF`, `difftime()` \tab [time_between()] \cr
#'   `CONVERT` \tab \tab [convert_unit()] \cr
#'   bands of numbers \tab `cut()` \tab [bands()] \cr
#'   `STANDARDIZE` \tab `scale()` \tab [z_score()], [min_max()], [share()] \cr
#' }
#' @section For tables:
#' \tabular{lll}{
#'   \strong{spreadsheet} \tab \strong{SQL, base R} \tab \strong{rowanroot} \cr
#'   a new column \tab `SELECT`, `transform()`, `within()` \tab [set_columns()] \cr
#'   filter \tab `WHERE`, `subset()` \tab [keep_rows()], [drop_rows()] \cr
#'   sort \tab `ORDER BY`, `order()` \tab [sort_rows()], [top_rows()] \cr
#'   remove duplicates \tab `DISTINCT`, `unique()` \tab [one_of_each()] \cr
#'   a pivot table \tab `GROUP BY`, `aggregate()` \tab [one_row_per()], [columns_from_rows()] \cr
#'   columns into rows \tab `reshape()` \tab [rows_from_columns()] \cr
#'   \tab `INNER JOIN`, `FULL JOIN`, `merge()` \tab [join_rows()] \cr
#'   paste below, paste beside \tab `UNION ALL`, `rbind()`, `cbind()` \tab [append_rows()], [append_columns()] \cr
#'   data validation \tab `CHECK`, `stopifnot()` \tab [must_hold()], [should_hold()] \cr
#'   links to other files \tab a view \tab [open_table()], [save_table()], [run_script()] \cr
#' }
#' @examples
#' visits <- data.frame(apiary = c("NB", "NB", "SH"), net_kg = c(20, 25, 14))
#' visits |> set_columns({
#'   strength <- if (net_kg > 18) "strong" else "fair"   # IF
#'   so_far   <- running_total(net_kg)                   # SUM(B$2:B2)
#'   place    <- ranking(net_kg, best = "highest")       # RANK
#' })
#' @concept spreadsheet
#' @concept SQL
#' @concept VLOOKUP
#' @concept case when
#' @name coming_from
NULL

# Functions of spreadsheets and of SQL that people type, and what to write here.
functions_elsewhere <- c(
  IF = "if (condition) a else b", IFS = "if (condition) a else if (other) b else c", CASE = "if (condition) a else b",
  IFERROR = "first_known(a, b)", IFNA = "first_known(a, b)", COALESCE = "first_known(a, b)", NVL = "first_known(a, b)",
  SUM = "sum(x)", AVERAGE = "mean(x)", AVG = "mean(x)", COUNT = "count_known(x)", STDEV = "sd(x)", MEDIAN = "median(x)",
  MIN = "min(x)", MAX = "max(x)", ABS = "abs(x)", ROUND = "round(x, digits)", SQRT = "sqrt(x)",
  VLOOKUP = "look_up(key, table, by = key, take = value)", XLOOKUP = "look_up(key, table, by = key, take = value)",
  HLOOKUP = "look_up(key, table, by = key, take = value)", INDEX = "look_up(key, table, by = key, take = value)",
  CONCAT = "join_text(a, b, with = \" \")", CONCATENATE = "join_text(a, b, with = \" \")",
  TEXTJOIN = "join_text(a, b, with = \" \")", TEXTSPLIT = "split_text(x, \"-\")",
  LEFT = "substr(x, 1, n)", RIGHT = "substr(x, nchar(x) - n + 1, nchar(x))", MID = "substr(x, from, to)",
  SUBSTRING = "substr(x, from, to)", LEN = "nchar(x)", LENGTH = "nchar(x)", UPPER = "toupper(x)", LOWER = "tolower(x)",
  PROPER = "title_case(x)", TRIM = "trimws(x)", SUBSTITUTE = "gsub(from, to, x, fixed = TRUE)",
  NTILE = "equal_parts(x, 4, best = \"highest\")", EDATE = "add_time(x, 1, \"months\")",
  EOMONTH = "end_of(x, \"month\")", LAG = "previous(x)", LEAD = "following(x)", RANK = "ranking(x, best = \"highest\")",
  DENSE_RANK = "ranking(x, best = \"highest\", ties = \"dense\")",
  PERCENT_RANK = "ranking(x, best = \"highest\", as = \"percent_rank\")", ROW_NUMBER = ".row",
  YEAR = "date_part(x, \"year\")", MONTH = "date_part(x, \"month\")", DAY = "date_part(x, \"day\")",
  DATEDIF = "time_between(from, to, \"days\")", DATEDIFF = "time_between(from, to, \"days\")",
  DATEVALUE = "as_date(x, \"%d/%m/%Y\")", VALUE = "as_number(x)", CAST = "as_number(x)",
  ISBLANK = "is.na(x)", ISNULL = "is.na(x)", AND = "a && b", OR = "a || b", NOT = "!a",
  SUMIF = "sum(if (condition) x else 0)",
  COUNTIF = "sum(condition)", CONVERT = "convert_unit(x, \"kg\", \"lb\")"
)
