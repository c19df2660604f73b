# Tables, formulas and steps made at random, and the ways in which each can be calculated: all must give the same.

# Types as CSV files are read with.
column_types <- c(id = "integer", d = "number", e = "number", i = "integer", j = "integer", l = "logical",
                  m = "logical", s = "text", t = "text",
                  long = "text", day = "date", eve = "date", time = "time", g = "text", h = "integer")

random_table <- function(rows) {
  data <- random_columns(rows)
  data$kind <- NULL
  pick <- function(values) sample(values, rows, replace = TRUE)
  data$id <- seq_len(rows)
  if (rows) {
    data$long <- replace(paste0(pick(c("a", "", "Zo\u00eb ", "b-c-")), sample(rows), pick(c("", " kg", "-x"))),
                         stats::runif(rows) < 0.1, NA)
  }
  else data$long <- character()
  data$time <- .POSIXct(1.7e9 + pick(c(NA, 0, 0.25, 1e-3, -1e9, 86399, 1e6)), "UTC")
  data$g <- pick(c("x", "y", "z", NA, ""))
  data$h <- pick(c(1:3, NA))
  data[names(column_types)]
}

# What a formula is made of, in words that are not R's operators. Each case is a call; `row` says that it has a
# value for each row by that row alone, `reference` is base R for the rows of one group in their order (TRUE: the
# call itself, evaluated by R).
word_case <- function(call, row = FALSE, reference = NULL) list(call = call, row = row, reference = reference)

one_of <- function(...) sample(list(...), 1)[[1]]
number_column <- function() one_of(quote(d), quote(e), quote(i), quote(j))
text_column <- function() one_of(quote(s), quote(t), quote(long), quote(g))
day_column <- function() one_of(quote(day), quote(eve))
any_column <- function() one_of(number_column(), text_column(), day_column(), quote(l), quote(m), quote(time))

aggregate_case <- function(name) {
  skip <- sample(c(TRUE, FALSE), 1)
  column <- if (name %in% c("any", "all")) one_of(quote(l), quote(m)) else number_column()
  # A sum of whole numbers that is too large is missing, where R has a double.
  as_whole <- function(part, call) {
    value <- eval(call, part)
    if (is.integer(part[[as.character(call[[2]])]]) && isTRUE(abs(value) > .Machine$integer.max)) NA else value
  }
  word_case(as.call(c(as.name(name), column, if (skip) list(na.rm = TRUE))),
            reference = if (name == "sum") as_whole else TRUE)
}
ordered_case <- function(name, ..., columns = number_column) word_case(as.call(list(as.name(name), columns(), ...)))
moving_case <- function(name) {
  ordered_case(name, rows = sample(1:6, 1), align = sample(c("end", "end", "centre", "start"), 1), short = "fewer",
               missing = sample(c("stop", "skip"), 1))
}
numbers <- function(name, ...) word_case(as.call(list(as.name(name), number_column(), ...)), TRUE, TRUE)
texts <- function(name, ...) word_case(as.call(list(as.name(name), text_column(), ...)), TRUE, TRUE)
own <- function(name, column, ...) word_case(as.call(list(as.name(name), column, ...)), TRUE)
missing_policy <- function() sample(c("skip", "carry", "stop"), 1)

by_running <- function(fun) function(part, call) fun(eval(call[[2]], part))

