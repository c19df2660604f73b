# Functions of texts, as SQL. Servers say the same of them but for a few names: `says` has these.
#   size        the number of characters of a text
#   place       where another text first stands in it, or 0
#   trim        what cuts characters off both ends
#   of_date     a function of a date's SQL: its text, such as 2025-03-01
# and what else a dialect has (sql-dialect.R).

text_words <- function(says) {
  list(
    characters = function(operands, type) {
      of_texts("nchar", operands["x"])
      if (length(operands) > 1 && !identical(operands$type$value, "chars")) not_in_sql("`nchar()` of bytes")
      list(sql = paste0(says$size, "(", operands$x$sql, ")"), type = "integer")
    },
    part_of_text = function(operands, type) part_of_text_in_sql(operands),
    as_text = function(operands, type) {
      if (length(operands) > 1) not_in_sql("`as.character()` like this")
      list(sql = text_in_sql(operands[[1]], says), type = "text")
    },
    pasted = function(operands, type) list(sql = pasted_in_sql(operands, says, " "), type = "text"),
    pasted_close = function(operands, type) list(sql = pasted_in_sql(operands, says, ""), type = "text"),
    joined = function(operands, type) list(sql = joined_in_sql(operands, says), type = "text"),
    trimmed = function(operands, type) trimmed_in_sql(operands, says),
    begins = function(operands, type) {
      of_texts("startsWith", operands)
      size <- paste0(says$size, "(", operands$prefix$sql, ")")
      list(sql = text_equals(paste0("substr(", operands$x$sql, ", 1, ", size, ")"), operands$prefix, says),
           type = "logical")
    },
    ends = function(operands, type) {
      of_texts("endsWith", operands)
      x <- operands$x$sql
      size <- sprintf("%s(%s) - %s(%s)", says$size, x, says$size, operands$suffix$sql)
      end <- paste0("substr(", x, ", ", size, " + 1)")
      list(sql = paste0("(", size, " >= 0 AND ", text_equals(end, operands$suffix, says), ")"), type = "logical")
    },
    found = function(operands, type) {
      check_literal_pattern("grepl", operands, c("pattern", "x", "fixed"))
      list(sql = paste0("(coalesce(", says$place, "(", operands$x$sql, ", ", operands$pattern$sql, "), 0) > 0)"),
           type = "logical")
    },
    replaced = function(operands, type) {
      check_literal_pattern("gsub", operands, c("pattern", "replacement", "x", "fixed"))
      paste0("replace(", operands$x$sql, ", ", operands$pattern$sql, ", ", operands$replacement$sql, ")")
    },
    replaced_once = function(operands, type) {
      check_literal_pattern("sub", operands, c("pattern", "replacement", "x", "fixed"))
      x <- operands$x$sql
      place <- paste0(says$place, "(", x, ", ", operands$pattern$sql, ")")
      after <- paste0(place, " + ", says$size, "(", operands$pattern$sql, ")")
      paste0("(CASE WHEN ", place, " > 0 THEN substr(", x, ", 1, ", place, " - 1) || ", operands$replacement$sql,
             " || substr(", x, ", ", after, ") ELSE ", x, " END)")
    },
    between = function(operands, type) between_in_sql(operands, says)
  )
}

of_texts <- function(name, operands) {
  for (operand in operands) if (!identical(operand$type, "text")) not_in_sql("`", name, "()` of this")
}

text_equals <- function(sql, text, says) paste0("(", sql, " COLLATE ", says$collation, " = ", text$sql, ")")

# By the numbers of characters.
part_of_text_in_sql <- function(operands) {
  of_texts("substr", operands[1])
  ends <- lapply(operands[-1], `[[`, "value")
  if (length(ends) == 1) ends <- c(ends, list(1000000))
  if (!all(vapply(ends, function(end) is.numeric(end) && is.finite(end), NA)) || ends[[1]] < 1) {
    not_in_sql("`substr()` with ends that differ from row to row")
  }
  size <- max(trunc(ends[[2]]) - trunc(ends[[1]]) + 1, 0)
  list(sql = sprintf("substr(%s, %.0f, %.0f)", operands[[1]]$sql, trunc(ends[[1]]), min(size, 2^31 - 1)), type = "text")
}

