# Changes one sign of the core at a time and sees whether a test notices: comparisons, constants, `+` and `-`, and
# what is returned.
#   Rscript tools/mutants.R [how many] [seed] [core]
# The core's own tests come first (with `core` they alone), with the sanitizers for what they do not see without, then
# those of the package that are about the same subject. What became of each is in build/mutants/, with
# the line as it was and as it is. What was noticed is not tried again, so that a run that was ended goes on; what was
# not is tried again once the tests are others.
arguments <- commandArgs(TRUE)
wanted <- if (length(arguments)) as.integer(arguments[1]) else 200L
seed <- if (length(arguments) > 1) as.integer(arguments[2]) else 1L
only_core <- length(arguments) > 2 && arguments[3] == "core"
core <- list.files("src/core", "[.](cpp|h)$", full.names = TRUE)
tests <- list.files("tests/core", "[.]cpp$", full.names = TRUE)
build <- normalizePath(file.path("build"), mustWork = FALSE)
usual <- c("-std=c++17", "-O0", "-pthread", "-w")
careful <- c("-std=c++17", "-O1", "-pthread", "-w", "-fsanitize=address,undefined", "-fno-sanitize-recover")

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

# Objects without any change, made once for these sources.
prepare <- function(name, flags) {
  folder <- file.path(build, "mutants", name)
  dir.create(folder, recursive = TRUE, showWarnings = FALSE)
  all <- c(grep("cpp$", core, value = TRUE), tests)
  headers <- grep("h$", c(core, list.files("tests/core", full.names = TRUE)), value = TRUE)
  stale <- Filter(function(file) {
    made <- file.mtime(object_of(folder, file))
    is.na(made) || made < max(file.mtime(c(file, headers)))
  }, all)
  parallel::mclapply(stale, compile, folder, "nowhere", flags, mc.cores = 2)
  folder
}

says_the_same <- function(place) {
  found <- substr(readLines(place$file)[place$line], place$start, place$start + place$length - 1)
  found %in% c("return {};", "return false;", "return 0;", "return nullptr;")
}

# The file with the change, in a folder of its own. A header is found beside the file that takes it in: all that do so
# stand beside the one with the change.
write_change <- function(place, work) {
  unlink(work, recursive = TRUE)
  dir.create(work, recursive = TRUE)
  if (grepl("h$", place$file)) file.copy(core, work)
  lines <- readLines(place$file)
  lines[place$line] <- changed_line(lines[place$line], place)
  writeLines(lines, file.path(work, basename(place$file)))
}

# "killed", "survives", or "invalid" where it does not compile. The objects without the change are made with the same
# flags.
try_core <- function(place, plain, flags, work) {
  again <- if (grepl("h$", place$file)) depend_on(place$file) else place$file
  if (!compile(again, work, work, flags)) return("invalid")
  all <- c(grep("cpp$", core, value = TRUE), tests)
  objects <- vapply(all, function(file) if (file %in% again) object_of(work, file) else object_of(plain, file), "")
  program <- file.path(work, "tests")
  if (quiet("g++", c(flags, objects, "-o", program))) return("invalid")
  if (quiet(program, character(), timeout = 120)) "killed" else "survives"
}

# By the core's tests, with the sanitizers (as in CI) for what they do not see without.
try_core_with_care <- function(place, work) {
  outcome <- try_core(place, plain, usual, work)
  if (outcome == "survives") try_core(place, plain_careful, careful, work) else outcome
}

# The package's test files about what this file of the core does, and those that calculate formulas made at random.
tests_for <- function(file) {
  subjects <- c(csv = "csv", json = "json", sheets = "workbook", xml = "workbook", kept = "kept", input = "csv",
                running = "running", moving = "running", recurrence = "running", sequence = "running",
                rank = "ranks", sort = "sort|ranks", top = "ranks|verbs", gather = "sort", filter = "keep_rows",
                aggregate = "aggregate", quantiles = "aggregate", distribution = "summary",
                groups = "aggregate|look_up", numbering = "aggregate|look_up", text = "text", dates = "dates",
                moments = "convert|dates", memory = "memory", scratch = "memory")
  of_subject <- paste(subjects[vapply(names(subjects), grepl, NA, file)], collapse = "|")
  of_formulas <- "formula-random|formula-types|formula-aggregates|set_columns|every-way|reference"
  all <- list.files("tests/testthat", "^test-.*[.]R$")
  rank <- ifelse(nzchar(of_subject) & grepl(of_subject, all), 1, ifelse(grepl(of_formulas, all), 2, NA))
  all[order(rank, file.size(file.path("tests/testthat", all)))][seq_len(sum(!is.na(rank)))]
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
  files <- file.path("tests/testthat", tests_for(basename(place$file)))
  if (tests_fail(files, library, work)) "killed" else "survives"
}

