# Tables of all types, made at random, that are written, read and compared: what a format says that it keeps comes
# back as it was.

pick <- function(rows, values) values[sample(length(values), rows, replace = TRUE)]

odd_texts <- c("", "NA", "NULL", "null", " a", "a ", "_x0041_", "_x005F_", "a,b", "say \"no\"",
               "a'; DROP TABLE x;--", "\U1F41D", "Zo\u00eb", "a\nb", "a\r\nb", "\t", "\u0001", "\u200b", "\uFEFF",
               "{\"a\":1}",
               "=1+1", "<b>&amp;", "Inf", "TRUE", "1e5", "007", "2026-02-30", "\\", "#N/A", strrep("\u00e4", 30000))
odd_reals <- c(0, 1, -1.5, 1 / 3, 0.1 + 0.2, 2^53, 2^53 + 2, -2^60, 1e15, 1e300, -1e-300, 5e-324,
               .Machine$double.xmax, 123456789.123456789)

column_makers <- list(
  real = function(rows) c(pick(rows - 1, odd_reals), stats::rnorm(1)),
    whole = function(rows) pick(rows, c(NA, 0L, -1L, 2147483647L, -2147483647L)),
  long = function(rows) bit64::as.integer64(c("9007199254740993",
                                              pick(rows - 1,
                                                   c(NA, "0", "-1", "-9223372036854775807", "9223372036854775807")))),
  flag = function(rows) pick(rows, c(TRUE, FALSE, NA)),
    text = function(rows) c("a", pick(rows - 1, c(odd_texts, NA))),
    day = function(rows) c(as.Date("2026-01-01"), as.Date("1970-01-01") +
                           pick(rows - 1, c(NA, -20000, 0, 1, 20000, 200000))),
  moment = function(rows) c(.POSIXct(0.25, "UTC"),
                            .POSIXct(pick(rows - 1, c(NA, 1.7e9 + 0.125, -1e9 - 0.5, 4e9,
                                                      round(stats::runif(3, 0, 2e9), 3))), "UTC")),
  kind = function(rows) factor(pick(rows, c("b", "a", NA)), levels = c("z", "b", "a", "q")),
    grade = function(rows) factor(pick(rows, c("lo", "hi", NA)), levels = c("lo", "mid", "hi"), ordered = TRUE),
  nothing = function(rows) rep(NA, rows), infinite = function(rows) pick(rows, c(Inf, -Inf, 1)),
    broken = function(rows) pick(rows, c(NaN, NA, 0.5)), zero = function(rows) pick(rows, c(-0, 0)),
  zoned = function(rows) .POSIXct(pick(rows, c(NA, 1.7e9, 1.76e9)), "Europe/Zurich"),
    far = function(rows) structure(pick(rows, c(4e6, -800000, NA)), class = "Date"),
  lasting = function(rows) as.difftime(pick(rows, c(1.5, 90, NA)), units = "mins")
)

# What becomes of a column: kept as it is, unless there is a function that says what comes back; or refused.
as_text <- function(x) as.character(x)
if_whole <- function(x) if (!any(is.nan(x)) && all(is.na(x) | x == floor(x) & abs(x) < 2^31)) as.integer(x) else x
refused <- "refused"
what_formats_do <- list(
  csv = list(kind = as_text, grade = as_text, zoned = function(x) .POSIXct(as.numeric(x), "UTC"), lasting = refused,
             long = "asked", far = refused),
  jsonl = list(kind = as_text, grade = as_text, zoned = function(x) .POSIXct(as.numeric(x), "UTC"),
               lasting = refused, infinite = refused, broken = refused, far = refused),
  parquet = list(),
  xlsx = list(kind = as_text, grade = as_text, zoned = function(x) .POSIXct(as.numeric(x), "UTC"),
              whole = as.numeric, lasting = refused, infinite = refused, broken = refused, long = refused,
              far = refused),
  sqlite = list(kind = as_text, grade = as_text, zoned = function(x) .POSIXct(as.numeric(x), "UTC"),
                lasting = refused, broken = refused, zero = abs, far = identity),
  postgres = list(kind = as_text, grade = as_text, zoned = function(x) .POSIXct(as.numeric(x), "UTC"),
                  lasting = refused, broken = refused, far = refused)
)

comparable <- function(x) {
  if (inherits(x, "integer64")) return(as.character(x))
  if (is.factor(x)) return(list(as.character(x), levels(x), is.ordered(x)))
  if (is.numeric(x) || inherits(x, "POSIXct")) {
    return(list(class(x)[1], format(as.vector(unclass(x)), digits = 17), 1 / as.vector(unclass(x)), attr(x, "tzone")))
  }
  x
}

save_and_open <- function(data, format, connection, types = NULL) {
  if (format == "postgres") {
    suppressWarnings(quietly(save_table(data, connection, table = "exact", force = TRUE)))
    # A table of a database has no order of its own.
    found <- as.data.frame(open_table(connection, table = "exact"))
    return(found[order(found$id), , drop = FALSE])
  }
  file <- paste0("exact.", format)
  table <- if (format == "sqlite") "exact"
  suppressWarnings(quietly(save_table(data, file, table = table, force = TRUE)))
  suppressWarnings(as.data.frame(open_table(file, table = table, types = types)))
}

for (format in names(what_formats_do)) {
  test_that(paste0("tables of all types come back from ", format, " as its help says"), {
    local_folder()
    connection <- if (format == "postgres") local_postgres()
    does <- what_formats_do[[format]]
    is_refused <- vapply(names(column_makers), function(name) identical(does[[name]], refused), NA)
    set.seed(as.integer(Sys.getenv("ROWANROOT_SEED", "19")))
    for (name in names(column_makers)[is_refused]) {
      one <- stats::setNames(data.frame(column_makers[[name]](30)), name)
      one[1, 1] <- column_makers[[name]](100)[which(!is.na(column_makers[[name]](100)))[1]]
      expect_error(save_and_open(one, format, connection), class = "rowanroot_cannot_write", info = paste(format, name))
    }
    for (round in seq_len(if (format == "parquet") 4 else 8)) {
      rows <- sample(c(1, 2, 7, 300), 1)
      data <- as.data.frame(lapply(column_makers[!is_refused], function(make) make(rows)))
      names(data)[5] <- sample(c("text", " a", "_x0041_", "select", "\"; DROP", "Zo\u00eb"), 1)
      # Rows of missing values at the end are rows.
      if (round %% 2 == 0) data[rows + 1, ] <- NA
      if (format == "postgres") data$id <- seq_len(nrow(data))
      types <- if (format == "csv") stats::setNames(c("text", "integer64", "number"), c(names(data)[5], "long", "real"))
      found <- save_and_open(data, format, connection, types)
      expect_identical(names(found), names(data))
      for (k in which(names(data) != "id")) {
        name <- names(column_makers)[!is_refused][k]
        expected <- data[[k]]
        if (is.function(does[[name]])) expected <- does[[name]](expected)
        if (all(is.na(expected)) && !is.nan(expected[1])) {
          expect_true(all(is.na(found[[k]])), info = paste(format, name))
          next
        }
        # What is whole everywhere is whole numbers in formats that are text.
        if (format %in% c("csv", "jsonl") && is.double(expected) && !is.object(expected) &&
            !(name == "real" && format == "csv")) expected <- if (name == "zero" &&
                                                                  any(1 / expected < 0,
                                                                      na.rm = TRUE)) expected else if_whole(expected)
        expect_identical(comparable(found[[k]]), comparable(expected), info = paste(format, name, round))
      }
    }
  })
}
