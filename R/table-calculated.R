# The values of a table, from the last step on the way whose values are known. A table leads to those that it was made
# from, without keeping them: where one is still there, since the script gave it a name, what its steps gave stays with
# it, and other tables that go on from there have it.

# The caches of the tables with the first step, the first two, and so on, up to this one, as weak references.
earlier_caches <- function(x) {
  if (!length(rooted(x)$steps)) return(list())
  c(rooted(x)$earlier, list(rlang::new_weakref(rooted(x)$cache)))
}

# The cache of what each step gives; NULL where nobody can go on from there.
caches_of_steps <- function(x) {
  if (!length(rooted(x)$steps)) return(list())
  c(lapply(rooted(x)$earlier, rlang::wref_key), list(rooted(x)$cache))
}

# `wanted` are the columns that must be there; NULL stands for all that the steps make.
calculated <- function(x, origin, wanted, call) {
  x <- with_keys(x, origin$parts, call)
  plan <- plan_steps(x, origin, wanted)
  plan$read <- function(columns) {
    source_data(rooted(x)$source, origin$parts, source_columns_of(x, columns, call), call)
  }
  plan$late <- late_reading(x, plan, call)
  data <- if (!plan$first) if (is.null(plan$late)) plan$read(plan$of_source) else plan$read(plan$late$early)
  data <- with_place_of_text(x, plan$read(plan$of_source), with_seed_of_script(run_plan(plan, data, call)))
  if (is.null(wanted) && !identical(names(data), rooted(x)$columns) && all(rooted(x)$columns %in% names(data))) {
    data <- with_columns(data, unclass(data)[rooted(x)$columns])
  }
  data
}

# Which steps are run, after which `first` ones, whose values are known, and for which of their columns.
plan_steps <- function(x, origin, wanted) {
  steps <- rooted(x)$steps
  waits <- can_wait(x)
  caches <- caches_of_steps(x)
  known <- Map(known_values, caches, origin$keys)
  restricted <- !is.null(wanted)
  columns <- if (restricted) wanted else rooted(x)$columns
  at <- length(steps)
  while (at > 0) {
    if (!is.null(known[[at]])) {
      columns <- setdiff(columns, names(known[[at]]$data))
      if (!length(columns)) break
      restricted <- TRUE
    }
    if (restricted) steps[[at]]$wanted <- columns
    columns <- step_needs(steps[[at]], columns)
    at <- at - 1
  }
  list(steps = steps, caches = caches, keys = origin$keys, known = known, first = at, of_source = columns,
       waits = waits & lacks(caches) & lacks(known) & c(lacks(known)[-1], TRUE)[seq_along(waits)])
}

lacks <- function(values) vapply(values, is.null, NA)

known_values <- function(cache, key) if (!is.null(cache) && identical(cache$known$key, key)) cache$known

run_plan <- function(plan, data, call) {
  warned <- list()
  noting <- function(code) withCallingHandlers(code, warning = function(w) warned <<- c(warned, list(w)))
  if (plan$first) {
    data <- plan$known[[plan$first]]$data
    noting(warn_again(plan$known[[plan$first]]$warned, list()))
  }
  later <- seq_along(plan$steps) > plan$first
  schema <- if (is.null(plan$late)) schema_of(data) else plan$late$schema
  check_types_of_steps(plan$steps[later], schema, call)
  if (!is.null(plan$late)) data <- with_row_numbers(data)
  is_repeatable <- TRUE
  late <- NULL
  for (k in which(later)) {
    tell_progress(paste("step", k, "of", length(plan$steps)))
    step <- plan$steps[[k]]
    drawn <- random_state()
    halves <- if (plan$waits[k]) {
      by <- step_needs(plan$steps[[k + 1]], character())
      early_and_late(step, by, if (k == 1) schema else schema_of(data), call)
    }
    now <- if (is.null(halves)) step else halves$early
    if (has_row_numbers(data)) now <- step_carrying(now, row_column)
    data <- noting(execute(default_engine(), now, data, call))
    if (has_row_numbers(data) && k == plan$late$at) data <- with_late_columns(data, plan$late, plan$read)
    if (!is.null(late)) data <- noting(execute(default_engine(), late, data, call))
    late <- halves$late
    known <- plan$known[[k]]
    if (!is.null(known)) {
      noting(warn_again(known$warned, warned))
      data <- side_by_side(known$data, data)
    }
    is_repeatable <- is_repeatable && identical(random_state(), drawn) && !is_made_anew(step)
    if (is_repeatable && is.null(late) && !is.null(plan$caches[[k]])) {
      plan$caches[[k]]$known <- list(key = plan$keys[k], data = data, warned = warned)
    }
  }
  data
}

# Warnings of what is taken over, but those that were given just now.
warn_again <- function(warnings, given) {
  texts <- vapply(given, conditionMessage, "")
  for (w in warnings) if (!conditionMessage(w) %in% texts) warning(told_before(w))
}

# By this class a run, which gives each warning once, knows what was given before.
told_before <- function(w) structure(w, class = unique(c("rowanroot_told_before", class(w))))

is_made_anew <- function(step) any(vapply(lines_of_step(step), function(line) !is.null(line$anew), NA))