# Whether a test in one of these files fails, one file after the other until the first that does.
tests_fail <- function(files, library, work) {
  code <- sprintf(paste0("for (f in c(%s)) testthat::test_file(f, package = 'rowanroot', load_package = 'installed', ",
                         "reporter = 'silent', stop_on_failure = TRUE)"), paste0("'", files, "'", collapse = ", "))
  script <- file.path(work, "tests.R")
  writeLines(c(sprintf(".libPaths(c('%s', .libPaths()))", library), code), script)
  Sys.setenv(R_LIBS = library, NOT_CRAN = "true")
  # What no test has noticed by then (124) survives.
  !quiet("Rscript", script, log = file.path(work, "log"), timeout = 1800) %in% c(0, 124)
}

# What becomes of one change by these tests, as a row of the table.
judge <- function(number, stage, worker) {
  place <- chosen[number, ]
  work <- file.path(build, "mutants", paste("work", stage, worker, sep = "-"))
  write_change(place, work)
  outcome <- if (says_the_same(place)) "invalid" else if (stage == "core") try_core_with_care(place, work)
             else try_package(place, work, worker)
  line <- readLines(place$file)[place$line]
  data.frame(number, file = basename(place$file), line = place$line, outcome, tests = tests_now[[stage]],
             was = trimws(line), is = trimws(changed_line(line, place)))
}

results_of <- function(stage) {
  files <- Sys.glob(file.path(build, "mutants", sprintf("seed-%d-%s-*.csv", seed, stage)))
  if (length(files) == 0) return(NULL)
  results <- do.call(rbind, lapply(files, utils::read.csv))
  results <- results[order(results$number, results$outcome == "survives", results$tests != tests_now[[stage]]), ]
  results[!duplicated(results$number), ]
}

# A change that these tests did not notice is tried again once the tests are others.
try_all <- function(numbers, stage) {
  known <- results_of(stage)
  todo <- setdiff(numbers, known$number[known$outcome != "survives" | known$tests == tests_now[[stage]]])
  invisible(parallel::mclapply(1:2, function(worker) {
    file <- file.path(build, "mutants", sprintf("seed-%d-%s-%d.csv", seed, stage, worker))
    for (number in todo[seq_along(todo) %% 2 == worker - 1]) {
      utils::write.table(judge(number, stage, worker), file, append = file.exists(file), sep = ",",
                         row.names = FALSE, col.names = !file.exists(file), qmethod = "double")
    }
  }, mc.cores = 2))
  results <- results_of(stage)
  results[results$number %in% numbers, ]
}

digest_of <- function(folder) {
  files <- list.files(folder, "[.](cpp|h|R)$", full.names = TRUE)
  list_of_sums <- tempfile()
  writeLines(tools::md5sum(files), list_of_sums)
  unname(tools::md5sum(list_of_sums))
}

set.seed(seed)
all_places <- places()
cat(nrow(all_places), "places can be changed\n")
chosen <- all_places[sample(nrow(all_places), min(nrow(all_places), ceiling(1.2 * wanted))), ]
plain_careful <- prepare("careful", careful)
tests_now <- c(core = digest_of("tests/core"), package = digest_of("tests/testthat"))
plain <- prepare("usual", usual)
Sys.setenv(ROWANROOT_FUZZ = "300")
# Without a change no test may fail.
check <- file.path(build, "mutants", "check")
dir.create(check, showWarnings = FALSE)
file.copy(core[1], check, overwrite = TRUE)
stopifnot(try_core_with_care(data.frame(file = core[1]), check) == "survives")
# And a test that fails is noticed.
for (outcome in c("TRUE", "FALSE")) {
  test <- file.path(normalizePath(check), paste0("test-", outcome, ".R"))
  writeLines(sprintf("testthat::test_that('it holds', testthat::expect_true(%s))", outcome), test)
  stopifnot(tests_fail(test, dirname(find.package("rowanroot")), check) == (outcome == "FALSE"))
}
started <- Sys.time()
# As many more as are invalid.
tried <- wanted
repeat {
  by_core <- try_all(seq_len(tried), "core")
  by_core <- by_core[by_core$outcome != "invalid", ]
  if (nrow(by_core) >= wanted || tried == nrow(chosen)) break
  tried <- min(nrow(chosen), tried + wanted - nrow(by_core))
}
by_core <- utils::head(by_core, wanted)
left <- by_core$number[by_core$outcome == "survives"]
cat(nrow(by_core) - length(left), "of", nrow(by_core), "are killed by the core's tests\n")
if (only_core) {
  print(by_core[by_core$outcome == "survives", c("number", "file", "line", "was", "is")], row.names = FALSE)
  quit()
}
by_package <- try_all(left, "package")
survivors <- by_package[by_package$outcome == "survives", ]
cat(length(left) - nrow(survivors), "more by the package's, and", nrow(survivors), "survive, in",
    format(round(difftime(Sys.time(), started), 1)), "\n")
print(survivors[c("number", "file", "line", "was", "is")], row.names = FALSE)
