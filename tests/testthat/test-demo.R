test_that("the demo's files are the same each time, and have the faults of real ones", {
  folder <- local_folder()
  set.seed(1)
  before <- .Random.seed
  make_demo("one")
  make_demo("two")
  expect_identical(.Random.seed, before)
  files <- list.files("one", recursive = TRUE)
  expect_length(files, 14)
  expect_identical(vapply(file.path("one", files), rlang::hash_file, "", USE.NAMES = FALSE),
                   vapply(file.path("two", files), rlang::hash_file, "", USE.NAMES = FALSE))
  visits <- as.data.frame(open_table("one/visits/*.csv"))
  expect_true(nrow(visits) > 2700 && nrow(visits) < 3300)
  expect_identical(sum(visits$gross_kg > 1000, na.rm = TRUE), 3L)
  expect_true(all(c(anyNA(visits$frames), anyNA(visits$scale_kg), any(grepl("-b$", visits$hive_code)),
                    any(grepl("^BN", visits$hive_code)))))
  expect_error(make_demo("one"), class = "rowanroot_folder_not_empty")
})

test_that("the demo's output is what base R calculates from the same files", {
  local_folder()
  make_demo("demo")
  quietly(run_script("demo/yield.R"))
  visits <- do.call(rbind, lapply(sort(list.files("demo/visits", full.names = TRUE)), utils::read.csv,
                                  encoding = "UTF-8"))
  heavy <- which(visits$gross_kg > 1000)
  visits$gross_kg[heavy] <- visits$gross_kg[heavy] / 1000
  net <- visits$gross_kg - visits$tare_kg
  expected <- cbind(visits, net_kg = net, net_lb = net * 2.20462)[which(net > 0), ]
  found <- as.data.frame(open_table("demo/out/yield.csv"))
  for (name in names(expected)) expect_identical(found[[!!name]], expected[[!!name]])
})

test_that("`rowanroot demo` shows what is made, what is up to date and what is renewed", {
  local_folder()
  out <- utils::capture.output(status <- suppressMessages(rowanroot:::cli_demo("demo")))
  expect_identical(status, 0L)
  expect_identical(grep("^out/yield.csv", out, value = TRUE)[2:3],
                   c("out/yield.csv  up to date", "out/yield.csv  out of date"))
  expect_length(grep("because visits/2025-06.csv changed", out, fixed = TRUE), 2)
  expect_true(file.exists("demo/out/yield.csv"))
})
