# Changes one sign of the core at a time and sees whether a test notices: comparisons, constants, `+` and `-`, and
# what is returned.
#   Rscript tools/mutants.R [how many] [seed]
# The core's own tests come first, then the package's for what survives these: the files about the same subject, then
# all others but those that start many processes. What became of each is in build/mutants/seed-N.csv, with the line as
# it was and as it is; what is there already is not tried again, so that a run that was ended goes on.
arguments <- commandArgs(TRUE)
wanted <- if (length(arguments)) as.integer(arguments[1]) else 200L
seed <- if (length(arguments) > 1) as.integer(arguments[2]) else 1L
core <- list.files("src/core", "[.](cpp|h)$", full.names = TRUE)
tests <- list.files("tests/core", "[.]cpp$", full.names = TRUE)
build <- normalizePath(file.path("build"), mustWork = FALSE)
usual <- c("-std=c++17", "-O0", "-pthread", "-w")

# Each change is a pattern and what stands in the place of what it finds.
changes <- list(
  c(" < ", " <= "), c(" <= ", " < "), c(" > ", " >= "), c(" >= ", " > "), c(" == ", " != "), c(" != ", " == "),
  c(" [+] ", " - "), c(" - ", " + "), c("return [^;{}]+;", "return {};"),
  c("(?<![\\w.\"'])[0-9]+(?![\\w.\"'])", "constant")
)

# A data frame with a row for each place that can be changed.
places <- function() {
  found <- lapply(core, function(file) {
    lines <- readLines(file)
    is_code <- !grepl("^\\s*(//|#|template|using|namespace|enum|struct|class)", lines)
    do.call(rbind, lapply(seq_along(changes), function(kind) {
      at <- gregexpr(changes[[kind]][1], sub("//.*", "", lines), perl = TRUE)
      do.call(rbind, lapply(which(is_code), function(line) {
        if (at[[line]][1] > 0) {
          data.frame(file = file, line = line, kind = kind, start = as.integer(at[[line]]),
                     length = attr(at[[line]], "match.length"))
        }
      }))
    }))
  })
  do.call(rbind, found)
}

changed_line <- function(text, place) {
  old <- substr(text, place$start, place$start + place$length - 1)
  new <- changes[[place$kind]][2]
  if (new == "constant") new <- as.character(as.numeric(old) + 1)
  paste0(substr(text, 1, place$start - 1), new, substring(text, place$start + place$length))
}

quiet <- function(command, arguments, log = FALSE, timeout = 0) {
  suppressWarnings(system2(command, arguments, stdout = log, stderr = log, timeout = timeout))
}

# The files that take in another, directly or by a third.
depend_on <- function(file) {
  all <- c(core, tests)
  text <- lapply(all, readLines)
  reached <- basename(file)
  repeat {
    more <- basename(all)[vapply(text, function(lines) any(grepl(paste0("#include \"(",
        paste(reached, collapse = "|"), ")\""), lines)), NA)]
    if (all(more %in% reached)) break
    reached <- union(reached, more)
  }
  all[basename(all) %in% reached & grepl("cpp$", all)]
}

object_of <- function(folder, file) file.path(folder,
                                              paste0(basename(dirname(file)), "-", sub("cpp$", "o", basename(file))))

compile <- function(files, folder, sources, flags) {
  for (file in files) {
    from <- if (file.exists(file.path(sources, basename(file)))) file.path(sources, basename(file)) else file
    status <- quiet("g++", c(flags, paste0("-I", sources), "-Isrc/core", "-Itests/core", "-c", from, "-o",
                             object_of(folder, file)))
    if (status) return(FALSE)
  }
  TRUE
}

# Objects without any change, made once.
prepare <- function(name, flags) {
  folder <- file.path(build, "mutants", name)
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  all <- c(grep("cpp$", core, value = TRUE), tests)
  parallel::mclapply(all, function(file) if (!file.exists(object_of(folder, file))) compile(file, folder, "nowhere",
      flags), mc.cores = 2)
  folder
}

# "killed", "survives", or "invalid" where it is no program.
try_core <- function(place, plain, flags, work) {
  unlink(work, recursive = TRUE)
  dir.create(work, recursive = TRUE)
  lines <- readLines(place$file)
  lines[place$line] <- changed_line(lines[place$line], place)
  writeLines(lines, file.path(work, basename(place$file)))
  again <- if (grepl("h$", place$file)) depend_on(place$file) else place$file
  if (!compile(again, work, work, flags)) return("invalid")
  all <- c(grep("cpp$", core, value = TRUE), tests)
  objects <- vapply(all, function(file) if (file %in% again) object_of(work, file) else object_of(plain, file), "")
  program <- file.path(work, "tests")
  if (quiet("g++", c(flags, objects, "-o", program))) return("invalid")
  if (quiet(program, character(), timeout = 300)) "killed" else "survives"
}

