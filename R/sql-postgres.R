# PostgreSQL. Its arithmetic is R's, but for errors where R has infinite values, NaN or 0, and warnings: a statement
# that fails is calculated in memory.

postgres_types <- c(logical = "bool", integer = "int4", double = "float8", text = "text", date = "date")

#' @export
sql_dialect.PqConnection <- function(connection) {
  dialect <- list(connection = connection,
       types = postgres_types,
       collation = "\"C\"", size = "char_length", place = "strpos", trim = "btrim",
       of_date = function(sql) paste0("to_char(", sql, ", 'YYYY-MM-DD')"),
       aggregates = named_aggregates(c(sum = "sum", total = "sum", mean = "avg", variance = "var_samp", least = "min",
                                       greatest = "max", any = "bool_or", all = "bool_and")),
       literal = postgres_literal, is_typed = TRUE, has_nan = TRUE,
       failure = "(1 / (random() * 0)::int4)", fence = " OFFSET 0", convert = postgres_convert,
       whole = whole_in_postgres, whole_part = function(sql) paste0("floor(", sql, ")::int4"),
       recurrence = postgres_recurrence, frame_of_sums = function(frame, rows) frame,
       days_around = postgres_days_around,
       mean_of_none = function(sql) paste0("coalesce(", sql, ", 'NaN'::float8)"),
       not_nought = function(count) paste0("1 / ", count, " >= 0"))
  with_words(dialect, postgres_words(dialect))
}

postgres_literal <- function(value, type) {
  switch(type,
    logical = if (value) "TRUE" else "FALSE",
    integer = paste0("(", format(value, scientific = FALSE), ")"),
    double = {
      text <- if (is.nan(value)) "NaN" else if (is.infinite(value)) sub("Inf", "Infinity", format(value))
              else shortest_texts_cpp(value)
      paste0("'", text, "'::float8")
    },
    date = if (is.na(value)) "NULL" else paste0("'", format(value), "'::date")
  )
}

postgres_convert <- function(sql, from, to) {
  switch(paste(from, to),
    "logical integer" = paste0(sql, "::int4"), "logical double" = paste0(sql, "::int4::float8"),
    "integer double" = paste0(sql, "::float8"), "integer logical" = paste0("(", sql, " <> 0)"),
    not_in_sql("a conversion from ", from, " to ", to)
  )
}

postgres_words <- function(dialect) {
  c(postgres_arithmetic(), postgres_functions(), postgres_tests(), postgres_cases(), postgres_dates(dialect))
}

# R has no whole numbers beyond 2^31 - 1 in size: the server fails there, and memory warns.
whole_in_postgres <- function(text) paste0("((", text, " - 1)::int4 + 1)")

postgres_arithmetic <- function() {
  arithmetic <- function(sign) {
    force(sign)
    function(operands, type) {
      if (type == "double") return(paste0("(", operands[[1]]$sql, " ", sign, " ", operands[[2]]$sql, ")"))
      whole_in_postgres(paste0("(", operands[[1]]$sql, "::int8 ", sign, " ", operands[[2]]$sql, ")"))
    }
  }
  remainder <- function(operands) {
    a <- operands[[1]]$sql
    b <- operands[[2]]$sql
    paste0("(CASE WHEN ", b, " = 0 THEN NULL ELSE ((", a, "::int8 % ", b, ") + ", b, ") % ", b, " END)")
  }
  list(
    add = arithmetic("+"), subtract = arithmetic("-"), multiply = arithmetic("*"), divide = divided_in_postgres,
    modulus = function(operands, type) {
      if (type == "double") not_in_sql("`%%` of doubles")
      paste0(remainder(operands), "::int4")
    },
    whole_divide = function(operands, type) {
      if (type == "double") not_in_sql("`%/%` of doubles")
      # Towards zero there, down in R. Nothing is too large then.
      if (isTRUE(operands[[2]]$value > 1)) return(fill_template("({1} / {2} - ({1} % {2} < 0)::int4)", operands))
      whole_in_postgres(paste0("((", operands[[1]]$sql, " - ", remainder(operands), ") / nullif(", operands[[2]]$sql,
                               ", 0))"))
    }
  )
}

# By 0, of either sign, as R does.
divided_in_postgres <- function(operands, type) {
  a <- operands[[1]]
  b <- operands[[2]]
  if (!is.null(b$value) && is.finite(b$value) && b$value != 0) return(paste0("(", a$sql, " / ", b$sql, ")"))
  paste0("(CASE WHEN ", b$sql, " <> 0 THEN ", a$sql, " / ", b$sql, " WHEN ", a$sql, " IS NULL OR ", b$sql,
         " IS NULL THEN NULL WHEN ", a$sql, " = 0 OR ", a$sql, " = 'NaN' THEN 'NaN'::float8 WHEN (", a$sql,
         " < 0) <> (", b$sql, "::text = '-0') THEN '-Infinity'::float8 ELSE 'Infinity'::float8 END)")
}

postgres_functions <- function() {
  of_double <- function(name, rounded = FALSE) {
    force(name)
    force(rounded)
    function(operands, type) list(sql = paste0(name, "(", operands[[1]]$sql, ")"), type = "double", rounded = rounded)
  }
  list(
    power = function(operands, type) {
      if (!identical(operands[[2]]$value, 2)) not_in_sql("a power other than the square")
      paste0("(", operands[[1]]$sql, " * ", operands[[1]]$sql, ")")
    },
    square_root = of_double("sqrt"), exponential = of_double("exp", TRUE), logarithm = of_double("ln", TRUE),
    floor = of_double("floor"), ceiling = of_double("ceil"), truncate = of_double("trunc"),
    round = function(operands, type) {
      if (!identical(as.numeric(operands[[2]]$value), 0)) not_in_sql("`round()` to digits")
      paste0("round(", operands[[1]]$sql, ")")
    }
  )
}

