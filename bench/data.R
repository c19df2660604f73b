# Made-up hive weighings for the benchmark: ten columns, rows in no order, some values missing.
bench_data <- function(n, seed = 42) {
  set.seed(seed)
  hives <- max(50L, as.integer(n / 100))
  codes <- as.vector(outer(LETTERS, LETTERS, paste0))
  apiary <- sample(setdiff(codes, "NA"), 50)[sample.int(50L, hives, TRUE)]
  hive <- sample.int(hives, n, TRUE)
  tare <- round(runif(n, 3, 9), 2)
  gross <- round(tare + rgamma(n, 4, scale = 2) - 0.3, 2)
  gross[sample.int(n, n %/% 50L)] <- NA
  frames <- sample(4:20, n, TRUE)
  frames[sample.int(n, n %/% 100L)] <- NA
  data <- list(hive = hive, apiary = apiary[hive], day = sample.int(365L, n, TRUE), frames = frames, gross_kg = gross,
               tare_kg = tare, net_kg = gross - tare, temperature = rnorm(n, 18, 6), humidity = runif(n, 0.2, 0.95),
               scale = sample.int(2000L, n, TRUE))
  structure(data, row.names = .set_row_names(n), class = "data.frame")
}
