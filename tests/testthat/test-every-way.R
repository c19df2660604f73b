# Everything that can be calculated is calculated in every way: as a data frame, from files, in chunks, kept, in
# groups, sorted, in a routine, in a function of one row. ROWANROOT_SECONDS says for how long, ROWANROOT_SEED with
# which numbers.

test_that("every word takes part", {
  lacking <- setdiff(words_of_language(), c(names(word_cases), names(without_case)))
  expect_identical(lacking, character())
  expect_identical(setdiff(names(without_case), getNamespaceExports("rowanroot")), character())
})

# What base R says of a case, for one group after the other.
by_base_r <- function(case, data, groups) {
  reference <- if (isTRUE(case$reference)) function(part, call) eval(call, part,
      list2env(list(codes = codes), parent = asNamespace("rowanroot"))) else case$reference
  rows <- split(seq_len(nrow(data)), groups)
  values <- suppressWarnings(lapply(rows, function(rows) {
    value <- reference(data[rows, ], case$call)
    if (length(value) == 1) rep(value, length(rows)) else value
  }))
  if (length(values)) do.call(c, unname(values))[order(unlist(rows))]
}

outcome <- function(code) tryCatch(code, error = function(e) structure(list(class(e)[1], conditionMessage(e)),
    class = "failed"))
failed <- function(x) inherits(x, "failed")

# The ways in which one formula went wrong: each is compared with the data frame's.
ways_of_case <- function(case, data, ways, env) {
  code <- bquote(set_columns(.table, { new <- .(case$call) }))
  first <- outcome(in_way(ways$frame, code, env))
  chosen <- ways[sample(setdiff(names(ways), "frame"), 5)]
  wrong <- unlist(lapply(names(chosen), function(name) wrong_in_way(name, chosen[[name]], code, first, env)))
  routine <- outcome(suppressWarnings(run(eval(bquote(routine() |> set_columns({ new <- .(case$call) })), env), data)))
  wrong <- c(wrong, wrong_if_other("routine", new_column(routine), new_column(first)),
             wrong_along(case, data, first, env))
  if (failed(first)) return(wrong)
  if (!is.null(case$reference) && nrow(data)) {
    wrong <- c(wrong, wrong_if_other("base R", first$new, by_base_r(case, data, rep(1L, nrow(data)))))
  }
  c(wrong, wrong_by_group(case, data, code, env), if (case$row) wrong_as_function(case, data, first, env))
}

new_column <- function(x) if (failed(x)) x else x$new

# The way's name where it gives something else, and why if it failed.
wrong_if_other <- function(way, found, expected) {
  same <- if (failed(expected)) failed(found) else !failed(found) && nearly(found, expected)
  if (!same) paste0(way, if (failed(found)) paste0(" (", found[[2]], ")"))
}

wrong_in_way <- function(name, way, code, first, env) {
  found <- outcome(in_way(way, code, env))
  if (!way$save || failed(first)) return(wrong_if_other(name, new_column(found), new_column(first)))
  if (failed(found)) return(wrong_if_other(name, found, 0))
  if (isTRUE(same_as_file(first))) return(NULL)
  of_file <- function(file) as.data.frame(open_table(file))$new
  wrong_if_other(name, of_file("out.csv"), of_file("expected.csv"))
}

# In another order of rows, along the number of each, or a formula of it.
wrong_along <- function(case, data, first, env) {
  mixed <- list2env(list(mixed = data[sample(nrow(data)), ]), parent = env)
  along <- one_of(quote(id), quote(id * 2), quote(descending(1 - id)))
  code <- bquote(set_columns(mixed, { new <- .(case$call) }, along = .(along)))
  sorted <- outcome(suppressWarnings(eval(code, mixed)))
  wrong_if_other("along", if (failed(sorted)) sorted else sorted$new[order(sorted$id)], new_column(first))
}

