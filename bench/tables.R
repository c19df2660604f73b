# What is done to whole tables, and what is said of them: part of run.R.

by_hive <- function(groups) groups[order(groups$hive), ]
hive <- data$hive
known <- ifelse(is.na(net), 0, net)
task("mean, sum and count, one row for each of 50,000 groups",
     function() {
       sums <- rowsum(cbind(known, !is.na(net), 1), hive)
       data.frame(hive = as.integer(rownames(sums)), m = unname(sums[, 1] / sums[, 2]), s = unname(sums[, 1]), n = as.integer(sums[, 3]))
     },
     function() one_row_per(data, hive, { m <- mean(net_kg, na.rm = TRUE); s <- sum(net_kg, na.rm = TRUE); n <- .rows }),
     function(threads) limit_group_rows(net, hive, hives, threads), times = 9, arrange = by_hive)

task("mean, sum and count, beside tapply",
     function() {
       m <- tapply(net, hive, mean, na.rm = TRUE)
       data.frame(hive = as.integer(names(m)), m = as.vector(m), s = as.vector(tapply(net, hive, sum, na.rm = TRUE)), n = tabulate(hive))
     },
     function() one_row_per(data, hive, { m <- mean(net_kg, na.rm = TRUE); s <- sum(net_kg, na.rm = TRUE); n <- .rows }), times = 3, arrange = by_hive)

months <- split(data[1:1e6, ], rep_len(1:100, 1e6))
task("100 tables below each other",
     function() do.call(rbind, unname(months)),
     function() do.call(append_rows, unname(months)), times = 5)

# How costs grow.
if (grepl(wanted, "tables growth")) {
  few <- months[1:10]
  changed <- set_columns(data, { gross_kg[.row %% 7 == 0] <- gross_kg + 1 })
  # Copies, so that no column is the same by its address.
  part <- function(x, rows) x[seq_len(rows), ]
  small <- list(before = part(data, rows / 5), after = part(changed, rows / 5))
  large <- list(before = data, after = part(changed, rows))
  took <- seconds(list(few = function() do.call(append_rows, unname(few)), many = function() do.call(append_rows, unname(months)),
                       small = function() compare_tables(small$before, small$after), large = function() compare_tables(large$before, large$after)), 5)
  cat(sprintf("100 tables of 10,000 rows cost %.1f times 10; comparing all rows %.1f times a fifth of them (%.2f s)\n", took[["many"]] / took[["few"]],
              took[["large"]] / took[["small"]], took[["large"]]))
}

if (grepl(wanted, "column_summary")) {
  took <- seconds(list(one = function() quantile(data$temperature, c(0, 0.25, 0.5, 0.75, 1)), all = function() column_summary(data)), 7)
  cat(sprintf("column_summary() of ten columns costs %.2f times quantile() of one (%.2f s, %.2f s)\n", took[["all"]] / took[["one"]], took[["all"]], took[["one"]]))
}