word_cases <- list(
  isTRUE = function() word_case(call("isTRUE", one_of(quote(l), quote(e > 0))), TRUE,
                                function(part, call) eval(call[[2]], part) %in% TRUE),
  isFALSE = function() word_case(call("isFALSE", one_of(quote(l), quote(e > 0))), TRUE,
                                 function(part, call) eval(call[[2]], part) %in% FALSE),
  identical = function() word_case(one_of(quote(identical(j, 2L)), quote(identical(s, "a")),
                                          quote(identical(d, NaN))), TRUE,
                                   function(part, call) eval(call[[2]], part) %in% call[[3]]),
  "<" = function() word_case(call(sample(c("<", "<=", ">", ">="), 1), text_column(),
                                  one_of(text_column(), "a", "b")), TRUE, TRUE),
  "==" = function() word_case(call(sample(c("==", "!="), 1), text_column(), one_of(text_column(), "a")), TRUE, TRUE),
  pmin = function() word_case(as.call(c(as.name(sample(c("pmin", "pmax"), 1)),
                                        one_of(list(quote(s), quote(t)), list(quote(d), quote(e)),
                                               list(quote(i), quote(j))),
                                        if (stats::runif(1) < 0.5) list(na.rm = TRUE))), TRUE, TRUE),
  "%in%" = function() word_case(one_of(quote(t %in% c("a", NA)), quote(j %in% c(1, 2)), quote(s %in% t),
                                       quote(j %in% i)), FALSE, TRUE),
  nchar = function() if (stats::runif(1) < 0.5) texts("nchar") else texts("nchar", keepNA = FALSE),
  toupper = function() texts("toupper"), tolower = function() texts("tolower"),
    trimws = function() texts("trimws", which = sample(c("both", "left", "right"), 1)),
  substr = function() texts("substr", sample(0:3, 1), sample(0:4, 1)),
    substring = function() texts("substring", sample(1:4, 1)),
  paste = function() word_case(as.call(c(quote(paste), any_column(), text_column(), sep = "-")), TRUE, TRUE),
  paste0 = function() word_case(call("paste0", one_of("x", quote(j)), text_column()), TRUE, TRUE),
  collapse = function() word_case(quote(paste(j, collapse = "+")), FALSE, TRUE),
  sprintf = function() word_case(one_of(quote(sprintf("%s!", t)), quote(sprintf("%.1f", d)),
                                        quote(sprintf("%d-%s", j, s))), TRUE, TRUE),
  startsWith = function() texts("startsWith", "a"), endsWith = function() texts("endsWith", "b"),
  grepl = function() word_case(call("grepl", sample(c("a", "b|B", "[0-9]"), 1), text_column()), TRUE, TRUE),
  sub = function() word_case(call(sample(c("sub", "gsub"), 1), sample(c("a", "b", "[aeiou]", ".b"), 1),
                                  sample(c("X", ""), 1), text_column()), TRUE, TRUE),
  chartr = function() word_case(call("chartr", "ab", "AB", text_column()), FALSE, TRUE),
  as.character = function() word_case(call("as.character", one_of(quote(j), quote(l), quote(t), day_column())), TRUE,
                                      TRUE),
  as.numeric = function() numbers(sample(c("as.numeric", "as.double"), 1)),
  as.integer = function() word_case(call("as.integer", one_of(quote(l), quote(j), quote(e * 10))), TRUE, TRUE),
  as.logical = function() word_case(call("as.logical", one_of(quote(i), quote(d))), TRUE, TRUE),
  as.Date = function() word_case(one_of(quote(as.Date(day)), quote(as.Date(j, origin = "2024-01-01"))), TRUE, TRUE),
  months = function() word_case(call(sample(c("months", "weekdays"), 1), day_column()), TRUE, TRUE),
  format = function() word_case(one_of(quote(format(day, "%Y/%m")), quote(format(time, "%H:%M"))), FALSE, TRUE),
  gamma = function() word_case(call(sample(c("gamma", "lgamma", "factorial"), 1), quote(abs(j) + 1)), TRUE, TRUE),
  factor = function() word_case(quote(as.integer(factor(s, levels = c("b", "a")))), FALSE, TRUE),
  choose = function() word_case(one_of(quote(choose(7, abs(j))), quote(beta(abs(j) + 1, 2))), TRUE, TRUE),
  bitwAnd = function() word_case(call(sample(c("bitwAnd", "bitwOr"), 1), quote(abs(j)), 3L), TRUE, TRUE),
  round = function() numbers(sample(c("round", "signif"), 1), sample(0:3, 1)),
  log = function() numbers("log1p"),
  ifelse = function() word_case(quote(ifelse(e > 0, s, "none")), TRUE, TRUE),
  sum = function() aggregate_case("sum"), mean = function() aggregate_case("mean"),
    min = function() aggregate_case("min"), max = function() aggregate_case("max"),
  var = function() aggregate_case("var"), sd = function() aggregate_case("sd"),
    median = function() aggregate_case("median"),
  any = function() aggregate_case("any"), all = function() aggregate_case("all"),
  min_text = function() word_case(as.call(list(as.name(sample(c("min", "max"), 1)), one_of(quote(h), quote(day)),
                                               na.rm = TRUE)), reference = TRUE),
  quantile = function() word_case(call("quantile", quote(e), sample(c(0, 0.25, 0.9), 1)), reference = TRUE),
  length = function() word_case(call("length", any_column()), reference = TRUE),
  count_known = function() word_case(call("count_known", any_column()), reference = TRUE),
  count_distinct = function() word_case(call("count_distinct", any_column()), reference = TRUE),
  first_value = function() word_case(call(sample(c("first_value", "last_value"), 1), any_column()), reference = TRUE),
  all_at_once = function() word_case(quote(all_at_once(function(x) max(x) - min(x), e)),
                                     reference = function(part, call) max(part$e) - min(part$e)),
  one_by_one = function() word_case(quote(one_by_one(function(x) if (is.na(x)) -1 else x * 2, e)), TRUE,
                                    function(part, call) part$e * 2),
  rev = function() word_case(one_of(quote(rev(e)), quote(cumsum(e)), quote(c(NA, diff(e))), quote(e[order(id)])),
                             reference = TRUE),
  .row = function() word_case(quote(.row), reference = function(part, call) seq_len(nrow(part))),
  .rows = function() word_case(quote(.rows), reference = function(part, call) nrow(part)),
  ranking = function() word_case(as.call(list(quote(ranking), any_column(), best = sample(c("highest", "lowest"), 1),
                                              ties = sample(c("min", "max", "average", "first", "last", "dense"), 1),
                                                missing = sample(c("keep", "first", "last"), 1),
                                              as = sample(c("position", "share", "percent_rank", "cume_dist"), 1)))),
  running_total = function() ordered_case("running_total", missing = missing_policy()),
    running_mean = function() ordered_case("running_mean", missing = missing_policy()),
  running_count = function() ordered_case("running_count", columns = any_column),
    running_min = function() ordered_case("running_min", missing = missing_policy()),
  running_max = function() ordered_case("running_max", missing = missing_policy()),
  running_product = function() word_case(quote(running_product(1 + e / 1000))),
  cumulative = function() word_case(quote(running_total(e)), reference = function(part, call) cumsum(part$e)),
  running = function() word_case(one_of(quote(running(.above * 0.9 + e, start = 0)),
                                        quote(running(if (m) 0L else .above + 1L, start = 0L)),
                                        quote(running(if (is.na(day)) .above else day, start = NA)),
                                        quote(running(if (l) time else .above + 60, start = time)),
                                        quote(running(pmax(.above, eve), start = eve)),
                                        quote(running(if (is.na(t)) .above else t, start = "none")),
                                        quote(running(.above + e, start = j)))),
  "+" = function() word_case(one_of(quote(day + j), quote(j + day), quote(day - e), quote(time + e),
                                    quote(as.numeric((day - eve) / 2)), quote(as.numeric((day - eve) * e)),
                                    quote(as.numeric(-1 * (eve - day))),
                                    quote(as.numeric((day - eve) + (eve - day))), quote(time - e)), TRUE, TRUE),
  "-" = function() word_case(quote(as.numeric(day - eve)), TRUE, TRUE),
  ">" = function() word_case(one_of(quote(day > eve), quote(day <= as.Date("2024-02-29")), quote(time != time + e),
                                    quote(time < as.POSIXct("2023-11-14", tz = "UTC")), quote(day - eve > eve - day),
                                    quote(as.numeric(day) > j), quote(is.na(day)), quote(is.na(time))), TRUE, TRUE),
  "if" = function() word_case(one_of(quote(if (l) day else eve), quote(if (e > 0) NA else time),
                                     quote(if (m) as.Date("2024-03-01") else day + 1)), TRUE, function(part, call) {
    ways <- lapply(as.list(call)[3:4], eval, part)
    model <- if (identical(ways[[1]], NA)) ways[[2]] else ways[[1]]
    condition <- eval(call[[2]], part)
    value <- model[rep(NA_integer_, nrow(part))]
    for (k in 1:2) {
      rows <- which(if (k == 1) condition else !condition)
      value[rows] <- if (length(ways[[k]]) == 1) ways[[k]] else ways[[k]][rows]
    }
    value
  }),
  moving_total = function() moving_case("moving_total"), moving_mean = function() moving_case("moving_mean"),
  moving_min = function() moving_case("moving_min"), moving_max = function() moving_case("moving_max"),
  moving_sd = function() moving_case("moving_sd"), moving_median = function() moving_case("moving_median"),
  moving_count = function() {
    ordered_case("moving_count", rows = sample(1:4, 1), align = sample(c("end", "centre", "start"), 1), short = "fewer",
                 columns = any_column)
  },
  previous = function() word_case(call("previous", any_column()), reference = function(part, call) {
    x <- eval(call[[2]], part)
    x[c(NA, seq_along(x))[seq_along(x)]]
  }),
  following = function() ordered_case("following", rows = sample(1:3, 1), columns = any_column),
  change = function() ordered_case("change"),
  last_known = function() ordered_case("last_known", columns = any_column),
  next_known = function() ordered_case("next_known", columns = any_column),
  equal_parts = function() word_case(as.call(list(quote(equal_parts), any_column(), sample(c(1, 3, 10), 1),
                                                  best = sample(c("highest", "lowest"), 1)))),
  z_score = function() word_case(quote(z_score(e)), reference = function(part, call) (part$e -
      mean(part$e)) / stats::sd(part$e)),
  min_max = function() ordered_case("min_max"), share = function() word_case(quote(share(e)),
      reference = function(part, call) part$e / sum(part$e)),
  only_once = function() word_case(quote(only_once(s, j)),
                                   reference = function(part, call) !(duplicated(part[c("s", "j")]) |
                                       duplicated(part[c("s", "j")], fromLast = TRUE))),
  first_known = function() word_case(quote(first_known(d, e)), TRUE,
                                     function(part, call) ifelse(is.na(part$d), part$e, part$d)),
  known = function() word_case(quote(known(d, s)), TRUE, function(part, call) !is.na(part$d) & !is.na(part$s)),
  in_range = function() word_case(quote(in_range(d, -1, 2)), TRUE, TRUE),
  row_total = function() word_case(as.call(list(quote(row_total), quote(e), quote(j),
                                                missing = sample(c("keep", "skip"), 1))), TRUE),
  row_mean = function() word_case(as.call(list(quote(row_mean), quote(d), quote(j),
                                               missing = sample(c("keep", "skip"), 1))), TRUE),
  row_min = function() word_case(as.call(list(quote(row_min), quote(i), quote(j),
                                              missing = sample(c("keep", "skip"), 1))), TRUE),
  row_max = function() word_case(as.call(list(quote(row_max), quote(d), quote(e),
                                              missing = sample(c("keep", "skip"), 1))), TRUE),
  # R takes numbers of digits that are no integers, such as 1e308, for the least that there is.
  signif = function() word_case(call("signif", number_column(), one_of(1, 5, 22, quote(j))), TRUE, TRUE),
  row_known = function() word_case(call(sample(c("row_known", "row_missing"), 1), any_column(), any_column()), TRUE),
  row_missing = function() word_case(quote(row_missing(d, s, j)), TRUE,
                                     function(part, call) is.na(part$d) + is.na(part$s) + is.na(part$j)),
  row_max_name = function() word_case(as.call(list(quote(row_max_name), quote(d), quote(j), quote(e),
                                                   missing = sample(c("keep", "skip"), 1))), TRUE),
  row_min_name = function() word_case(as.call(list(quote(row_min_name), quote(day), quote(eve),
                                                   missing = sample(c("keep", "skip"), 1))), TRUE),
  row_ranking = function() own("row_ranking", quote(e), quote(j), best = "highest", into = 1),
  bands = function() own("bands", quote(e), low = -1, high = Inf),
    convert_unit = function() own("convert_unit", number_column(), "mm", "cm"),
  join_text = function() word_case(as.call(list(quote(join_text), text_column(), any_column(), with = "-",
                                                missing = sample(c("keep", "skip", "empty"), 1))), TRUE),
  title_case = function() own("title_case", text_column()),
    text_between = function() own("text_between", text_column(), NULL, "-"),
  text_found = function() own("text_found", text_column(), "[0-9]+"),
    has_form = function() own("has_form", text_column(), "[a-z]+"),
  as_number = function() own("as_number", text_column(), unreadable = "missing"),
    as_date = function() own("as_date", quote(paste(2024, abs(j) + 1, 3, sep = "-"))),
  as_time = function() own("as_time", quote(sprintf("2024-01-0%dT12:00Z", abs(j) + 1L))),
    as_category = function() own("as_category", quote(s), levels = quote(c("a", "b")), unreadable = "missing"),
  date_part = function() own("date_part", one_of(day_column(), quote(time)), sample(c("year", "month", "week"), 1)),
  start_of = function() own("start_of", one_of(day_column(), quote(time)), sample(c("week", "month"), 1)),
  end_of = function() own("end_of", one_of(day_column(), quote(time)), sample(c("week", "month", "day"), 1)),
  add_time = function() own("add_time", one_of(day_column(), quote(time)), one_of(3, quote(j)),
                            sample(c("days", "months", "years"), 1)),
  time_between = function() own("time_between", quote(day), quote(eve), sample(c("days", "months", "years"), 1)),
  look_up = function() word_case(quote(look_up(s, codes, by = "code", take = value, unknown = "missing")), TRUE,
                                 function(part, call) codes$value[match(part$s, codes$code)])
)