# Of groups: each is a table by itself.
wrong_by_group <- function(case, data, code, env) {
  space <- list2env(list(data = data), parent = env)
  within <- one_of(quote(c(g, h)), quote(c(paste0(g, "!"), h)), quote(c(h * 2, g)))
  grouped <- bquote(set_columns(data, { new <- .(case$call) }, within = .(within)))
  found <- outcome(suppressWarnings(eval(grouped, space)))
  groups <- as.integer(factor(paste(is.na(data$g), data$g, data$h)))
  of_part <- function(part) outcome(suppressWarnings(eval(code, list2env(list(.table = part), parent = env))))
  parts <- lapply(split(data, groups), of_part)
  if (!length(parts) || length(parts) > 40) return(NULL)
  if (any(vapply(parts, failed, NA))) {
    return(wrong_if_other("groups", new_column(found), structure(list(), class = "failed")))
  }
  rows <- unlist(split(seq_len(nrow(data)), groups))
  wrong_if_other("groups", new_column(found), do.call(c, lapply(unname(parts), `[[`, "new"))[order(rows)])
}

wrong_as_function <- function(case, data, first, env) {
  names <- intersect(all.vars(case$call), names(data))
  if (!length(names)) return(NULL)
  f <- as.function(c(stats::setNames(rep(alist(x = ), length(names)), names), case$call), envir = env)
  call <- as.call(c(quote(f), lapply(names, as.name)))
  space <- list2env(list(data = data, f = f), parent = env)
  found <- outcome(suppressWarnings(eval(bquote(set_columns(data, { new <- .(call) })), space)))
  wrong_if_other("function of one row", new_column(found), first$new)
}

# Steps, each with what base R does for it: NULL for those that need other columns.
random_step <- function(data) {
  needs <- function(names, step) if (all(names %in% names(data))) step
  steps <- c(steps_of_rows(data, needs), steps_of_columns(data, needs), steps_of_blocks(needs),
             steps_of_other_tables(data, needs))
  one_of_list(steps[!vapply(steps, is.null, NA)])
}

steps_of_rows <- function(data, needs) {
  condition <- one_of(quote(e > 0), quote(!is.na(d) & d > 0), quote(s == "a"), quote(grepl("a", t)), quote(l),
                      quote(i %in% c(1, 7)), quote(day > as.Date("2024-02-29")), quote(t < "b"),
                      quote(startsWith(long, "a")))
  kept <- function(data) eval(condition, data) %in% TRUE
  list(
    needs(all.vars(condition), list(bquote(keep_rows(.table, .(condition))), function(data) data[kept(data), ])),
    needs(all.vars(condition), list(bquote(drop_rows(.table, .(condition))), function(data) data[!kept(data), ])),
    needs(c("j", "e"), list(quote(sort_rows(.table, j, descending(e))),
                            function(data) data[order(data$j, -data$e, method = "radix"), ])),
    needs("t", list(quote(sort_rows(.table, t)), function(data) data[order(data$t, method = "radix"), ])),
    needs("e", list(quote(should_hold(.table, e > 0)), function(data) data)),
    needs(c("e", "g"), list(quote(top_rows(.table, 2, by = e, within = g)), NULL)),
    needs("e", list(quote(bottom_rows(.table, 3, by = e)), NULL)),
    needs(c("e", "day"), list(quote(top_rows(.table, 2, by = e * 2, within = date_part(day, "year"))), NULL)),
    needs(c("j", "t"), list(quote(sort_rows(.table, descending(abs(j)), nchar(t))), function(data) {
      data[order(-abs(data$j), nchar(data$t, keepNA = TRUE), method = "radix"), ]
    })),
    needs(c("e", "s"), list(quote(keep_rows(.table, e == max(e), within = toupper(s))), function(data) {
      data[data$e == stats::ave(data$e, toupper(replace(data$s, is.na(data$s), "none")), FUN = max), ]
    })),
    list(quote(append_rows(.table, some)), function(data) rbind(data, utils::head(data, 3)))
  )
}

