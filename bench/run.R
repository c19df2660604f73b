# Times the engine against the best base R idiom for the same work, and against C++ written by hand for it
# alone (limits.cpp), in one run, and checks that all give the same.
#   Rscript bench/run.R [rows] [file for the table, or ""] [pattern of the tasks to time]
library(rowanroot)
folder <- dirname(sub("^--file=", "", grep("^--file=", commandArgs(FALSE), value = TRUE)))
source(file.path(folder, "data.R"))
arguments <- commandArgs(TRUE)
rows <- if (length(arguments)) as.numeric(arguments[1]) else 5e6
wanted <- if (length(arguments) > 2) arguments[3] else ""

makevars <- tempfile()
flags <- "-O3 -march=native -ffp-contract=off -fno-math-errno -pthread"
writeLines(paste0(c("CXXFLAGS = ", "CXX17FLAGS = "), flags), makevars)
Sys.setenv(R_MAKEVARS_USER = makevars)
Rcpp::sourceCpp(file.path(folder, "limits.cpp"))
Rcpp::sourceCpp(file.path(folder, "limits-order.cpp"))
Rcpp::sourceCpp(file.path(folder, "limits-text.cpp"))

# Medians. What is compared runs in turn, so that a slow minute of the machine is every one's.
seconds <- function(functions, times) {
  one <- function(f) {
    gc()
    start <- as.numeric(Sys.time())
    f()
    as.numeric(Sys.time()) - start
  }
  for (f in functions) one(f)
  runs <- replicate(times, vapply(functions, one, 0))
  if (is.matrix(runs)) apply(runs, 1, median) else stats::setNames(median(runs), names(functions))
}

plain <- function(x) {
  if (is.data.frame(x)) attr(x, "row.names") <- NULL
  unname(lapply(if (is.list(x)) x else list(x), identity))
}

results <- list()
# `arrange` puts results in the order in which they are compared; that takes no part in what is timed.
task <- function(title, base, ours, limit = NULL, times = 7, tolerance = 1e-10, arrange = identity) {
  if (!grepl(wanted, title)) return(invisible())
  reference <- plain(arrange(base()))
  same <- function(f) isTRUE(all.equal(plain(arrange(f())), reference, tolerance = tolerance))
  stopifnot(same(ours), is.null(limit) || same(function() limit(1)))
  limits <- if (!is.null(limit)) list(limit_1 = function() limit(1), limit_2 = function() limit(2))
  took <- seconds(c(list(base = base, ours = ours), limits), times)
  row <- list(title = title, base = took[["base"]], ours = took[["ours"]], limit = if (is.null(limits)) NA else min(took[c("limit_1", "limit_2")]))
  cat(sprintf("%-45s base %8.4f  rowanroot %8.4f  limit %8.4f   %6.1fx faster, %5.2f times the limit\n", title, row$base, row$ours,
              row$limit, row$base / row$ours, row$ours / row$limit))
  results[[length(results) + 1]] <<- row
}

data <- bench_data(rows)
net <- data$net_kg
tare <- data$tare_kg
gross <- data$gross_kg
frames <- data$frames

task("four arithmetic formulas",
     function() { net <- gross - tare; list(net, net / frames, net * 2.20462, net * 0.9 + tare^2) },
     function() set_columns(data, { net <- gross_kg - tare_kg; a <- net / frames; b <- net * 2.20462; c <- net * 0.9 + tare_kg^2 }, carry = c()),
     function(threads) limit_arithmetic(gross, tare, frames, threads))

task("labels by if and else",
     function() { r <- rep("heavy", length(net)); r[net <= 10] <- "medium"; r[net <= 5] <- "light"; r[is.na(net)] <- NA; list(r) },
     function() set_columns(data, { label <- if (net_kg <= 5) "light" else if (net_kg <= 10) "medium" else "heavy" }, carry = c()),
     function(threads) list(limit_labels(net, threads)))

