# SQLite. It has no NaN, gives NULL for what R calls infinite, and whole numbers of 64 bits: where that would make a
# difference the statement fails, and is calculated in memory.

#' @export
sql_dialect.SQLiteConnection <- function(connection) {
  dialect <- list(connection = connection,
       types = c(logical = "INTEGER", integer = "INTEGER", double = "REAL", text = "TEXT", date = "REAL"),
       collation = "BINARY", size = "length", place = "instr", trim = "trim",
       of_date = function(sql) paste0("strftime('%Y-%m-%d', ", seconds_in_sqlite(sql), ", 'unixepoch')"),
       aggregates = sqlite_aggregates(), frame_of_sums = sqlite_frame_of_sums,
       literal = sqlite_literal, is_typed = FALSE, has_nan = FALSE,
       failure = sqlite_failure("random() IS NOT NULL"), fence = " LIMIT -1 OFFSET 0",
       convert = sqlite_convert, whole_part = function(sql) paste0("CAST(", sql, " AS INTEGER)"),
       whole = function(sql) paste0("(CASE WHEN ", sql, " BETWEEN -2147483647 AND 2147483647 THEN ", sql, " WHEN ", sql,
                                    " IS NOT NULL THEN ", sqlite_failure(paste(sql, "IS NOT NULL")), " END)"),
       mean_of_none = function(sql) paste0("coalesce(", sql, ", ", sqlite_failure(paste(sql, "IS NULL")), ")"),
       not_nought = function(count) paste0("(", count, " > 0 OR ", sqlite_failure(paste(count, "= 0")), ")"))
  with_words(dialect, c(sqlite_words(), sqlite_dates(dialect)))
}

# A sum of infinite numbers may be NaN, which SQLite gives as NULL.
sqlite_aggregates <- function() {
  sums <- lapply(named_aggregates(c(sum = "sum", total = "sum", mean = "avg")), function(make) {
    force(make)
    function(x, over) {
      any <- paste0("count(", x, ")", over, " > 0")
      paste0("coalesce(", make(x, over), ", CASE WHEN ", any, " THEN ", sqlite_failure(any), " END)")
    }
  })
  c(sums, named_aggregates(c(least = "min", greatest = "max", any = "max", all = "min")))
}

# SQLite takes from a moving sum what leaves the window, and what was infinite, or very large, leaves no sum behind. If
# rows of the same place are left out it adds up each window. Each row has a place of its own.
sqlite_frame_of_sums <- function(frame, rows) {
  if (rows > 100) not_in_sql("sums of windows of more than 100 rows")
  paste(frame, "EXCLUDE TIES")
}

sqlite_literal <- function(value, type) {
  switch(type,
    logical = if (value) "1" else "0",
    integer = paste0("(", format(value, scientific = FALSE), ")"),
    double = {
      if (is.nan(value)) not_in_sql("NaN, which SQLite has not")
      if (is.infinite(value)) return(if (value < 0) "(-9e999)" else "9e999")
      text <- shortest_texts_cpp(value)
      paste0("(", text, if (!grepl("[.e]", text)) ".0", ")")
    },
    date = sqlite_literal(as.numeric(value), "double")
  )
}

sqlite_convert <- function(sql, from, to) {
  switch(paste(from, to),
    "logical integer" = sql, "logical double" = , "integer double" = paste0("CAST(", sql, " AS REAL)"),
    "integer logical" = paste0("(", sql, " <> 0)"),
    not_in_sql("a conversion from ", from, " to ", to)
  )
}

# An error if it is looked at where the condition holds, which keeps it from being looked at before.
sqlite_failure <- function(condition) paste0("abs(-9223372036854775807 - (", condition, "))")

# With the sign of the divisor, as in R; missing for 0.
sqlite_remainder <- function(operands) {
  a <- operands[[1]]$sql
  b <- operands[[2]]$sql
  paste0("(((", a, " % ", b, ") + ", b, ") % ", b, ")")
}