# Words of numbers that the core calculates have a case by their record: what they mean in R is their test.
case_of_word <- function(word) {
  force(word)
  function() word_case(as.call(c(as.name(word$name), replicate(word$arguments, number_column()))), TRUE, TRUE)
}

for (word in asNamespace("rowanroot")$all_words()) {
  is_of_numbers <- word$kind == "row" && !is.null(word$memory) && !is.null(word$type(rep("double", word$arguments)))
  if (is_of_numbers && grepl("^[[:alpha:]]", word$name) && is.null(word_cases[[word$name]])) {
    word_cases[[word$name]] <- case_of_word(word)
  }
}

# A table that formulas look things up in.
codes <- data.frame(code = c("a", "b"), value = c(1.5, 2))

# Words that have no case of their own, and why.
without_case <- c(
  split_text = "gives several columns: steps have it", column_named = "stands for a column's name",
    columns_that = "chooses columns", names_like = "chooses columns",
  time_window = "stands in `rows`", all_columns = "chooses columns", descending = "stands in `along`",
  pattern = "is an argument of split_text()"
)

words_of_language <- function() {
  # Those that random_formula() has.
  setdiff(asNamespace("rowanroot")$names_to_offer(), c("switch", "missing", "weekdays", "lgamma", "beta",
                                                       "factorial", "bitwOr", "gsub", "last_value"))
}