steps_of_columns <- function(data, needs) {
  renamed <- function(data) stats::setNames(data, sub("^m$", "flag", names(data)))
  list(
    needs("eve", list(quote(keep_columns(.table, -eve)), function(data) data[setdiff(names(data), "eve")])),
    if (!"flag" %in% names(data)) needs("m", list(quote(rename_columns(.table, flag = m)), renamed)),
    needs("h", list(quote(drop_columns(.table, h)), function(data) data[setdiff(names(data), "h")])),
    needs("t", list(quote(move_columns(.table, t, after = 0)), function(data) data[c("t", setdiff(names(data), "t"))]))
  )
}

steps_of_blocks <- function(needs) list(
  needs(c("e", "g"), list(quote(set_columns(.table, { e <- e * 2; m <- mean(e, within = g) })), function(data) {
    data$e <- data$e * 2
    data$m <- if (nrow(data)) stats::ave(data$e, factor(data$g, exclude = NULL)) else numeric()
    data
  })),
  needs(c("e", "id"), list(quote(set_columns(.table, { r <- running_total(e, along = id) }, after = e)),
                           function(data) {
    first <- seq_len(match("e", names(data)))
    if (!"r" %in% names(data)) {
      data <- data.frame(data[first], r = numeric(nrow(data)), data[-first], check.names = FALSE)
    }
    data$r[order(data$id)] <- cumsum(data$e[order(data$id)])
    data
  })),
  needs("e", list(quote(set_columns(.table, { e[e < 0] <- 0 })), function(data) {
    data$e[data$e < 0] <- 0
    data
  })),
  needs(c("long", "s"), list(
    quote(set_columns(.table, { c(one, two) <- split_text(long, "-", short = "missing", long = "drop") })),
    function(data) {
      if (!nrow(data)) data[c("one", "two")] <- list(character(), character())
      if (!nrow(data)) return(data)
      ended <- ifelse(is.na(data$long), NA_character_, paste0(data$long, rep("-end", nrow(data))))
      parts <- strsplit(ended, "-", fixed = TRUE)
      data$one <- vapply(parts, function(p) p[1], "")
      data$two <- vapply(parts, function(p) if (length(p) > 2) p[2] else NA_character_, "")
      data
    }
  )),
  needs(c("s", "e"), list(
    quote(set_columns(.table, { worth <- look_up(s, codes, by = "code", take = value, unknown = "missing") })),
    function(data) {
      data$worth <- codes$value[match(data$s, codes$code)]
      data
    }
  ))
)

steps_of_other_tables <- function(data, needs) list(
  if (!"value" %in% names(data)) needs("s", list(
    quote(join_rows(.table, codes, by = c(s = code), unmatched = "keep")), function(data) {
      data$value <- codes$value[match(data$s, codes$code)]
      data
    }
  )),
  if (!"n" %in% names(data)) needs(c("i", "j"), list(
    quote(rows_from_columns(.table, i:j, name = "part", value = "n")), function(data) {
      rest <- data[rep(seq_len(nrow(data)), each = 2), setdiff(names(data), c("i", "j"))]
      rest$part <- rep(c("i", "j"), nrow(data))
      rest$n <- as.vector(rbind(data$i, data$j))
      rest
    }
  ))
)

one_of_list <- function(steps) steps[[sample(length(steps), 1)]]

