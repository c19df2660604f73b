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

# Codes of few hives and of nearly as many as rows, names of keepers, days and moments as texts.
bench_texts <- function(n, seed = 44) {
  set.seed(seed)
  hives <- max(50L, as.integer(n / 100))
  codes <- as.vector(outer(LETTERS, LETTERS, paste0))
  apiary <- sample(setdiff(codes, "NA"), 50)[sample.int(50L, hives, TRUE)]
  side <- sample(letters[1:6], hives, TRUE)
  hive <- sample.int(hives, n, TRUE)
  few <- paste0(apiary, "-", sprintf("%04d", seq_len(hives)), "-", side)[hive]
  many <- paste0(apiary[hive], "-", sprintf("%07d", sample.int(9999999L, n)), "-", side[hive])
  few[sample.int(n, n %/% 1000L)] <- NA
  names <- function(count, parts) {
    made <- unique(replicate(4 * count, paste(sample(c("an", "ma", "ber", "to", "li", "sa", "jo", "ker", "mi", "ro"), parts, TRUE), collapse = "")))
    paste0(toupper(substr(made, 1, 1)), substr(made, 2, 99))[seq_len(count)]
  }
  first <- c("Zo\u00eb", "S\u00f8ren", names(98, 3))
  last <- c("M\u00fcller", names(999, 4))
  data <- list(few = few, many = many, first = sample(first, n, TRUE), last = sample(last, n, TRUE),
               day = format(as.Date("2025-01-01") + sample.int(365L, n, TRUE) - 1), hive = hive, apiary = apiary[hive])
  tables <- list(apiaries = data.frame(apiary = unique(apiary), region = sample(c("north", "south", "coast"), length(unique(apiary)), TRUE),
                                       altitude_m = round(runif(length(unique(apiary)), 5, 600), 1)),
                 hives = data.frame(hive = sample.int(hives), breed = sample(c("buckfast", "carnica", "ligustica"), hives, TRUE),
                                    queen_year = sample(2015:2024, hives, TRUE)))
  c(tables, list(rows = structure(data, row.names = .set_row_names(n), class = "data.frame")))
}