# What R writes of a value. Of whole numbers it writes some as 1e+05: there the statement fails.
text_in_sql <- function(operand, says) {
  sql <- operand$sql
  if (!is.null(operand$value) && !is.na(operand$value) && operand$type != "double") {
    return(sql_text(says, as.character(operand$value)))
  }
  switch(operand$type,
    text = sql,
    logical = paste0("(CASE ", sql, " WHEN TRUE THEN 'TRUE' WHEN FALSE THEN 'FALSE' END)"),
    integer = paste0("(CASE WHEN ", sql, " % 100000 = 0 AND ", sql, " <> 0 THEN ",
                     failure_as("text", says), " ELSE CAST(", sql, " AS TEXT) END)"),
    date = says$of_date(sql),
    missing = "CAST(NULL AS TEXT)",
    not_in_sql("texts of ", if (operand$type == "double") "numbers that may be no whole ones" else "this")
  )
}

# An option that is one text.
text_option <- function(operand, usual) {
  if (is.null(operand)) return(usual)
  if (!rlang::is_string(operand$value)) not_in_sql("an option that is not a text")
  operand$value
}

# Missing values are the text NA to paste().
pasted_in_sql <- function(operands, says, usual) {
  options <- c("sep", "collapse", "recycle0")
  parts <- operands[!names_or_none(operands) %in% options]
  if (!length(parts) || any(c("collapse", "recycle0") %in% names(operands))) not_in_sql("`paste()` like this")
  separator <- sql_text(says, text_option(operands$sep, usual))
  texts <- vapply(parts, text_in_sql, "", says)
  literal <- vapply(parts, function(part) !is.null(part$value) && !is.na(part$value), NA)
  texts <- ifelse(literal, texts, paste0("coalesce(", texts, ", 'NA')"))
  paste0("(", paste(texts, collapse = if (separator == "''") " || " else paste0(" || ", separator, " || ")), ")")
}

joined_in_sql <- function(operands, says) {
  parts <- operands[!names_or_none(operands) %in% c("with", "missing")]
  missing <- text_option(operands$missing, "keep")
  if (!length(parts) || !missing %in% c("keep", "empty")) not_in_sql("`join_text()` like this")
  texts <- vapply(parts, text_in_sql, "", says)
  if (missing == "empty") texts <- paste0("coalesce(", texts, ", '')")
  paste0("(", paste(texts, collapse = paste0(" || ", sql_text(says, text_option(operands$with, " ")), " || ")), ")")
}

trimmed_in_sql <- function(operands, says) {
  of_texts("trimws", operands["x"])
  which <- text_option(operands$which, "both")
  if (!which %in% c("both", "left", "right") || "whitespace" %in% names(operands)) not_in_sql("`trimws()` like this")
  fun <- c(both = says$trim, left = "ltrim", right = "rtrim")[[which]]
  paste0(fun, "(", operands$x$sql, ", ", sql_text(says, " \t\r\n"), ")")
}

# A pattern in which no sign means something else, and no other arguments.
check_literal_pattern <- function(name, operands, known) {
  texts <- operands[setdiff(known, "fixed")]
  fixed <- if (is.null(operands$fixed)) FALSE else operands$fixed$value
  is_plain <- all(names(operands) %in% known) && is_literal(operands$pattern$value, fixed)
  replacement <- operands$replacement$value
  if ("replacement" %in% known) {
    is_plain <- is_plain && is_one_text(replacement) && (fixed || !grepl("\\", replacement, fixed = TRUE))
  }
  if (!is_plain) not_in_sql("`", name, "()` by a pattern")
  of_texts(name, texts)
}