# The package's test files that could notice a change in this file of the core, the likeliest first.
tests_for <- function(file) {
  subjects <- c(csv = "csv", json = "json", sheets = "workbook", xml = "workbook", kept = "kept", input = "csv",
                running = "running", moving = "running", recurrence = "running", sequence = "running",
                rank = "ranks", sort = "sort|ranks", top = "ranks|verbs", gather = "sort", filter = "keep_rows",
                aggregate = "aggregate", quantiles = "aggregate", distribution = "summary", groups = "aggregate|look_up",
                numbering = "aggregate|look_up", text = "text", dates = "dates", moments = "convert|dates")
  of_subject <- paste(c(subjects[vapply(names(subjects), grepl, NA, file)], "formula|types|set_columns|every"),
                      collapse = "|")
  all <- list.files("tests/testthat", "^test-.*[.]R$")
  many_processes <- c("new-word", "cli", "demo", "run-script", "architecture", "report", "knit", "hostile",
                      "names-of-files", "sink-database", "parquet")
  all <- all[!grepl(paste(many_processes, collapse = "|"), all)]
  all[order(!grepl(of_subject, all), file.size(file.path("tests/testthat", all)))]
}

# The package's tests with the change in its library, until the first that fails.
try_package <- function(place, work, number) {
  library <- file.path(build, "mutants", paste0("library-", number))
  if (!dir.exists(library)) {
    dir.create(library)
    file.copy(find.package("rowanroot"), library, recursive = TRUE)
  }
  flags <- strsplit(paste(system2("R", c("CMD", "config", "--cppflags"), stdout = TRUE),
                          "-std=c++17 -O2 -fPIC -pthread -w"), " ")[[1]]
  objects <- c(Sys.glob("src/*.o"), Sys.glob("src/core/*.o"))
  changed <- if (grepl("h$", place$file)) grep("src/core", depend_on(place$file), value = TRUE) else place$file
  for (file in changed) {
    from <- if (file.exists(file.path(work, basename(file)))) file.path(work, basename(file)) else file
    if (quiet("g++", c(flags, paste0("-I", work), "-Isrc/core", "-c", from, "-o",
                       file.path(work, sub("cpp$", "o", basename(file)))))) return("invalid")
  }
  objects <- c(objects[!basename(objects) %in% sub("cpp$", "o", basename(changed))],
               file.path(work, sub("cpp$", "o", basename(changed))))
  ldflags <- strsplit(system2("R", c("CMD", "config", "--ldflags"), stdout = TRUE), " ")[[1]]
  if (quiet("g++", c("-shared", objects, ldflags, "-pthread", "-o",
                     file.path(library, "rowanroot/libs/rowanroot.so")))) return("invalid")
  files <- tests_for(basename(place$file))
  code <- sprintf(paste0("for (f in c(%s)) testthat::test_file(file.path('tests/testthat', f), package = ",
                         "'rowanroot', load_package = 'installed', reporter = 'stop')"),
                  paste0("'", files, "'", collapse = ", "))
  script <- file.path(work, "tests.R")
  writeLines(c(sprintf(".libPaths(c('%s', .libPaths()))", library), code), script)
  Sys.setenv(R_LIBS = library, NOT_CRAN = "true")
  status <- quiet("Rscript", script, log = file.path(work, "log"), timeout = 300)
  # What no test has noticed by then (124) survives.
  if (status %in% c(0, 124)) "survives" else "killed"
}

# What becomes of one change, as a row of the table.
judge <- function(place, number, library) {
  work <- file.path(build, "mutants", paste0("work-", library))
  outcome <- try_core(place, plain, usual, work)
  by <- "core"
  if (outcome == "survives") {
    outcome <- try_package(place, work, library)
    by <- "package"
  }
  line <- readLines(place$file)[place$line]
  data.frame(number, file = basename(place$file), line = place$line, outcome, by, was = trimws(line),
             is = trimws(changed_line(line, place)))
}

known_results <- function() {
  files <- Sys.glob(file.path(build, "mutants", sprintf("seed-%d-*.csv", seed)))
  do.call(rbind, lapply(files, utils::read.csv))
}

set.seed(seed)
all_places <- places()
cat(nrow(all_places), "places can be changed\n")
chosen <- all_places[sample(nrow(all_places), min(nrow(all_places), ceiling(1.2 * wanted))), ]
plain <- prepare("usual", usual)
Sys.setenv(ROWANROOT_FUZZ = "300")
stopifnot(try_core(data.frame(file = core[1], line = 1, kind = 1, start = 0, length = 0), plain, usual,
                   file.path(build, "mutants", "check")) != "killed")
started <- Sys.time()
todo <- setdiff(seq_len(nrow(chosen)), known_results()$number)
invisible(parallel::mclapply(1:2, function(worker) {
  file <- file.path(build, "mutants", sprintf("seed-%d-%d.csv", seed, worker))
  for (k in todo[seq_along(todo) %% 2 == worker - 1]) {
    utils::write.table(judge(chosen[k, ], k, worker), file, append = file.exists(file), sep = ",", row.names = FALSE,
                       col.names = !file.exists(file), qmethod = "double")
  }
}, mc.cores = 2))
results <- known_results()
results <- utils::head(results[results$outcome != "invalid", ], wanted)
cat(sum(results$by == "core"), "are killed by the core's tests,", sum(results$by == "package" &
    results$outcome == "killed"), "by the package's,", sum(results$outcome == "survives"), "survive, of", nrow(results),
    "in", format(round(difftime(Sys.time(), started), 1)), "\n")
print(results[results$outcome == "survives", c("file", "line", "was", "is")], row.names = FALSE)
