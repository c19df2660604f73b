# Steps for the side columns of a verb (tree-side.R).

# The step of a verb with those that it needs around it: before it its side columns are set; `left` of them are left out
# after it.
with_sides <- function(step, sides, call, left = sides$there) {
  step$side_names <- sides$there
  if (!length(sides$lines)) return(step)
  left <- intersect(left, step$columns)
  before <- new_step_sides(as.call(c(quote(`{`), sides$lines)), sides$names, step$env, call)
  after <- if (length(left)) new_step_without_sides(left, step$columns, step$env, call)
  step$around <- list(before = before, after = after)
  step
}

# The side columns of a step that is bound anew are those that it had.
side_columns_again <- function(step, names) new_side_columns(setdiff(names, step$side_names), step$side_names)

new_step_sides <- function(block, names, env, call) {
  step <- new_step_set_columns(block, NULL, NULL, quote(all_columns()), NULL, names, env, call)
  step$columns <- union(names, final_targets(step$statements)$set)
  class(step) <- c("step_sides", class(step))
  step
}

#' @export
bind_step.step_sides <- function(step, names, call) new_step_sides(step$typed$block, names, step$env, call)

new_step_without_sides <- function(sides, names, env, call) {
  typed <- as.call(c(quote(c), lapply(sides, as.name)))
  step <- new_step_columns("drop_columns", typed, NULL, names, env, call)
  class(step) <- c("step_without_sides", class(step))
  step
}

#' @export
bind_step.step_without_sides <- function(step, names, call) {
  new_step_without_sides(vapply(as.list(step$typed)[-1], as.character, ""), names, step$env, call)
}

# Nobody wrote it.
#' @export
step_lines.step_without_sides <- function(step) list()
