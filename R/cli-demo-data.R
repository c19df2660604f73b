#' Write the demo's files
#'
#' Writes the files of a made-up beekeepers' cooperative: one CSV of hive visits for each month of a
#' year, a small table of apiaries, and a script that calculates a table of yields from them. The
#' files are the same on every machine, and have the usual faults of such files: missing values, a
#' weight in grams, a hive code with an extra part, a misspelled apiary.
#'
#' @param folder The folder to write to. It is created if needed, and must be empty.
#' @return The paths of the files that were written, invisibly.
#' @section Errors:
#' `rowanroot_folder_not_empty`; `rowanroot_cannot_write`.
#' @examples
#' folder <- tempfile()
#' make_demo(folder)
#' list.files(folder, recursive = TRUE)
#' peek(file.path(folder, "visits", "2025-06.csv"))
#' unlink(folder, recursive = TRUE)
#' @export
make_demo <- function(folder) {
  call <- quote(make_demo())
  check_path(folder, "folder", call, several = FALSE)
  check_empty_folder(folder, call)
  made <- dir.create(file.path(folder, "visits"), recursive = TRUE, showWarnings = FALSE)
  if (!made) stop_because("Can't make the folder {.file {folder}}.", "cannot_write", call)
  visits <- demo_visits()
  months <- split(visits, substr(visits$date, 4, 10))
  months <- months[order(substr(names(months), 4, 7), substr(names(months), 1, 2))]
  files <- file.path("visits", paste0(substr(names(months), 4, 7), "-", substr(names(months), 1, 2), ".csv"))
  Map(function(month, file) write_csv_file(month, file.path(folder, file), call), months, files)
  write_csv_file(demo_apiaries(), file.path(folder, "apiaries.csv"), call)
  file.copy(system.file("beekeepers", "yield.R", package = "rowanroot"), file.path(folder, "yield.R"))
  invisible(file.path(folder, c(files, "apiaries.csv", "yield.R")))
}

check_empty_folder <- function(folder, call) {
  if (!file.exists(folder) || dir.exists(folder) && !length(list.files(folder, all.files = TRUE, no.. = TRUE))) {
    return(invisible())
  }
  stop_because(c("{.file {folder}} exists, and is not an empty folder.",
                 "try" = "Nothing was written. Give another folder, or remove this one."), "folder_not_empty", call)
}

demo_apiaries <- function() {
  data.frame(apiary = c("NB", "SH", "OM", "LW", "RF"),
             name = c("North Bank", "South Hill", "Old Mill", "Long Wood", "R\u00f8dfjell"),
             region = c("river", "hills", "river", "forest", "fells"),
             altitude_m = c(12L, 240L, 18L, 95L, 610L))
}

# About 3,000 visits in 2025, by day. The seed gives the same visits everywhere and leaves the user's
# random numbers alone.
demo_visits <- function() {
  with_seed(20250301, {
    days <- as.Date("2025-01-01") + 0:364
    visits_a_day <- stats::rpois(365, 8 + 3 * sin((0:364 - 80) / 365 * 2 * pi))
    day <- rep(days, visits_a_day)
    n <- length(day)
    tare <- round(stats::runif(n, 5.2, 6.8), 1)
    hive_kg <- round(stats::runif(n, 28, 62), 1)
    keeper <- sample(6, n, replace = TRUE)
    visits <- data.frame(
      date = format(day, "%d/%m/%Y"),
      hive_code = sprintf("%s-%02d", sample(demo_apiaries()$apiary, n, replace = TRUE), sample(12, n, replace = TRUE)),
      keeper_first = c("Ada", "Ivo", "Zo\u00eb", "Wil", "S\u00f8lvi", "Per")[keeper],
      keeper_last = c("Lindquarr", "Marrowin", "O'Thrisk", "van der Hoxel", "Haugmyr", "Skepling")[keeper],
      gross_kg = round(tare + stats::rgamma(n, 4, scale = 2.4), 1),
      tare_kg = tare,
      frames = sample(1:11, n, replace = TRUE),
      mites = stats::rpois(n, 3),
      moisture = round(stats::rnorm(n, 17.8, 0.9), 1),
      scale_kg = hive_kg,
      manual_kg = round(hive_kg + stats::rnorm(n, 0, 0.4), 1)
    )
    with_demo_faults(visits)
  })
}

with_demo_faults <- function(visits) {
  n <- nrow(visits)
  missing <- function(x, share) replace(x, sample(n, round(n * share)), NA)
  visits$gross_kg <- missing(visits$gross_kg, 0.01)
  visits$frames <- missing(visits$frames, 0.02)
  visits$mites <- missing(visits$mites, 0.05)
  visits$scale_kg <- missing(visits$scale_kg, 0.15)
  visits$manual_kg <- missing(visits$manual_kg, 0.03)
  grams <- sample(which(!is.na(visits$gross_kg)), 3)
  visits$gross_kg[grams] <- visits$gross_kg[grams] * 1000
  odd <- sample(n, 2)
  visits$hive_code[odd[1]] <- paste0(visits$hive_code[odd[1]], "-b")
  visits$hive_code[odd[2]] <- sub("^..", "BN", visits$hive_code[odd[2]])
  visits
}

with_seed <- function(seed, code) {
  kind <- RNGkind()
  old <- get0(".Random.seed", globalenv(), inherits = FALSE)
  on.exit({
    do.call(RNGkind, as.list(kind))
    if (is.null(old)) suppressWarnings(rm(".Random.seed", envir = globalenv())) else assign(".Random.seed", old,
        globalenv())
  })
  set.seed(seed, "Mersenne-Twister", "Inversion", "Rejection")
  code
}