set.seed(43)
eight <- lapply(1:8, function(k) { x <- rnorm(rows, 10 * k, k); x[sample.int(rows, rows %/% 200)] <- NA; x })
names(eight) <- paste0("v", 1:8)
table <- structure(eight, row.names = .set_row_names(rows), class = "data.frame")
task("z-scores of 8 columns",
     function() lapply(eight, function(x) (x - mean(x, na.rm = TRUE)) / sd(x, na.rm = TRUE)),
     function() set_columns(table, {
       for (name in all_columns())
         column_named(name) <- (column_named(name) - mean(column_named(name), na.rm = TRUE)) / sd(column_named(name), na.rm = TRUE)
     }),
     function(threads) limit_z_scores(eight, threads), times = 5)
rm(eight, table)

task("keep_rows on ten columns",
     function() { kept <- which(net > 1.1 * tare); lapply(data, `[`, kept) },
     function() keep_rows(data, net_kg > 1.1 * tare_kg),
     function(threads) limit_keep_rows(data, net, tare, threads))

hives <- max(data$hive)
task("mean in 50,000 groups",
     function() ave(net, data$hive, FUN = function(x) mean(x, na.rm = TRUE)),
     function() set_columns(data, { m <- mean(net_kg, na.rm = TRUE) }, within = hive, carry = c()),
     function(threads) limit_group_mean(net, data$hive, hives), times = 3)

price <- function(kg, frames) {
  if (is.na(kg)) return(NA_real_)
  rate <- 8
  if (!is.na(frames) && frames > 12) rate <- 9
  if (kg > 10) kg * rate * 0.9 else kg * rate
}
task("a function of one row with ifs",
     function() vapply(seq_len(rows), function(i) price(net[i], frames[i]), 0),
     function() set_columns(data, { p <- price(net_kg, frames) }, carry = c()), times = 2)

# Ranks by R's radix order: quicker than rank().
rank_by_order <- function(x) {
  o <- order(-x, method = "radix")
  sorted <- x[o]
  new <- c(TRUE, sorted[-1] != sorted[-length(x)])
  first <- cummax(ifelse(new | is.na(new), seq_along(x), 0L))
  first[is.na(sorted)] <- NA
  result <- integer(length(x))
  result[o] <- first
  result
}

task("ranks, many ties",
     function() rank_by_order(net),
     function() set_columns(data, { r <- ranking(net_kg, best = "highest") }, carry = c()),
     function(threads) limit_rank(net, threads), times = 5)

task("ranks, no ties",
     function() rank_by_order(data$temperature),
     function() set_columns(data, { r <- ranking(temperature, best = "highest") }, carry = c()),
     function(threads) limit_rank(data$temperature, threads), times = 5)

task("ranks in 50,000 groups",
     function() {
       o <- order(data$hive, -net, method = "radix")
       group <- data$hive[o]
       sorted <- net[o]
       new_group <- c(TRUE, group[-1] != group[-rows])
       new <- c(TRUE, sorted[-1] != sorted[-rows])
       new <- new_group | is.na(new) | new
       place <- which(new)[cumsum(new)] - which(new_group)[cumsum(new_group)] + 1L
       place[is.na(sorted)] <- NA
       result <- integer(rows)
       result[o] <- place
       result
     },
     function() set_columns(data, { r <- ranking(net_kg, best = "highest", within = hive) }, carry = c()),
     function(threads) limit_rank_groups(net, data$hive, hives, threads), times = 5)

task("running total along the day in 50,000 groups",
     function() {
       o <- order(data$hive, data$day, method = "radix")
       group <- data$hive[o]
       value <- net[o]
       value[is.na(value)] <- 0
       sums <- cumsum(value)
       start <- which(c(TRUE, group[-1] != group[-rows]))
       result <- numeric(rows)
       result[o] <- sums - rep.int(c(0, sums[start[-1] - 1]), diff(c(start, rows + 1)))
       result[is.na(net)] <- NA
       result
     },
     function() set_columns(data, { r <- running_total(net_kg, along = day, within = hive) }, carry = c()),
     function(threads) limit_running(net, data$hive, data$day, hives, 365L, threads), times = 5, tolerance = 1e-6)

task("sort ten columns by text and number",
     function() { o <- order(data$apiary, -net, method = "radix"); lapply(data, `[`, o) },
     function() sort_rows(data, apiary, descending(net_kg)),
     function(threads) limit_sort(data, data$apiary, net, threads), times = 5)