ways_of_chain <- function(data, ways, env) {
  code <- quote(.table)
  expected <- data
  for (k in seq_len(sample(1:4, 1))) {
    step <- random_step(expected)
    if (identical(step[[1]][[1]], quote(append_rows))) {
      name <- paste0("some", k)
      assign(name, utils::head(expected, 3), envir = env)
      step[[1]][[3]] <- as.name(name)
    }
    code <- do.call(substitute, list(step[[1]], list(.table = code)))
    expected <- if (is.null(step[[2]])) suppressWarnings(eval(step[[1]],
                                                              list2env(list(.table = expected),
                                                                  parent = env))) else step[[2]](expected)
  }
  if (stats::runif(1) < 0.3 && all(c("g", "e") %in% names(expected))) {
    code <- bquote(one_row_per(.(code), g, { n <- .rows; top <- max(e); gap <- top - mean(e);
                                             all <- paste(id, collapse = " ") }))
    groups <- match(expected$g, unique(expected$g))
    value <- function(of) vapply(split(expected, groups), of, of(expected[0, ]))
    expected <- if (nrow(expected)) data.frame(g = unique(expected$g), n = tabulate(groups),
                                               top = value(function(x) if (nrow(x)) max(x$e) else 0),
                                               gap = value(function(x) if (nrow(x)) max(x$e) - mean(x$e) else 0),
                                                 all = value(function(x) paste(x$id, collapse = " ")))
                else data.frame(g = character(), n = integer(), top = numeric(), gap = numeric(), all = character())
  }
  wrong <- character()
  for (name in c("frame", sample(setdiff(names(ways), "frame"), 4))) {
    found <- outcome(in_way(ways[[name]], code, env))
    fine <- !failed(found) && if (ways[[name]]$save) isTRUE(same_as_file(expected)) ||
      nearly(as.list(as.data.frame(open_table("out.csv"))), as.list(as.data.frame(open_table("expected.csv"))))
                              else identical(names(found), names(expected)) && nearly(as.list(found), as.list(expected))
    if (!fine) wrong <- c(wrong, paste0(name, if (failed(found)) paste0(" (", found[[2]], ")")))
  }
  if (length(wrong)) paste0(deparse1(code), ": ", paste(wrong, collapse = ", "))
}

test_that("all ways give the same", {
  withr::local_collate("C")
  local_folder()
  dir.create(".rowanroot")
  seed <- as.integer(Sys.getenv("ROWANROOT_SEED", if (nzchar(Sys.getenv("CI"))) as.integer(Sys.time()) %% 1e6 else 1))
  seconds <- as.numeric(Sys.getenv("ROWANROOT_SECONDS", if (nzchar(Sys.getenv("CI"))) 30 else 20))
  cat("\nEvery way: seed ", seed, ", ", seconds, " seconds\n", sep = "")
  until <- Sys.time() + seconds
  env <- list2env(list(codes = codes, two_ways = two_ways, three_ways = three_ways, named = named),
                  parent = globalenv())
  wrong <- character()
  tables <- 0
  calculated <- 0
  # One word alone, if it is named.
  word <- Sys.getenv("ROWANROOT_WORD")
  while (Sys.time() < until && length(wrong) < 20) {
    tables <- tables + 1
    set.seed(seed + tables)
    rows <- sample(c(0, 1, 3, 40, 40, 999, 1000, 5000), 1)
    data <- random_table(rows)
    ways <- every_way(data)
    for (k in seq_len(if (rows > 100) 6 else 15)) {
      name <- if (nzchar(word)) word else sample(c(names(word_cases), rep("formula", 20)), 1)
      case <- if (name == "formula") word_case(random_formula(sample(c("number", "logical", "text", "date"), 1),
                                                              sample(1:4, 1)), TRUE) else word_cases[[name]]()
      if ("kind" %in% all.vars(case$call)) next
      found <- ways_of_case(case, data, ways, env)
      calculated <- calculated + 1
      if (length(found)) {
        wrong <- c(wrong, paste0("table ", tables, ", ", rows, " rows: ", deparse1(case$call), ": ",
                                 paste(found, collapse = ", ")))
      }
    }
    for (k in if (nzchar(word)) integer() else 1:3) {
      found <- ways_of_chain(data, ways, env)
      calculated <- calculated + 1
      if (length(found)) wrong <- c(wrong, paste0("table ", tables, ", ", rows, " rows: ", found))
    }
  }
  cat(tables, " tables, ", calculated, if (nzchar(word)) paste(" of", word) else " formulas and chains", "\n", sep = "")
  expect_identical(wrong, character())
  expect_gt(calculated, 0)
})
