# Steps that take other tables: those of the same database as they are there, small ones that are here as rows that the
# statement brings along.

# Columns of subqueries are called by what they are, and by their numbers.
alias_of <- function(dialect, numbers, of = ".column ") sql_name(dialect, paste0(of, numbers, recycle0 = TRUE))

place_in_sql <- function(dialect) sql_name(dialect, ".place")

# The relation of another table that a step takes: with it if it is in the same database, else of its values.
relation_of_other <- function(other, relation) {
  there <- relation$tables[[c(other$origin$key, "")[1]]]
  if (!is.null(there)) return(there)
  dialect <- relation$dialect
  if (!is.null(other$table) && inherits(rooted(other$table)$source, "database_source")) {
    not_in_sql("a table that is elsewhere, or whose steps don't all run there")
  }
  data <- other_values(other)
  if (nrow(data) > most_sent) not_in_sql("a table here of more than ", format(most_sent, big.mark = ","), " rows")
  sent_relation(data, dialect)
}

# The rows of a data frame in the statement, with their numbers.
sent_relation <- function(data, dialect) {
  types <- vapply(data, sent_type, "")
  items <- list(dialect = dialect)
  values <- Map(function(column, type) {
    null <- typed_null(type, items)
    vapply(seq_along(column), function(k) {
      if (is.na(column[k]) && !is.nan(column[k])) null else sql_literal(dialect, column[k])
    }, "")
  }, unname(as.list(data)), types)
  aliases <- alias_of(dialect, seq_along(data))
  place <- place_in_sql(dialect)
  columns <- Map(function(alias, type, column) {
    list(sql = alias, type = type, nan = type == "double" && any(is.nan(column)))
  }, aliases, types, as.list(data))
  relation <- new_relation(dialect, "sent", stats::setNames(columns, names(data)), paste(place, "NULLS LAST"), TRUE)
  rows <- do.call(paste, c(values, list(seq_len(nrow(data))), sep = ", "))
  part <- paste0("sent (", paste(c(aliases, place), collapse = ", "), ")")
  relation$parts[[part]] <- if (nrow(data)) paste0("VALUES ", paste0("(", rows, ")", collapse = ",\n    ")) else {
    paste("SELECT", paste(c(vapply(types, typed_null, "", items), "0"), collapse = ", "), "WHERE 1 = 0")
  }
  relation$hidden <- place
  relation
}

# The relation's rows as a last part with columns that are only called by their numbers, converted to `types`, then
# their place, the row's number, and `more`.
with_aliases <- function(relation, types, more = character()) {
  items <- list(dialect = relation$dialect)
  sql <- unlist(Map(function(column, type) {
    as_sql_type(column_as_operand(column), type, items)$sql
  }, relation$columns, types))
  with_part(relation, c(paste(sql, "AS", alias_of(relation$dialect, seq_along(sql))),
                        paste0("row_number()", window_text(list(), relation$order), " AS ",
                               place_in_sql(relation$dialect)), more))
}

# As a subquery in the FROM of another statement.
subquery <- function(relation) {
  paste0("(\n  WITH ", with_parts(relation), "\n  SELECT * FROM ", relation$from, "\n  )")
}

# The relation of such a part, by names.
relation_of_aliases <- function(relation, names, types, nan, order) {
  aliases <- alias_of(relation$dialect, seq_along(names))
  at <- match(relation$servers$by, sql_of(relation$columns))
  if (anyNA(at)) relation$crosses <- TRUE else if (length(at)) relation$servers$by <- aliases[at]
  relation$columns <- Map(function(alias, type, nan) list(sql = alias, type = type, nan = nan && type == "double"),
                          aliases, types, nan)
  names(relation$columns) <- names
  relation$order <- paste(order, "NULLS LAST")
  relation$hidden <- order
  relation
}

may_be_nan <- function(columns) vapply(columns, function(column) isTRUE(column$nan), NA)

# The type of rows below each other: whole numbers become doubles where others are.
type_below <- function(types, name) {
  if (length(unique(types)) == 1 && !types[1] %in% "opaque") return(types[1])
  if (all(types %in% c("integer", "double"))) return("double")
  not_in_sql("the column `", name, "`, of several types")
}

#' @export
sql_step.step_append_rows <- function(step, relation) {
  others <- lapply(step$others, relation_of_other, relation = relation)
  all <- c(list(relation), others)
  same <- vapply(all, function(one) setequal(names(one$columns), step$columns), NA)
  if (!all(same)) not_in_sql("tables with other columns")
  all <- lapply(all, function(one) {
    one$columns <- one$columns[step$columns]
    one
  })
  if (any(is_category_type(unlist(lapply(all, function(one) types_in_sql(one$columns)))))) not_in_sql("categories")
  types <- vapply(step$columns, function(name) {
    type_below(vapply(all, function(one) one$columns[[name]]$type, ""), name)
  }, "")
  nan <- Reduce(`|`, lapply(all, function(one) may_be_nan(one$columns)))
  part <- sql_name(relation$dialect, ".part")
  numbered <- Map(function(one, k) with_aliases(one, types, paste(k, "AS", part)), all, seq_along(all))
  below <- vapply(numbered[-1], function(one) paste0("\n  UNION ALL SELECT * FROM ", subquery(one), " AS other"), "")
  result <- with_part(numbered[[1]], "*", paste(below, collapse = ""))
  result <- relation_of_aliases(result, step$columns, types, nan, c(part, place_in_sql(relation$dialect)))
  result$has_key <- TRUE
  result$crosses <- TRUE
  result$prepare <- unique(unlist(lapply(all, `[[`, "prepare")))
  result
}

