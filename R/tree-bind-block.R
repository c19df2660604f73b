# Binds the lines of a block, one after the other: each formula with the columns that there are when its
# turn comes. Loops are written out.

# `within` are the columns that make the block's groups; `for_groups` says that it has one value a group. Gives its
# statements. `new_scope` gives the scope of a line.
bind_block <- function(block, names, env, call, new_scope, within = NULL, for_groups = FALSE) {
  bound <- new_bound(names, new_scope, within, for_groups)
  bound$side_columns <- side_columns_of_block(bound, env, call)
  for (line in block_lines(block, call)) bind_line(line, bound, env, call)
  bound$statements
}

# What is bound so far, as an environment: its statements are added in place.
new_bound <- function(names, new_scope, within, for_groups) {
  force(new_scope)
  force(within)
  force(for_groups)
  statements <- list()
  goes_by_row <- TRUE
  looks_at_script <- FALSE
  known <- if (length(names) > many_columns) list2env(stats::setNames(rep(list(TRUE), length(names)), names),
                                                      hash = TRUE)
  add <- function(statement) statements[[length(statements) + 1]] <<- statement
  sides <- list()
  environment()
}

# The side columns of a block's formulas are set on lines before theirs: again, once a column changes that they came
# from.
side_columns_of_block <- function(bound, env, call) {
  there <- character()
  take <- function(expr, scope) {
    name <- side_name(expr)
    if (is.null(bound$sides[[name]])) {
      if (name %in% bound$names) stop_side_taken(name, call)
      was <- bound$goes_by_row
      bind_line(call("<-", as.name(name), expr), bound, env, call)
      bound$goes_by_row <- was
      statement <- bound$statements[[length(bound$statements)]]
      bound$sides[[name]] <- node_columns(statement$node)
      bound$names <- setdiff(bound$names, name)
    }
    there <<- union(there, name)
    name
  }
  environment()
}

# Side columns of these are no longer what they were.
forget_sides <- function(bound, targets) {
  repeat {
    old <- names(bound$sides)[vapply(bound$sides, function(from) any(targets %in% from), NA)]
    if (!length(old)) return(invisible())
    bound$sides[old] <- NULL
    targets <- old
  }
}

many_columns <- 500

bind_line <- function(line, bound, env, call) {
  switch(head_name(line), "for" = return(bind_loop(line, bound, env, call)), "while" = ,
         "repeat" = stop_loop(line, call))
  statement <- parse_statement(line, env, call)
  if (!is.symbol(line[[2]]) && "column_named" %in% all.names(line[[2]])) bound$looks_at_script <- TRUE
  if (statement$removes) {
    unknown <- setdiff(statement$targets, bound$names)
    if (length(unknown)) stop_unknown_column(unknown[1], bound$names, call)
    bound$names <- setdiff(bound$names, statement$targets)
    if (!is.null(bound$known)) rm(list = statement$targets, envir = bound$known)
  } else {
    if (all(is_side(statement$targets))) statement$line <- statement$formula
    scope <- bound$new_scope(bound$names, env, statement$line, call)
    scope[c("within", "known", "for_groups", "bound", "sides")] <- list(bound$within, bound$known, bound$for_groups,
                                                                        bound, bound$side_columns)
    bound$goes_by_row <- TRUE
    statement$node <- bind_statement(statement, scope)
    statement$goes_by_row <- bound$goes_by_row
    new <- statement$targets[!is_column(statement$targets, scope)]
    if (length(new)) bound$names <- c(bound$names, new)
    if (!is.null(bound$known)) for (name in new) assign(name, TRUE, envir = bound$known)
  }
  forget_sides(bound, statement$targets)
  statement$looks_at_script <- bound$looks_at_script
  bound$add(statement)
}

bind_statement <- function(statement, scope) {
  several <- length(statement$targets) > 1
  if (several && !is.null(statement$condition)) {
    stop_because(c("Rows can be picked for one column at a time.", "in" = "{scope_text(scope)}"),
                 "bad_target", scope$call)
  }
  if (several) return(bind_several(statement, scope))
  node <- bind_formula(statement$formula, scope)
  if (is.null(statement$condition)) node else bind_some_rows(statement, node, scope)
}

# x[condition] <- formula: where the condition is not TRUE, the column keeps its value, or is missing if
# it is new.
bind_some_rows <- function(statement, node, scope) {
  target <- statement$targets
  old <- if (target %in% scope$columns) new_column(target) else new_value(NA)
  new_choice(bind_formula(statement$condition, scope), node, old, statement$condition, some_rows = TRUE)
}

# c(a, b) <- list(formula, formula), or a function of R that gives as many columns.
bind_several <- function(statement, scope) {
  formula <- statement$formula
  wanted <- length(statement$targets)
  if (is_call_to(formula, "list")) {
    parts <- as.list(formula)[-1]
    if (length(parts) != wanted) stop_wrong_columns(length(parts), scope_text(scope), wanted, scope$call)
    return(new_several(lapply(parts, bind_formula, scope = scope)))
  }
  word <- word_called(formula, scope)
  if (!is.null(word$bind_targets)) return(word$bind_targets(word, formula, statement$targets, scope))
  if (!is.null(word$for_names)) formula <- word$for_names(formula, wanted, scope)
  new_several(list(bind_formula(formula, scope)))
}

stop_wrong_columns <- function(found, formula, wanted, call) {
  stop_because(c("The formula must give as many columns as there are names.",
                 "found" = "{.code {formula}} has {counted(wanted, 'name')}, and gives {counted(found, 'column')}."),
               "wrong_columns", call, found = found, expected = wanted)
}

# for (name in names) line: the line is bound once for each name, with the name in its place.
bind_loop <- function(line, bound, env, call) {
  variable <- as.character(line[[2]])
  body <- line[[4]]
  bound$looks_at_script <- TRUE
  lines <- if (is_block(body)) as.list(body)[-1] else list(body)
  for (name in loop_names(line, bound$names, env, call)) {
    for (one in lines) {
      written_out <- do.call(substitute, list(one, stats::setNames(list(name), variable)))
      bind_line(written_out, bound, env, call)
    }
  }
}

loop_names <- function(line, names, env, call) {
  over <- line[[3]]
  if (is_choice(over, names)) return(choose_columns(over, names, env, call))
  values <- tryCatch(eval(over, env), error = function(e) NULL)
  if (is.character(values) && !anyNA(values)) return(values)
  stop_loop(line, call)
}

stop_loop <- function(line, call) {
  stop_because(c("A loop in a block runs over column names only.",
                 "found" = "This one does not: {.code {one_line(line)}}.",
                 "try" = paste("For example",
                             "{.code for (name in names_like(\"*_g\"))",
                             "column_named(name) <- column_named(name) / 1000}."),
                 "try" = "Rows need no loop: a formula runs for all of them."),
               "bad_loop", call)
}