# One way: how the table comes, and under which options it is calculated.
way <- function(open, ..., save = FALSE, folder = FALSE, again = FALSE, row_only = FALSE,
                only_if = function(case) TRUE) {
  list(open = open, options = list(...), save = save, folder = folder, again = again, row_only = row_only,
       only_if = only_if)
}

fresh_texts <- function(data) {
  for (name in names(data)) {
    if (is.character(data[[name]])) {
      data[[name]] <- replace(paste0(data[[name]], character()), is.na(data[[name]]), NA)
    }
  }
  data
}

# Texts as numbers of a few, some of which no row has, in another order.
coded_texts <- function(data) {
  for (name in names(data)[vapply(data, is.character, NA)]) {
    texts <- sample(unique(c(setdiff(data[[name]], NA), "no row's", "a", "-1")))
    data[[name]] <- rowanroot:::coded_texts_cpp(match(data[[name]], texts), texts)
  }
  data
}

every_way <- function(data) {
  suppressMessages(save_table(data, "one.csv", force = TRUE))
  unlink("parts", recursive = TRUE)
  dir.create("parts")
  cuts <- sort(sample(0:nrow(data), 2, replace = TRUE))
  pieces <- list(data[seq_len(cuts[1]), ], data[seq_len(cuts[2] - cuts[1]) + cuts[1], ],
                 data[seq_len(nrow(data) - cuts[2]) + cuts[2], ])
  for (k in 1:3) suppressMessages(save_table(pieces[[k]], paste0("parts/", k, ".csv"), force = TRUE))
  one <- function() open_table("one.csv", types = column_types)
  several <- function() open_table("parts/*.csv", types = column_types)
  list(
    frame = way(function() data), sorted = way(function() sort_rows(data[sample(nrow(data)), ], id)),
      "texts looked at" = way(function() fresh_texts(data)), "texts with codes" = way(function() coded_texts(data)),
      "two threads" = way(function() data, rowanroot.threads = 2L, rowanroot.block_rows = 7L),
    "one thread" = way(function() data, rowanroot.threads = 1L), "one file" = way(one),
      "one file, looked at" = way(function() as.data.frame(one())), "several files" = way(several),
    kept = way(several, rowanroot.keep_from = 0, rowanroot.keep_seconds = 0),
      "kept again" = way(several, rowanroot.keep_from = 0, rowanroot.keep_seconds = 0),
    "chunks of 7 rows" = way(several, rowanroot.chunks_from = 0, rowanroot.chunk_bytes = 1000, save = TRUE),
    "chunks of 2,000 rows" = way(one, rowanroot.chunks_from = 0, rowanroot.chunk_bytes = 300000, save = TRUE),
    folder = way(several, save = TRUE, folder = TRUE, rowanroot.keep_from = 0),
    "one part changed" = way(several, save = TRUE, again = TRUE, rowanroot.keep_from = 0, rowanroot.copy_from = 0)
  )
}