# Between the first `from` and the first `to` after it; without one, from the start or to the end.
between_in_sql <- function(operands, says) {
  rest <- operands$x$sql
  of_texts("text_between", operands)
  ends <- lapply(c(from = "from", to = "to"), function(name) operands[[name]])
  for (end in ends) if (!is.null(end) && (!is_one_text(end$value) || !nzchar(end$value))) {
    not_in_sql("`text_between()` like this")
  }
  conditions <- character()
  if (!is.null(ends$from)) {
    place <- paste0(says$place, "(", rest, ", ", ends$from$sql, ")")
    conditions <- paste(place, "> 0")
    rest <- paste0("substr(", rest, ", ", place, " + ", nchar(ends$from$value), ")")
  }
  if (!is.null(ends$to)) {
    place <- paste0(says$place, "(", rest, ", ", ends$to$sql, ")")
    conditions <- c(conditions, paste(place, "> 0"))
    rest <- paste0("substr(", rest, ", 1, ", place, " - 1)")
  }
  if (!length(conditions)) return(rest)
  paste0("(CASE WHEN ", paste(conditions, collapse = " AND "), " THEN ", rest, " END)")
}

# The parts of a text, one item after the other: each is what stands before the next separator.
sql_split_text <- function(node, items, count) {
  given <- matched_arguments(node)
  option <- function(name, usual) {
    if (is.null(given[[name]])) return(usual)
    if (!is_one_value(given[[name]])) not_in_sql("`split_text()` like this")
    given[[name]]$value
  }
  options <- list(short = option("short", "error"), long = option("long", "error"), at = option("at", NULL))
  is_plain <- is_one_text(options$at) && nzchar(options$at) && option("type", "text") == "text" &&
    option("parts", count) == count && options$short %in% c("error", "missing") &&
    options$long %in% c("error", "missing", "drop", "join")
  if (!is_plain) not_in_sql("`split_text()` like this")
  x <- once(sql_node(given$x, items), items)
  of_texts("split_text", list(x))
  split_operands(x, enc2utf8(options$at), options, count, items)
}

split_operands <- function(x, at, options, count, items) {
  says <- items$dialect
  rest <- x
  parts <- list()
  text <- function(sql, level) new_operand(sql, "text", level)
  for (k in seq_len(count)) {
    place <- paste0(says$place, "(", rest$sql, ", ", sql_text(says, at), ")")
    is_last <- k == count
    whole <- if (is_last && options$long == "join") rest$sql
             else paste0("(CASE WHEN ", place, " > 0 THEN substr(", rest$sql, ", 1, ", place, " - 1) ELSE ", rest$sql,
                         " END)")
    parts[[k]] <- text(whole, rest$level)
    if (!is_last || options$long != "join") {
      after <- paste0("(CASE WHEN ", place, " > 0 THEN substr(", rest$sql, ", ", place, " + ", nchar(at), ") END)")
      rest <- add_item(items, text(after, rest$level))
    }
  }
  # What is left over after the last part, and a last part that is not there.
  too_many <- if (options$long %in% c("error", "missing")) paste0(rest$sql, " IS NOT NULL")
  last <- once(parts[[count]], items)
  parts[[count]] <- last
  too_few <- if (options$short == "error") paste0("(", last$sql, " IS NULL AND ", x$sql, " IS NOT NULL)")
  failure <- failure_as("text", says)
  fails <- paste(c(too_few, if (options$long == "error") too_many), collapse = " OR ")
  level <- max(last$level, rest$level)
  lapply(parts, function(part) {
    cases <- c(if (nzchar(fails)) paste("WHEN", fails, "THEN", failure),
               if (options$long == "missing") paste("WHEN", too_many, "THEN NULL"))
    if (!length(cases)) return(part)
    text(paste0("(CASE ", paste(cases, collapse = " "), " ELSE ", part$sql, " END)"), level)
  })
}

