# What only goes out with chosen rows waits until they are chosen: nobody can tell.

numbers <- c("kg", "n1", "n2", ".n")
texts <- c("note", "t1", "t2", ".t")

# Counts how often a function of the package gave something.
counting <- function(name, env = parent.frame()) {
  count <- list2env(list(n = 0))
  space <- asNamespace("rowanroot")
  quietly(trace(name, exit = bquote(local(if (!is.null(returnValue())) {
    count <- .(count)
    count$n <- count$n + 1
  })), print = FALSE, where = space))
  withr::defer(quietly(untrace(name, where = space)), envir = env)
  count
}

# Formulas of numbers @n, texts @t and whole numbers, some of which warn, or need all rows.
some_formulas <- list(
  number = c("@n * 2 + @n", "sqrt(@n - 20)", "if (@n > 20) @n else 0", "date_part(day, 'month') / 2",
             "ranking(@n, best = 'lowest')",
             "mean(@n, within = hive)", "running_total(@n)", "previous(@n)", "max(@n) - @n", "as.numeric(frames)",
             "round(@n, 1)", "z_score(@n)"),
  text = c("paste0(hive, frames)", "if (@n > 20) 'heavy' else @t", "toupper(@t)",
           "paste(@t, start_of(day, 'month'))",
           "substr(@t, 1, 4)", "if (is.na(flag)) @t else 'known'", "first_known(@t, hive)"),
  whole = c("frames + 2000000000L", "frames %/% 2L", "if (flag) frames else 7L", "nchar(@t)")
)

filled <- function(formula, there) {
  for (kind in c("n", "t")) {
    name <- function() sample(intersect(if (kind == "n") numbers else texts, there), 1)
    while (grepl(place <- paste0("@", kind), formula)) formula <- sub(place, name(), formula)
  }
  formula
}

# Lines of a block for a table with these columns.
some_lines <- function(there) {
  lines <- character()
  for (k in seq_len(sample(8, 1))) {
    kind <- sample(names(some_formulas), 1, prob = c(5, 4, 1))
    target <- switch(kind, number = sample(numbers, 1), text = sample(texts, 1), "w")
    line <- sprintf("%s <- %s", target, filled(sample(some_formulas[[kind]], 1), there))
    if (kind != "whole" && target %in% there && runif(1) < 0.2) {
      line <- sub("<-", "<- if (kg > 22)", paste(line, "else", target))
    }
    lines <- c(lines, line)
    there <- union(there, target)
  }
  if (runif(1) < 0.2) lines <- c(lines, "flag <- NULL")
  lines
}

some_choice <- function(there) {
  n <- sample(intersect(setdiff(numbers, ".n"), there), 1)
  sample(c(sprintf("keep_rows(%s > 21)", n), sprintf("drop_rows(%s > 21)", n), sprintf("top_rows(5, by = %s)", n),
           "one_of_each(hive)", sprintf("bottom_rows(2, by = %s, within = hive)", n), "keep_rows(frames > 99)"), 1)
}

# The table that code makes, and what it warns of.
told_of <- function(code, wait_from) {
  withr::local_options(rowanroot.wait_from = wait_from)
  warned <- character()
  data <- withCallingHandlers(eval(parse(text = code)), warning = function(w) {
    warned <<- c(warned, conditionMessage(w))
    invokeRestart("muffleWarning")
  })
  list(data = as.data.frame(data), warned = sort(warned))
}

write_hives <- function(path, n, first) {
  data <- data.frame(id = first + seq_len(n), hive = sprintf("NB-%d", sample(9, n, TRUE)),
                     kg = round(runif(n, 10, 30), 1), frames = sample(c(NA, 1:12), n, TRUE),
                     day = as.Date("2026-01-01") + sample(99, n, TRUE),
                     note = sample(c("calm", "", "queen seen", NA, sprintf("note %d", 1:50)), n, TRUE),
                     flag = sample(c(TRUE, FALSE, NA), n, TRUE))
  data$kg[sample(n, 2)] <- NA
  quietly(save_table(data, path, force = TRUE))
}

test_that("a table whose columns wait for the choice of rows is the same, and warns of the same", {
  local_folder()
  set.seed(20261129)
  write_hives("hives.csv", 200, 0)
  late <- counting("early_and_late")
  there <- c("id", "hive", "kg", "frames", "day", "note", "flag")
  for (k in 1:120) {
    lines <- some_lines(there)
    now <- setdiff(union(there, sub(" .*", "", lines)), c(".n", ".t"))
    then <- sample(c("", " |> set_columns({ z <- kg + 1 })", " |> keep_columns(c(hive, kg))"), 1)
    code <- sprintf("open_table('hives.csv') |> set_columns({ %s }) |> %s%s", paste(lines, collapse = "; "),
                    some_choice(now), then)
    expect_identical(told_of(code, 0), told_of(code, Inf), info = code)
  }
  expect_gt(late$n, 40)
})

