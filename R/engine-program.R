# From typed nodes to a program of the core. Registers are found by what they hold, so that a part that
# several formulas share is calculated once.

# Registers are numbered from 1 within their sort while a program grows; the core wants one numbering,
# inputs first, then constants, then operations.
compile_program <- function(nodes, run) {
  program <- new.env(parent = emptyenv())
  program$inputs <- program$constants <- program$operations <- list()
  program$known <- new.env(parent = emptyenv())
  program$registers <- lapply(nodes, emit_output, program = program, run = run)
  program
}

# A register is one number: its own, and its sort (1 input, 2 constant, 3 operation).
register <- function(sort, number) 4 * number + sort
no_register <- 0

# An output must be the result of an operation.
emit_output <- function(node, program, run) {
  at <- emit(node, no_register, program, run)
  if (at %% 4 == 3) at else emit_operation("copy", list(at), no_register, program)
}

# `wanted` is the register of the rows whose result is used: it matters to what counts its overflows.
emit <- function(node, wanted, program, run) {
  switch(node$kind,
    slot = emit_slot(node$id, wanted, program, run),
    constant = emit_constant(node, program),
    operation = {
      counts <- node$type == "integer" && node$name %in% c("add", "subtract", "multiply")
      operands <- lapply(node$operands, emit, wanted = wanted, program = program, run = run)
      emit_operation(node$name, operands, if (counts) wanted else no_register, program, node$line)
    },
    choose = emit_choose(node, wanted, program, run)
  )
}

# What a function of one row was given, or names within itself, is calculated only for the rows that use it.
emit_slot <- function(id, wanted, program, run) {
  pending <- run$pending[[id]]
  if (!isTRUE(run$counting[id])) wanted <- no_register
  if (!is.null(pending)) return(emit_once(paste("slot", id, wanted), program, emit(pending, wanted, program, run)))
  emit_once(paste("slot", id), program, {
    program$inputs[[length(program$inputs) + 1]] <- run$values[[id]]
    register(1, length(program$inputs))
  })
}

emit_constant <- function(node, program) {
  emit_once(paste("constant", node$type, constant_text(node$value)), program, {
    program$constants[[length(program$constants) + 1]] <- node$value
    register(2, length(program$constants))
  })
}

# Tells 0 from -0 and NA from NaN.
constant_text <- function(value) {
  if (is.double(value)) paste(writeBin(value, raw()), collapse = "") else if (is.na(value)) "NA" else paste0("=", value)
}

emit_operation <- function(name, operands, wanted, program, line = NULL) {
  emit_once(paste(c(name, wanted, operands), collapse = " "), program, {
    program$operations[[length(program$operations) + 1]] <- list(name = name, operands = operands, wanted = wanted, line = line)
    register(3, length(program$operations))
  })
}

emit_once <- function(key, program, code) {
  known <- program$known[[key]]
  if (!is.null(known)) return(known)
  program$known[[key]] <- force(code)
  program$known[[key]]
}

emit_choose <- function(node, wanted, program, run) {
  condition <- emit(node$condition, wanted, program, run)
  branch <- function(name, node) {
    if (!counts_overflows(node, run)) return(no_register)
    outer <- if (wanted > 0) wanted else emit_constant(typed_constant(TRUE), program)
    emit_operation(name, list(condition, outer), no_register, program)
  }
  yes <- emit(node$yes, branch("want_yes", node$yes), program, run)
  no <- emit(node$no, branch("want_no", node$no), program, run)
  emit_operation("choose", list(condition, yes, no), no_register, program)
}

counts_overflows <- function(node, run) {
  switch(node$kind,
    operation = node$type == "integer" || any(vapply(node$operands, counts_overflows, NA, run = run)),
    choose = any(vapply(node[c("condition", "yes", "no")], counts_overflows, NA, run = run)),
    slot = isTRUE(run$counting[node$id]),
    FALSE
  )
}

# Runs the program. Gives a vector for each node that it was made of.
run_program <- function(program, run) {
  starts <- c(NA, 0, length(program$inputs), length(program$inputs) + length(program$constants))
  number <- function(at) {
    numbers <- as.integer(starts[1 + at %% 4] + at %/% 4 - 1)
    numbers[at == no_register] <- -1L
    numbers
  }
  outputs <- number(unlist(program$registers))
  asked <- unique(outputs)
  result <- run_program_cpp(
    program$inputs, program$constants,
    vapply(program$operations, `[[`, "", "name"),
    lapply(program$operations, function(operation) number(unlist(operation$operands))),
    number(vapply(program$operations, `[[`, 0, "wanted")),
    asked, run$rows, getOption("rowanroot.threads", 0L), getOption("rowanroot.block_rows", 2048L)
  )
  if (length(result$overflow_rows)) warn_overflows(result, program, starts[4], run)
  result$columns[match(outputs, asked)]
}

warn_overflows <- function(result, program, operations_start, run) {
  lines <- lapply(program$operations[result$overflow_register - operations_start + 1], `[[`, "line")
  origins <- vapply(lines, line_text, "")
  for (k in which(!duplicated(origins))) {
    rows <- counted_rows(sum(result$overflow_rows[origins == origins[k]]))
    first <- min(result$overflow_first[origins == origins[k]])
    warn_because(c("Whole numbers became too large in {.code {origins[k]}}: {rows} now missing, row {first} first.",
                   "i" = "Make one of the numbers a double, as in {.code as.numeric(x)} or {.code 2} for {.code 2L}."),
                 "overflow", run$call)
  }
}