known <- ifelse(is.na(net), 0, net)
balances <- data.frame(known)
task("recurrence, beside an R loop",
     compiler::cmpfun(function() { r <- numeric(rows); above <- 0; for (i in seq_along(known)) { above <- above * 0.99 + known[i]; r[i] <- above }; r }),
     function() set_columns(balances, { b <- running(.above * 0.99 + known, start = 0) }, carry = c()),
     function(threads) limit_recurrence(known, 0.99), times = 5)

task("top 3 rows of each apiary",
     function() {
       o <- order(data$apiary, -net, method = "radix")
       start <- which(!duplicated(data$apiary[o]))
       net[o[as.vector(outer(0:2, start, `+`))]]
     },
     function() { top <- top_rows(data, 3, by = net_kg, within = apiary, ties = "cut"); top$net_kg[order(top$apiary, method = "radix")] },
     function(threads) net[limit_top(data$apiary, net, threads)], times = 5)

task("moving mean of 7 rows",
     function() as.vector(stats::filter(data$humidity, rep(1 / 7, 7), sides = 1)),
     function() set_columns(data, { m <- moving_mean(humidity, rows = 7) }, carry = c()), times = 5)

if (grepl(wanted, "moving mean")) {
  windows <- seconds(list(short = function() set_columns(data, { m <- moving_mean(humidity, rows = 7) }, carry = c()),
                          long = function() set_columns(data, { m <- moving_mean(humidity, rows = 7000) }, carry = c())), 5)
  cat(sprintf("a window of 7,000 rows costs %.2f times one of 7\n", windows[["long"]] / windows[["short"]]))
}

five <- data[1:5, ]
task("three formulas on 5 rows, 100 times",
     function() for (i in 1:100) within(five, { net <- gross_kg - tare_kg; lb <- net * 2.2; label <- ifelse(net > 5, "a", "b") }),
     function() for (i in 1:100) set_columns(five, { net <- gross_kg - tare_kg; lb <- net * 2.2; label <- if (net > 5) "a" else "b" }))

source(file.path(folder, "tables.R"))
source(file.path(folder, "words.R"))
source(file.path(folder, "text.R"))
source(file.path(folder, "files.R"))

# What a row costs with 1, 10 and 40 million of them. Needs 8 GB of memory, and some minutes.
if (nzchar(wanted) && grepl(wanted, "growth")) {
  rm(data, net, tare, gross, frames, known, balances)
  for (size in c(1e6, 1e7, 4e7)) {
    set.seed(7)
    large <- data.frame(x = rnorm(size), g = sample.int(50000L, size, TRUE), day = sample.int(365L, size, TRUE))
    took <- seconds(list(rank = function() set_columns(large, { r <- ranking(x, best = "highest") }, carry = c()),
                         total = function() set_columns(large, { r <- running_total(x, along = day, within = g) }, carry = c()),
                         sort = function() sort_rows(large, day, x),
                         formulas = function() set_columns(large, { r <- x * 2 + day; s <- if (x > 0) r else -r }, carry = c())), 3)
    cat(sprintf("%.0f million rows, ns a row: rank %.0f, running total %.0f, sort %.0f, formulas %.1f\n", size / 1e6, took[["rank"]] / size * 1e9,
                took[["total"]] / size * 1e9, took[["sort"]] / size * 1e9, took[["formulas"]] / size * 1e9))
    rm(large)
  }
}

lines <- vapply(results, function(row) {
  limit <- if (is.na(row$limit)) c("", "") else c(sprintf("%.4f", row$limit), sprintf("%.2f", row$ours / row$limit))
  sprintf("| %s | %.4f | %.4f | %s | %.1f | %s |", row$title, row$base, row$ours, limit[1], row$base / row$ours, limit[2])
}, "")
header <- c("| task | base R s | rowanroot s | limit s | times faster than base R | times the limit |", "| --- | --- | --- | --- | --- | --- |")
if (length(arguments) > 1 && nzchar(arguments[2])) writeLines(c(header, lines), arguments[2])