sqlite_words <- function() {
  arithmetic <- function(sign) {
    force(sign)
    function(operands, type) {
      a <- operands[[1]]$sql
      b <- operands[[2]]$sql
      result <- paste0("(", a, " ", sign, " ", b, ")")
      if (type == "double") {
        return(paste0("coalesce(", result, ", CASE WHEN ", a, " IS NOT NULL AND ", b, " IS NOT NULL THEN ",
                      sqlite_failure(paste(a, "IS NOT NULL")), " END)"))
      }
      paste0("(CASE WHEN ", result, " BETWEEN -2147483647 AND 2147483647 THEN ", result, " WHEN ", result,
             " IS NOT NULL THEN ", sqlite_failure(paste(a, "IS NOT NULL")), " END)")
    }
  }
  list(
    add = arithmetic("+"), subtract = arithmetic("-"), multiply = arithmetic("*"),
    divide = function(operands, type) {
      a <- operands[[1]]$sql
      b <- operands[[2]]
      if (!is.null(b$value) && is.finite(b$value) && b$value != 0) return(paste0("(", a, " / ", b$sql, ")"))
      paste0("coalesce(", a, " / ", b$sql, ", CASE WHEN ", a, " IS NOT NULL AND ", b$sql, " IS NOT NULL THEN ",
             sqlite_failure(paste(a, "IS NOT NULL")), " END)")
    },
    modulus = function(operands, type) {
      if (type == "double") not_in_sql("`%%` of doubles")
      sqlite_remainder(operands)
    },
    whole_divide = function(operands, type) {
      if (type == "double") not_in_sql("`%/%` of doubles")
      paste0("((", operands[[1]]$sql, " - ", sqlite_remainder(operands), ") / ", operands[[2]]$sql, ")")
    },
    is_true = function(operands, type) paste0("coalesce(", operands[[1]]$sql, ", 0)"),
    is_false = function(operands, type) paste0("coalesce(NOT ", operands[[1]]$sql, ", 0)"),
    is_finite = function(operands, type) {
      if (operands[[1]]$type != "double") return(paste0("(", operands[[1]]$sql, " IS NOT NULL)"))
      paste0("coalesce(abs(", operands[[1]]$sql, ") < 9e999, 0)")
    },
    is_infinite = function(operands, type) paste0("coalesce(abs(", operands[[1]]$sql, ") = 9e999, 0)"),
    is_not_a_number = function(operands, type) "0"
  )
}

# Days since 1970 are whole here, as dates are; others make the statement fail.
sqlite_dates <- function(dialect) {
  digit <- list(sign = " GLOB ", begin = "", end = "", literal = function(pieces) {
    ifelse(pieces == "%%", "%", ifelse(pieces %in% c("*", "?", "["), paste0("[", pieces, "]"), pieces))
  })
  as_date <- function(year, month, day) {
    iso <- paste(year, month, day, sep = " || '-' || ")
    sprintf("CASE WHEN date(%s) = %s THEN julianday(%s) - 2440587.5 ELSE %s END", iso, iso, iso,
            failure_as("date", dialect))
  }
  list(
    part_of_date = function(operands, type) {
      part <- part_of_dates(operands, c("year", "month", "day", "weekday", "quarter"))
      list(sql = part_in_sqlite(operands[[1]]$sql, part), type = "integer")
    },
    start_of_period = function(operands, type) {
      x <- operands[[1]]$sql
      before <- switch(part_of_dates(operands, c("year", "month", "week", "day")),
        year = strftime_in_sqlite("%j", x), month = strftime_in_sqlite("%d", x), week = part_in_sqlite(x, "weekday"),
        day = "1"
      )
      list(sql = paste0("(", x, " - (", before, " - 1))"), type = "date")
    },
    later_date = function(operands, type) {
      unit <- unit_of_dates(operands["x"], operands$unit, c("days", "weeks"))
      list(sql = sprintf("(%s + %.0f.0 * %s)", operands$x$sql, c(days = 1, weeks = 7)[[unit]],
                         whole_count(operands$count)), type = "date")
    },
    between_dates = days_between_in_sql("(%s - %s)"),
    date_of_text = function(operands, type) date_of_text_in_sql(operands, digit, as_date, dialect)
  )
}

seconds_in_sqlite <- function(x) {
  paste0("(CASE WHEN ", x, " = CAST(", x, " AS INTEGER) AND abs(", x, ") < 700000 THEN CAST(", x,
         " AS INTEGER) * 86400 WHEN ", x, " IS NOT NULL THEN ", sqlite_failure(paste(x, "IS NOT NULL")), " END)")
}

strftime_in_sqlite <- function(format, x) {
  paste0("CAST(strftime('", format, "', ", seconds_in_sqlite(x), ", 'unixepoch') AS INTEGER)")
}

part_in_sqlite <- function(x, part) {
  switch(part,
    year = strftime_in_sqlite("%Y", x), month = strftime_in_sqlite("%m", x), day = strftime_in_sqlite("%d", x),
    weekday = paste0("((", strftime_in_sqlite("%w", x), " + 6) % 7 + 1)"),
    quarter = paste0("((", strftime_in_sqlite("%m", x), " + 2) / 3)")
  )
}
