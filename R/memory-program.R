# From typed nodes to columns: the core makes one program of them, and runs it.

# `likes` has what those are like that have a class.
calculate_program <- function(nodes, block, likes = vector("list", length(nodes))) {
  result <- run_program_cpp(nodes, likes, block$values, block$pending, block$counting, block$rows,
                            getOption("rowanroot.threads", 0L), getOption("rowanroot.block_rows", 2048L))
  if (length(result$overflow_rows)) warn_overflows(result, block)
  result$columns
}

warn_overflows <- function(result, block) {
  origins <- vapply(result$overflow_lines, line_text, "")
  for (k in which(!duplicated(origins))) {
    rows <- counted_rows(sum(result$overflow_rows[origins == origins[k]]))
    first <- min(result$overflow_first[origins == origins[k]])
    warn_because(c("Integer overflow in {.code {origins[k]}}: {rows} now missing, row {first} first.",
                   "try" = "Use a double, such as {.code as.numeric(x)}, or {.code 2} for {.code 2L}."),
                 "overflow", block$call)
  }
}

# Whether a typed node has parts whose overflows are counted.
counts_overflows <- function(node, block) {
  any_node(node, function(node) node$kind == "operation" && node$type == "integer" || node$kind == "slot" &&
           isTRUE(block$counting[node$id]))
}