# A category by the ends of its bands. What is above the last makes the statement fail: here the error says which.
sql_bands <- function(node, items) {
  given <- matched_arguments(node)
  out <- if (is.null(given$ends)) "in" else given$ends$value
  ends <- given[!names(given) %in% c("x", "ends")]
  if (!is.character(out) || !all(vapply(ends, is_one_value, NA))) not_in_sql("`bands()` like this")
  x <- once(sql_node(given$x, items), items)
  ends <- lapply(ends, `[[`, "value")
  like <- switch(x$type, integer = integer(), double = double(), date = structure(double(), class = "Date"),
                 not_in_sql("`bands()` of this"))
  tryCatch(check_ends(like, ends, NULL), error = function(e) not_in_sql("`bands()` like this"))
  names <- band_names(ends, out == "out")
  if (anyDuplicated(names) || !out %in% c("in", "out")) not_in_sql("`bands()` like this")
  known <- known_number(x)
  cases <- vapply(seq_along(ends), function(k) {
    is_all <- is.infinite(ends[[k]]) && ends[[k]] > 0
    value <- if (inherits(ends[[k]], "Date")) ends[[k]] else as.numeric(ends[[k]])
    end <- if (!is_all) sql_literal(items$dialect, value)
    condition <- if (is_all) paste(known, "IS NOT NULL") else paste(known, if (out == "in") "<=" else "<", end)
    paste0("WHEN ", condition, " THEN ", sql_text(items$dialect, names[k]))
  }, "")
  failure <- failure_as("text", items$dialect)
  new_operand(paste0("(CASE ", paste(cases, collapse = " "), " WHEN ", known, " IS NOT NULL THEN ", failure, " END)"),
              category_type(names), x$level)
}

# An ordered category has the type of its levels: what has another is another type.
category_type <- function(levels) {
  if (any(grepl("\x1f", levels, fixed = TRUE))) not_in_sql("categories with control characters")
  paste(c("category", levels), collapse = "\x1f")
}

is_category_type <- function(type) startsWith(type, "category\x1f")

levels_of_type <- function(type) strsplit(type, "\x1f", fixed = TRUE)[[1]][-1]

# The parts of a format of dates with four digits for the year and two for month and day, as a list of `part` and the
# `first` character; NULL for others.
parts_of_format <- function(format) {
  if (!is_one_text(format)) return(NULL)
  pieces <- regmatches(format, gregexpr("%.|[^%]", format))[[1]]
  known <- pieces[startsWith(pieces, "%")]
  if (length(known) != 3 || !setequal(known, c("%Y", "%m", "%d"))) return(NULL)
  if (any(grepl("^[[:alnum:][:space:]]$", pieces))) return(NULL)
  size <- ifelse(pieces == "%Y", 4, ifelse(startsWith(pieces, "%"), 2, 1))
  list(pieces = pieces, size = size, first = cumsum(c(1, size))[seq_along(size)])
}

# The pattern of such texts, and SQL for a part of one. Texts that are written in another way make the statement fail.
date_of_text_in_sql <- function(operands, pattern, made, says) {
  of_texts("as_date", operands["x"])
  format <- parts_of_format(if (is.null(operands$format)) "%Y-%m-%d" else operands$format$value)
  if (is.null(format) || !all(names(operands) %in% c("x", "format"))) not_in_sql("`as_date()` like this")
  x <- operands$x$sql
  digits <- ifelse(format$size == 4, strrep("[0-9]", 4), ifelse(format$size == 2, strrep("[0-9]", 2),
                                                                pattern$literal(format$pieces)))
  part <- function(piece) {
    k <- match(piece, format$pieces)
    sprintf("substr(%s, %.0f, %.0f)", x, format$first[k], format$size[k])
  }
  fits <- paste0(x, pattern$sign, sql_text(says, paste0(pattern$begin, paste(digits, collapse = ""), pattern$end)))
  list(sql = paste0("(CASE WHEN ", x, " IS NULL THEN NULL WHEN ", fits, " THEN ",
                    made(part("%Y"), part("%m"), part("%d")), " ELSE ",
                    failure_as("date", says), " END)"), type = "date")
}