test_that("columns that are kept are read for the rows that were chosen, whatever changes", {
  local_folder()
  withr::local_options(rowanroot.keep_from = 0, rowanroot.keep_seconds = 0)
  set.seed(20261130)
  dir.create("parts")
  dir.create(".rowanroot")
  for (k in 1:5) write_hives(sprintf("parts/%d.csv", k), 200, 200 * k)
  there <- c("id", "hive", "kg", "frames", "day", "note", "flag")
  read <- counting("kept_in_rows")
  for (k in 1:60) {
    write_hives(sprintf("parts/%d.csv", sample(5, 1)), sample(c(1, 50, 200), 1) + 1, 1000 * k)
    lines <- some_lines(there)
    now <- setdiff(union(there, sub(" .*", "", lines)), c(".n", ".t"))
    block <- if (runif(1) < 0.6) sprintf("set_columns({ %s }) |> ", paste(lines, collapse = "; ")) else ""
    code <- sprintf("open_table('parts/*.csv') |> %s%s", block,
                    if (runif(1) < 0.5) "keep_rows(kg > 29)" else "top_rows(3, by = kg)")
    expect_identical(told_of(code, 0), told_of(code, Inf), info = code)
  }
  expect_gt(read$n, 60)
  # One that is damaged is read from its file again.
  code <- "open_table('parts/*.csv') |> keep_rows(kg > 29)"
  told_of(code, 0)
  for (file in list.files(".rowanroot/kept", full.names = TRUE)) {
    bytes <- readBin(file, raw(), file.size(file))
    bytes[length(bytes) - 2] <- xor(bytes[length(bytes) - 2], as.raw(8))
    writeBin(bytes, file)
  }
  expect_identical(told_of(code, 0), told_of(code, Inf))
})

test_that("of some columns only what these need is calculated, and warns", {
  local_folder()
  withr::local_options(rowanroot.wait_from = 0)
  set.seed(3)
  write_hives("hives.csv", 50, 0)
  table <- open_table("hives.csv") |>
    set_columns({ n <- frames + 2147483647L; half <- kg / 2; place <- ranking(kg, best = "lowest") }) |>
    top_rows(3, by = place)
  expect_warning(half <- rowanroot:::table_columns(table, "half", NULL), NA)
  expect_warning(data <- as.data.frame(table), class = "rowanroot_overflow")
  expect_identical(half[["half"]], data$half)
})

test_that("a table that has a name is calculated whole, once, and what others take from it is right", {
  local_folder()
  write_text(c("hive,kg", "NB-01,1", "NB-02,2", "NB-03,3"), "hives.csv")
  withr::local_options(rowanroot.wait_from = 0)
  hives <- open_table("hives.csv") |> set_columns({ double <- 2 * kg; label <- paste0(hive, "!") })
  heavy <- keep_rows(hives, kg > 2)
  late <- counting("early_and_late")
  expect_identical(heavy$label, "NB-03!")
  expect_identical(hives$label, c("NB-01!", "NB-02!", "NB-03!"))
  expect_identical(late$n, 0)
  rm(hives)
  write_text(c("hive,kg", "NB-01,1", "NB-02,2", "NB-04,4"), "hives.csv")
  expect_identical(suppressMessages(heavy$label), "NB-04!")
  expect_identical(late$n, 1)
})

test_that("a column that is mapped is an ordinary one: it can be changed, moved and stored", {
  local_folder()
  dir.create(".rowanroot")
  set.seed(5)
  data <- data.frame(kg = round(runif(70000, 1, 9), 2), frames = sample(9L, 70000, TRUE),
                     hive = sprintf("NB-%d", sample(40, 70000, TRUE)), note = sprintf("note %d", sample(1e6, 70000)),
                     flag = sample(c(TRUE, NA), 70000, TRUE))
  quietly(save_table(data, "hives.csv"))
  as.data.frame(open_table("hives.csv"))
  mapped <- as.data.frame(open_table("hives.csv"))
  expect_identical(mapped, data)
  expect_output(.Internal(inspect(mapped$kg, 0, 2)), "values of a file")
  before <- tools::md5sum(list.files(".rowanroot/kept", full.names = TRUE))
  mapped$kg[3] <- -1
  mapped$frames[70000] <- 0L
  data$kg[3] <- -1
  data$frames[70000] <- 0L
  expect_identical(mapped, data)
  expect_identical(unserialize(serialize(mapped, NULL)), data)
  expect_identical(set_columns(mapped, { x <- kg * frames; y <- toupper(note) })$x, data$kg * data$frames)
  expect_identical(tools::md5sum(list.files(".rowanroot/kept", full.names = TRUE)), before)
  # Where the process has a limit of its own data, columns are copied.
  code <- paste("x <- rowanroot::open_table('hives.csv') |> as.data.frame();",
                ".Internal(inspect(x$kg, 0, 2)); cat(sum(x$frames))")
  limited <- paste("ulimit -d 8000000;", shQuote(file.path(R.home("bin"), "Rscript")), "-e", shQuote(code))
  out <- system2("sh", c("-c", shQuote(limited)), stdout = TRUE, stderr = TRUE)
  expect_false(any(grepl("values of a file", out)))
  expect_match(out[length(out)], "[0-9]$")
})