# Of keys that several rows of the other table have the statement fails, if they are not to: here the error says which.
#' @export
sql_step.step_join <- function(step, relation) {
  other <- relation_of_other(step$others[[1]], relation)
  other$columns <- other$columns[c(step$keys$other, step$taken)]
  conditions <- key_conditions(relation, other, step$keys)
  columns <- c(relation$columns, other$columns[step$taken])
  types <- types_in_sql(columns)
  hidden <- as.list(stats::setNames(sql_name(relation$dialect, c(".times", ".other place")), c("times", "place")))
  both <- joined_parts(step, relation, other, conditions, hidden)
  is_both <- step$unmatched == "keep both"
  order <- c(place_in_sql(relation$dialect), if (is_both || step$several == "all") hidden$place)
  result <- relation_of_aliases(both, names(columns), types, may_be_nan(columns), order)
  result$has_key <- TRUE
  result$prepare <- unique(c(relation$prepare, other$prepare))
  result$fewer <- step$unmatched == "drop"
  if (!is.null(step$others[[1]]$table) || is_both) result$crosses <- TRUE
  if (step$several == "all") result$checks <- c(relation$checks, list(list(before = relation, joined = both,
                                                                        times = hidden$times)))
  result
}

# The rows of both beside each other, with the place of each in its table, and how many rows of the other have its key.
joined_parts <- function(step, relation, other, conditions, hidden) {
  dialect <- relation$dialect
  place <- place_in_sql(dialect)
  by <- sql_of(other$columns[step$keys$other])
  times <- paste0("count(*) OVER (PARTITION BY ", paste(by, collapse = ", "), ") AS ", hidden$times)
  there <- with_aliases(other, types_in_sql(other$columns), times)
  own <- with_aliases(relation, types_in_sql(relation$columns))
  count <- length(relation$columns)
  base <- paste0("base.", alias_of(dialect, seq_len(count)))
  is_both <- step$unmatched == "keep both"
  if (is_both) base <- own_or_their_keys(base, step, relation, other)
  taken <- paste0("other.", alias_of(dialect, length(by) + seq_along(step$taken)), recycle0 = TRUE)
  values <- c(base, taken)
  once <- paste0("(CASE WHEN other.", hidden$times, " > 1 AND base.", place, " IS NOT NULL THEN ",
                 failure_as("integer", dialect), " END) IS NULL")
  how <- switch(step$unmatched, keep = "LEFT ", "keep both" = "FULL ", "")
  with_part(own, c(paste(values, "AS", alias_of(dialect, seq_along(values))), paste0("base.", place, " AS ", place),
                   paste0("other.", place, " AS ", hidden$place),
                   paste0("other.", hidden$times, " AS ", hidden$times)),
            paste0(" AS base\n  ", how, "JOIN ", subquery(there), " AS other ON ",
                   paste(conditions, collapse = " AND "), if (step$several == "error") paste0("\n  WHERE ", once)))
}

# Where a row is only in the other table, the keys are its own.
own_or_their_keys <- function(base, step, relation, other) {
  at <- match(step$keys$own, names(relation$columns))
  types <- list(types_in_sql(relation$columns[at]), types_in_sql(other$columns[step$keys$other]))
  if (!identical(unname(types[[1]]), unname(types[[2]]))) not_in_sql("keys of other types, of rows that match nothing")
  theirs <- paste0("other.", alias_of(relation$dialect, seq_along(at)))
  base[at] <- paste0("(CASE WHEN base.", place_in_sql(relation$dialect), " IS NULL THEN ", theirs, " ELSE ", base[at],
                     " END)")
  base
}

# That rows of both have the same key; a missing one matches nothing.
key_conditions <- function(relation, other, keys) {
  vapply(seq_along(keys$own), function(k) {
    own <- relation$columns[[keys$own[k]]]
    theirs <- other$columns[[keys$other[k]]]
    check_key_in_sql(own, theirs$type)
    number <- c(base = match(keys$own[k], names(relation$columns)), other = k)
    sides <- Map(function(column, from) {
      known_number(column_as_operand(column, paste0(from, ".", alias_of(relation$dialect, number[[from]]))))
    }, list(own, theirs), names(number))
    paste(sides[[1]], "=", sides[[2]])
  }, "")
}
