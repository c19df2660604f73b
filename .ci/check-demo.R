# What the demo's script makes, calculated in base R alone from the same CSV files.
folder <- commandArgs(TRUE)
files <- sort(list.files(file.path(folder, "visits"), full.names = TRUE))
visits <- do.call(rbind, lapply(files, read.csv, colClasses = c(hive_code = "character")))
apiaries <- read.csv(file.path(folder, "apiaries.csv"))

in_grams <- !is.na(visits$gross_kg) & visits$gross_kg > 1000
visits$gross_kg[in_grams] <- visits$gross_kg[in_grams] / 1000
visits$net_kg <- visits$gross_kg - visits$tare_kg
visits$net_lb <- visits$net_kg * 2.20462
visits$strength <- as.character(cut(visits$frames, c(-Inf, 4, 8, Inf), c("weak", "fair", "strong"), right = FALSE))
visits$hive_kg <- ifelse(is.na(visits$scale_kg), visits$manual_kg, visits$scale_kg)
visits$region <- apiaries$region[match(substr(visits$hive_code, 1, 2), apiaries$apiary)]
visits$day <- format(as.Date(visits$date, "%d/%m/%Y"))
expected <- visits[which(visits$net_kg > 0), ]

by_day <- order(expected$day)
expected$so_far_kg[by_day] <- ave(expected$net_kg[by_day], expected$hive_code[by_day], FUN = cumsum)
region <- ifelse(is.na(expected$region), "none", expected$region)
places <- ave(-expected$net_kg, region, FUN = function(x) rank(x, ties.method = "min"))
expected$place <- as.integer(places)

found <- read.csv(file.path(folder, "out", "yield.csv"), na.strings = "")
order <- c("date", "hive_code", "keeper_first", "keeper_last", "gross_kg", "tare_kg", "net_kg", "net_lb", "strength",
           "hive_kg", "region", "day", "frames", "mites", "moisture", "scale_kg", "manual_kg",
           "so_far_kg", "place")
stopifnot(identical(names(found), order), nrow(found) == nrow(expected), nrow(found) > 2500)
for (name in order) {
  if (!identical(found[[name]], expected[[name]])) stop("The demo's column ", name, " is not what base R calculates.")
}
cat("The demo's output is what base R calculates:", nrow(found), "rows,", length(found), "columns.\n")