postgres_tests <- function() list(
  is_true = function(operands, type) paste0("(", operands[[1]]$sql, " IS TRUE)"),
  is_false = function(operands, type) paste0("(", operands[[1]]$sql, " IS FALSE)"),
  is_not_a_number = function(operands, type) paste0("(coalesce(", operands[[1]]$sql, ", 0) = 'NaN')"),
  is_infinite = function(operands, type) paste0("(abs(coalesce(", operands[[1]]$sql, ", 0)) = 'Infinity')"),
  is_finite = function(operands, type) {
    if (operands[[1]]$type != "double") return(paste0("(", operands[[1]]$sql, " IS NOT NULL)"))
    paste0("(abs(coalesce(", operands[[1]]$sql, ", 'NaN')) < 'Infinity')")
  }
)

postgres_cases <- function() {
  of_text <- function(name) {
    force(name)
    function(operands, type) {
      if (type != "text") not_in_sql("the case of this")
      paste0(name, "(", operands[[1]]$sql, " COLLATE \"C.utf8\")")
    }
  }
  list(upper = of_text("upper"), lower = of_text("lower"))
}

postgres_dates <- function(dialect) {
  digit <- list(sign = " ~ ", begin = "^", end = "$", literal = function(pieces) {
    ifelse(pieces == "%%", "%", paste0("\\", pieces))
  })
  as_date <- function(year, month, day) sprintf("make_date(%s::int4, %s::int4, %s::int4)", year, month, day)
  list(
    part_of_date = function(operands, type) {
      parts <- c(year = "year", quarter = "quarter", month = "month", day = "day", weekday = "isodow", week = "week")
      part <- part_of_dates(operands, names(parts))
      list(sql = paste0("extract(", parts[[part]], " FROM ", operands[[1]]$sql, ")::int4"), type = "integer")
    },
    start_of_period = function(operands, type) list(sql = period_in_postgres(operands), type = "date"),
    end_of_period = function(operands, type) {
      unit <- c(year = "1 year", quarter = "3 months", month = "1 month", week = "7 days", day = "1 day")
      part <- part_of_dates(operands, names(unit))
      start <- period_in_postgres(operands)
      list(sql = paste0("(", start, " + interval '", unit[[part]], "' - interval '1 day')::date"), type = "date")
    },
    later_date = function(operands, type) {
      units <- c(days = "days", weeks = "weeks", months = "months", quarters = "months", years = "years")
      unit <- unit_of_dates(operands["x"], operands$unit, names(units))
      count <- whole_count(operands$count)
      if (unit == "quarters") count <- paste0("(3 * ", count, ")")
      list(sql = paste0("(", operands$x$sql, " + make_interval(", units[[unit]], " => ", count, "))::date"),
           type = "date")
    },
    between_dates = days_between_in_sql("(%s - %s)::float8"),
    date_of_text = function(operands, type) date_of_text_in_sql(operands, digit, as_date, dialect)
  )
}

period_in_postgres <- function(operands) {
  part <- part_of_dates(operands, c("year", "quarter", "month", "week", "day"))
  paste0("date_trunc('", part, "', ", operands[[1]]$sql, "::timestamp)::date")
}

# By a window's reach before and after its day.
postgres_days_around <- function(day, reach) {
  time <- vapply(reach, function(of) sprintf("interval '%.0f months %.0f days'", of[["months"]], of[["days"]]), "")
  list(terms = paste(day, "NULLS LAST"),
       frame = paste("RANGE BETWEEN", time[1], "PRECEDING AND", time[2], "FOLLOWING"))
}

# In the schema of the session, which ends with it. What has the same name does the same. Of several columns the value
# above is a row of a type of its own.
postgres_recurrence <- function(types, given, formulas) {
  types <- postgres_types[types]
  given <- postgres_types[given]
  if (anyNA(c(types, given))) not_in_sql("`running()` of this")
  name <- paste0("pg_temp.rowanroot_", substr(rlang::hash(list(types, given, formulas)), 1, 16))
  state <- if (length(types) == 1) types[[1]] else paste0(name, "_above")
  of_row <- if (length(types) == 1) formulas else paste0("ROW(", paste(formulas, collapse = ", "), ")::", state)
  list(name = name, prepare = c(
    if (length(types) > 1) new_type_in_postgres(state, types),
    paste0("CREATE OR REPLACE FUNCTION ", name, "_row(", paste(c(state, given), collapse = ", "), ") RETURNS ", state,
           " LANGUAGE SQL AS ", dollar_quoted(paste("SELECT", of_row))),
    paste0("CREATE OR REPLACE AGGREGATE ", name, "(", paste(given, collapse = ", "), ") (SFUNC = ", name,
           "_row, STYPE = ", state, ")")
  ))
}

# If the session has it not yet.
new_type_in_postgres <- function(name, types) {
  parts <- paste0("c", seq_along(types), " ", types, collapse = ", ")
  paste0("DO ", dollar_quoted(paste0("BEGIN CREATE TYPE ", name, " AS (", parts, "); ",
                                     "EXCEPTION WHEN duplicate_object THEN NULL; END")))
}

# Between marks that the text has not.
dollar_quoted <- function(text) {
  mark <- "$row$"
  while (grepl(mark, text, fixed = TRUE)) mark <- sub("row", "row_", mark, fixed = TRUE)
  paste0(mark, text, mark)
}
