# Words and verbs that look across columns, fill gaps, cut into parts, and go from long to wide: part of run.R.

Rcpp::sourceCpp(file.path(folder, "limits-wide.cpp"))
spread <- stats::runif(rows)
gaps <- replace(spread, sample(rows, rows / 10), NA)
task("last known value",
     function() { at <- cumsum(!is.na(gaps)); c(NA, gaps[!is.na(gaps)])[at + 1] },
     function() last_known(gaps),
     function(threads) limit_last_known(gaps, threads))

task("ten equal parts",
     function() {
       ranks <- integer(rows)
       ranks[order(-spread, method = "radix")] <- seq_len(rows)
       size <- rows %/% 10
       larger <- rows %% 10
       ifelse(ranks <= larger * (size + 1), (ranks - 1) %/% (size + 1), larger + (ranks - 1 - larger * (size + 1)) %/% size) + 1
     },
     function() equal_parts(spread, 10, best = "highest"),
     function(threads) limit_parts(limit_rank(spread, threads), 10L), times = 5)

task("moving median of 101 rows",
     function() replace(as.vector(stats::runmed(spread, 101, endrule = "keep")), c(1:50, rows - 49:0), NA),
     function() moving_median(spread, rows = 101, align = "centre"), times = 3)

wide <- as.data.frame(matrix(stats::runif(rows * 12), rows))
task("name of the greatest of 12 columns",
     function() names(wide)[max.col(wide, "first")],
     function() set_columns(wide, { r <- row_max_name(V1:V12) }, carry = c())$r,
     function(threads) names(wide)[limit_greatest(wide, threads)], times = 3)

prices <- data.frame(from = sort(unique(stats::runif(1e5))))
prices$eur <- seq_along(prices$from)
task("nearest of 100,000 keys",
     function() prices$eur[c(NA, seq_along(prices$from))[findInterval(spread, prices$from) + 1]],
     function() look_up(spread, prices, take = eur, by = from, match = "at or before", unknown = "missing"),
     function(threads) limit_nearest(spread, prices$from, prices$eur, threads), times = 5)

few <- cbind(wide[seq_len(rows / 5), ], id = seq_len(rows / 5))
by_row <- function(x) x[order(x$id, x$name), c("id", "name", "value")]
task("12 columns into rows",
     function() { long <- stack(few[1:12]); data.frame(id = rep(few$id, 12), name = as.character(long$ind), value = long$values) },
     function() rows_from_columns(few, V1:V12),
     function(threads) stats::setNames(as.data.frame(limit_long(few[1:12], few$id, threads)), c("id", "name", "value")) |>
       transform(name = names(few)[name]), times = 3, arrange = function(x) by_row(x[x$id <= 1000, ]))

some <- rows_from_columns(few[seq_len(rows / 100), ], V1:V12)
task("rows into 12 columns, beside reshape",
     function() reshape(some, idvar = "id", timevar = "name", direction = "wide"),
     function() columns_from_rows(some, name = name, value = value), times = 3)

days <- as.Date("2015-01-01") + sample(4000, rows, TRUE)
task("month of a date", function() as.POSIXlt(days)$mon + 1L, function() date_part(days, "month"), times = 3)
task("start of the month", function() { parts <- as.POSIXlt(days); parts$mday <- 1L; as.Date(parts) },
     function() start_of(days, "month"), times = 3)
first <- start_of(days, "month")
task("a month later", function() { parts <- as.POSIXlt(first); parts$mon <- parts$mon + 1L; as.Date(parts) },
     function() add_time(first, 1, "months"), times = 3)

keys <- data.frame(k = sample(rows / 5, rows / 10, TRUE), x = spread[seq_len(rows / 10)])
others <- data.frame(k = sample(rows / 5), y = spread[seq_len(rows / 5)])
task("a tenth of the rows joined with a fifth, beside merge",
     function() merge(keys, others, by = "k"), function() join_rows(keys, others, by = k), times = 3,
     arrange = function(x) x[order(x$k, x$x), ])

if (grepl(wanted, "words beside a copy")) {
  took <- seconds(list(copy = function() limit_copy(spread, 2L), runmed = function() stats::runmed(spread, 101)), 3)
  cat(sprintf("copying the column takes 1/%.0f of runmed()\n", took[["runmed"]] / took[["copy"]]))
}
