# Texts, on two million rows: each task once on few different texts, once on nearly as many as rows.
texts <- bench_texts(min(rows, 2e6))
people <- texts$rows

# Somebody looks at all texts.
look_at <- function(x) { for (column in x) anyNA(column); x }

split_base <- function(x) {
  parts <- strsplit(x, "-", fixed = TRUE)
  missing <- is.na(x)
  if (any(missing)) parts[missing] <- list(rep(NA_character_, 3))
  parts <- unlist(parts, use.names = FALSE)
  from <- seq.int(1L, by = 3L, length.out = length(x))
  list(parts[from], parts[from + 1L], parts[from + 2L])
}
task("split, few different texts",
     function() { different <- unique(people$few); lapply(split_base(different), `[`, match(people$few, different)) },
     function() set_columns(people, { c(a, b, c) <- split_text(few, "-") }, carry = c()),
     function(threads) limit_split_few(people$few), times = 5)
task("split, all different",
     function() split_base(people$many),
     function() set_columns(people, { c(a, b, c) <- split_text(many, "-") }, carry = c()), times = 3)
task("split, all different, all looked at",
     function() split_base(people$many),
     function() look_at(set_columns(people, { c(a, b, c) <- split_text(many, "-") }, carry = c())),
     function(threads) limit_split_many(people$many), times = 3)
task("join, few different texts",
     function() list(paste(people$first, people$last)),
     function() set_columns(people, { name <- join_text(first, last) }, carry = c()),
     function(threads) limit_join_few(people$first, people$last), times = 5)
task("join, all different",
     function() list(paste(people$many, people$last)),
     function() set_columns(people, { name <- join_text(many, last) }, carry = c()), times = 3)
for (about in c("few different texts", "all different", "all different, all looked at")) {
  people$text <- if (about == "few different texts") people$few else people$many
  look <- if (grepl("looked at", about)) look_at else identity
  task(paste0("toupper, ", about), function() list(toupper(people$text)), function() look(set_columns(people, { new <- toupper(text) }, carry = c())), times = 3)
  task(paste0("substr, ", about), function() list(substr(people$text, 4, 8)), function() look(set_columns(people, { new <- substr(text, 4, 8) }, carry = c())), times = 3)
  task(paste0("sub, ", about), function() list(sub("-", "/", people$text, fixed = TRUE)),
       function() look(set_columns(people, { new <- sub("-", "/", text, fixed = TRUE) }, carry = c())), times = 3)
}
rm(texts, people)

days <- format(as.Date("2025-01-01") + data$day - 1)
task("dates of 365 different texts",
     function() list(as.Date(days)),
     function() set_columns(data.frame(days), { new <- as_date(days) }, carry = c()), times = 2)
moments <- format(as.POSIXct("2025-01-01", tz = "UTC") + sample.int(3e7, min(rows, 2e6)), "%Y-%m-%d %H:%M:%S")
task("times, nearly all different texts",
     function() list(as.POSIXct(strptime(moments, "%Y-%m-%d %H:%M:%S", tz = "UTC"))),
     function() set_columns(data.frame(moments), { new <- as_time(moments) }, carry = c()), times = 1)

set.seed(12)
apiaries <- data.frame(apiary = unique(data$apiary))
apiaries$region <- sample(c("north", "south", "coast"), nrow(apiaries), TRUE)
apiaries$altitude_m <- round(runif(nrow(apiaries), 5, 600), 1)
hive_table <- data.frame(hive = sample.int(hives), breed = sample(c("buckfast", "carnica", "ligustica"), hives, TRUE),
                         queen_year = sample(2015:2024, hives, TRUE))
task("four columns from two tables",
     function() {
       a <- match(data$apiary, apiaries$apiary)
       h <- match(data$hive, hive_table$hive)
       list(apiaries$region[a], apiaries$altitude_m[a], hive_table$breed[h], hive_table$queen_year[h])
     },
     function() set_columns(data, {
       c(region, altitude) <- look_up(apiary, apiaries, take = c(region, altitude_m))
       c(breed, year) <- look_up(hive, hive_table, take = c(breed, queen_year))
     }, carry = c()),
     function(threads) limit_look_up(data$apiary, data$hive, apiaries$apiary, apiaries$region, apiaries$altitude_m, hive_table$hive,
                                     hive_table$breed, hive_table$queen_year), times = 5)

regions <- data.frame(region = apiaries$region[match(data$apiary, apiaries$apiary)])
task("labels of texts by switch",
     function() { r <- rep("other", rows); r[regions$region == "north"] <- "N"; r[regions$region == "south"] <- "S"; r[is.na(regions$region)] <- NA; list(r) },
     function() set_columns(regions, { new <- switch(region, north = "N", south = "S", "other") }, carry = c()), times = 5)
rm(days, moments, apiaries, hive_table, regions)
