# Groups whose rows are on several servers: each server gives what its own rows come to, the server above puts that
# together.

# NULL where the rows are on one server, or were compared across several before.
groups_of_servers <- function(step, relation) {
  if (!length(relation$partitions) || isTRUE(relation$crosses) || relation$has_key) return(NULL)
  by <- sql_of(relation$columns[step$keys])
  parts <- lapply(relation$partitions, groups_in_part, step = step)
  # What is put together is the same for all.
  groups <- parts[[1]]
  keys <- alias_of(relation$dialect, seq_along(by))
  from <- vapply(parts, function(part) paste0("SELECT * FROM ", subquery(relation_of_part(part, keys)), " AS part"), "")
  above <- new_relation(relation$dialect, paste0("(", paste(from, collapse = "\n  UNION ALL "), ") AS parts"), list(),
                        character(), FALSE)
  groups$relation <- with_part(above, c(paste(keys, "AS", by), selected(groups$of_groups, names(groups$of_groups))),
                               paste0("\n  GROUP BY ", paste(keys, collapse = ", ")))
  result <- relation_with_items(groups, step$columns)
  result$order <- order_terms(groups$groups$keys, rep(FALSE, length(by)), FALSE, relation$dialect)
  result[c("has_key", "fewer")] <- TRUE
  result[c("checks", "servers")] <- relation[c("checks", "servers")]
  result$crosses <- !all(relation$servers$by %in% by)
  result
}

# Items of groups in which each aggregate is one of what the servers give.
groups_in_part <- function(relation, step) {
  groups <- groups_in_sql(step$keys, new_items(relation), relation)
  groups$partials <- character()
  groups$dialect <- dialect_of_parts(groups)
  set_of_groups(step, groups)
  groups
}

relation_of_part <- function(groups, keys) {
  rows <- groups$groups
  by <- sql_of(rows$keys)
  with_part(with_levels(rows, groups$level_of_rows),
            c(paste(by, "AS", keys), selected(groups$partials, names(groups$partials))),
            paste0("\n  GROUP BY ", paste(by, collapse = ", ")))
}

# Aggregates as what they come to in each part, and how that is put together.
dialect_of_parts <- function(groups) {
  dialect <- groups$dialect
  partial <- function(sql) {
    known <- match(sql, groups$partials)
    if (!is.na(known)) return(names(groups$partials)[known])
    name <- sql_name(dialect, paste0(".part ", length(groups$partials) + 1))
    groups$partials[[name]] <- sql
    name
  }
  of_parts <- function(name, above) {
    make <- dialect$aggregates[[name]]
    function(x, over) paste0(above, "(", partial(make(x, "")), ")")
  }
  count <- function(what, over) paste0("sum(", partial(dialect$count(what, "")), ")")
  above <- c(sum = "sum", total = "sum", least = "min", greatest = "max", any = "bool_or", all = "bool_and")
  groups_dialect <- dialect
  groups_dialect$aggregates <- c(Map(of_parts, names(above), above), list(mean = function(x, over) {
    paste0("(sum(", partial(dialect$aggregates$sum(x, "")), ") / nullif(", count(x, over), ", 0)::float8)")
  }))
  groups_dialect$count <- count
  groups_dialect
}