# What comes of `code`, in which `.table` is the table.
in_way <- function(way, code, env) {
  old <- options(way$options)
  on.exit(options(old))
  suppressWarnings(suppressMessages({
    table <- eval(code, list2env(list(.table = way$open()), parent = env))
    if (!way$save) return(as.data.frame(table))
    unlink("out.csv")
    # Sorted, the rows of one file do not follow each other.
    if (way$folder && !any(c("sort_rows", "top_rows", "bottom_rows") %in% all.names(code))) save_in_folder(table)
    else {
      if (way$again) with_other_part(save_table(table, "out.csv", force = TRUE))
      save_table(table, "out.csv", force = !way$again)
    }
    NULL
  }))
}

# The code, while one file has the rows of another.
with_other_part <- function(code) {
  file.copy("parts/2.csv", "part.csv", overwrite = TRUE)
  file.copy("parts/3.csv", "parts/2.csv", overwrite = TRUE)
  try(code, silent = TRUE)
  file.copy("part.csv", "parts/2.csv", overwrite = TRUE)
}

# The files of a folder that was made, one of which is made again by itself, one after the other. A table whose rows are
# not of one file each is no folder.
save_in_folder <- function(table) {
  made <- tryCatch(save_table(table, "folder/", force = TRUE), rowanroot_no_parts = function(e) NULL)
  if (is.null(made)) return(save_table(table, "out.csv", force = TRUE))
  unlink("folder/2.csv")
  save_table(table, "folder/")
  texts <- lapply(Sys.glob("folder/*.csv"), function(file) readBin(file, "raw", 1e8))
  # After the first, what follows the header.
  header <- nchar(readLines(textConnection(rawToChar(texts[[1]])), 1), "bytes") + 1
  writeBin(unlist(c(texts[1], lapply(texts[-1], utils::tail, -header))), "out.csv")
}

# The same, as a file has it: types are those of the values that are expected.
same_as_file <- function(expected) {
  suppressWarnings(suppressMessages(save_table(expected, "expected.csv", force = TRUE)))
  identical(readBin("expected.csv", "raw", 1e8), readBin("out.csv", "raw", 1e8))
}

nearly <- function(found, expected) {
  if (is.factor(found) && is.factor(expected) && !identical(levels(found), levels(expected))) return(FALSE)
  if (is.list(found)) return(length(found) == length(expected) && all(mapply(nearly, found, expected)))
  plain <- function(x) {
    if (inherits(x, c("Date", "POSIXct"))) as.numeric(x) else if (is.factor(x)) as.character(x) else as.vector(x)
  }
  found <- plain(found)
  expected <- plain(expected)
  if (length(found) != length(expected) || !identical(is.na(found), is.na(expected))) return(FALSE)
  if (!is.numeric(found) || !is.numeric(expected)) {
    return(all(is.na(found)) || identical(as.character(found), as.character(expected)))
  }
  known <- !is.na(found)
  found <- found[known]
  expected <- expected[known]
  all(found == expected | abs(found - expected) <= 1e-11 * pmax(abs(found), abs(expected), 1e-280))
}

all_nearly <- function(found, expected) nrow(found) == nrow(expected) && nearly(unclass(found), unclass(expected))
