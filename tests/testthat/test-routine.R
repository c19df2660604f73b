visits <- function(rows = 40, seed = 91) {
  set.seed(seed)
  data.frame(hive = sample(c("NB-01", "NB-02", "SH-01", NA), rows, TRUE), gross_kg = round(runif(rows, 8, 40), 1),
             tare_kg = 6, frames = sample(12L, rows, TRUE),
             day = as.Date("2025-03-01") + sample(60, rows, TRUE), keeper = sample(c("Ada", "Jo", "Ivo"), rows, TRUE))
}

test_that("every verb gives in a routine what it gives on a table", {
  data <- visits()
  pounds <- 2.2
  grade <- function(kg) if (kg > limit) "heavy" else "light"
  limit <- 20
  other <- data.frame(moisture = runif(40))
  expect_same <- function(routine, direct) {
    expect_identical(run(routine, data), direct)
    expect_identical(as.data.frame(run(routine, open_table(data))), direct)
  }
  r <- routine()
  expect_same(r |> set_columns({ net_lb <- (gross_kg - tare_kg) * pounds;
                                 g <- grade(gross_kg) }, within = hive, after = 0),
              data |> set_columns({ net_lb <- (gross_kg - tare_kg) * pounds; g <- grade(gross_kg) }, within = hive,
                                  after = 0))
  expect_same(r |> keep_rows(gross_kg > mean(gross_kg), within = keeper), data |>
              keep_rows(gross_kg > mean(gross_kg), within = keeper))
  expect_same(r |> drop_rows(frames < 3), data |> drop_rows(frames < 3))
  expect_same(r |> sort_rows(keeper, descending(day)), data |> sort_rows(keeper, descending(day)))
  expect_same(r |> top_rows(2, by = gross_kg, within = hive), data |> top_rows(2, by = gross_kg, within = hive))
  expect_same(r |> bottom_rows(3, by = gross_kg), data |> bottom_rows(3, by = gross_kg))
  expect_same(r |> keep_columns(names_like("*_kg"), columns_that(is.integer)), data |>
              keep_columns(names_like("*_kg"), columns_that(is.integer)))
  expect_same(r |> drop_columns(day), data |> drop_columns(day))
  expect_same(r |> move_columns(day, after = hive), data |> move_columns(day, after = hive))
  expect_same(r |> rename_columns(kg = gross_kg, toupper), data |> rename_columns(kg = gross_kg, toupper))
  expect_same(r |> append_rows(data[1:2, ]), data |> append_rows(data[1:2, ]))
  expect_same(r |> append_columns(other), data |> append_columns(other))
  expect_same(r |> one_row_per(hive, { kg <- sum(gross_kg) }), data |> one_row_per(hive, { kg <- sum(gross_kg) }))
  expect_same(r |> must_hold(known(keeper)) |> should_hold("light" = gross_kg < 100), data)
  expect_same(r, data)
})

test_that("a routine keeps what its formulas took from the script, also in another session", {
  folder <- local_folder()
  pounds <- 2.2
  half <- function(x) of(x, 2)
  of <- function(x, n) x / n
  r <- local({
    factor <- 10
    routine() |> set_columns({ net_lb <- (gross_kg - tare_kg) * pounds; h <- half(gross_kg) * factor })
  })
  data <- visits()
  expected <- run(r, data)
  pounds <- 0
  of <- function(x, n) x
  expect_identical(run(r, data), expected)
  saveRDS(list(r = r, data = data), "routine.rds")
  writeLines(c("library(rowanroot)", "kept <- readRDS('routine.rds')",
               "saveRDS(run(kept$r, kept$data), 'result.rds')"), "use.R")
  output <- suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), c("--vanilla", "use.R"), stdout = TRUE,
                                     stderr = TRUE,
                                     env = paste0("R_LIBS=", paste(.libPaths(), collapse = .Platform$path.sep))))
  expect_true(file.exists("result.rds"), info = output)
  expect_identical(readRDS("result.rds"), expected)
})

test_that("a calibrated routine uses what it learned", {
  before <- visits()
  now <- visits(25, seed = 92)
  r <- routine() |>
    set_columns({
      net_kg <- gross_kg - tare_kg
      z <- z_score(net_kg)
      place <- min_max(net_kg, within = c(hive, keeper))
      net_kg <- net_kg / mean(net_kg)
      again <- net_kg / mean(net_kg)
      upper <- quantile(frames, 0.75)
      last <- max(day)
      who <- as_category(keeper)
      who_else <- factor(hive)
      total <- sum(frames, within = hive)
    }) |>
    keep_rows(frames > median(frames))
  learned <- calibrate(r, before)
  expect_identical(run(learned, before), run(r, before))
  # The same by hand.
  net <- before$gross_kg - before$tare_kg
  own <- now$gross_kg - now$tare_kg
  strange <- transform(now, hive = "OM-01")
  expect_warning(run(routine() |> set_columns({ m <- mean(frames) }, within = hive) |> calibrate(before), strange),
                 class = "rowanroot_unknown_group")
  by_learned <- suppressWarnings(run(learned, now))
  kept <- now$frames > median(before$frames)
  expect_equal(by_learned$z, ((own - mean(net)) / sd(net))[kept])
  expect_equal(by_learned$net_kg, (own / mean(net))[kept])
  expect_equal(by_learned$again, (own / mean(net))[kept])
  group <- function(d) paste(d$hive, d$keeper)
  least <- tapply(net, group(before), min)[group(now)]
  greatest <- tapply(net, group(before), max)[group(now)]
  expect_equal(by_learned$place, as.vector((own - least) / (greatest - least))[kept])
  expect_equal(by_learned$total, as.vector(tapply(before$frames, paste(before$hive), sum)[paste(now$hive)])[kept])
  expect_identical(unique(by_learned$upper), unname(quantile(before$frames, 0.75)))
  expect_identical(unique(by_learned$last), max(before$day))
  expect_identical(levels(by_learned$who), sort(unique(before$keeper)))
  expect_identical(levels(by_learned$who_else), levels(factor(before$hive)))
  expect_identical(suppressWarnings(as.data.frame(run(learned, open_table(now)))), by_learned)
  nothing <- suppressWarnings(run(calibrate(routine() |> set_columns({ m <- mean(frames, within = hive) }),
                                            before[0, ]), now))
  expect_true(all(is.na(nothing$m)))
  table <- as.data.frame(learned)
  expect_identical(unique(table$step), 1:2)
  expect_identical(as.numeric(table$value[table$learned == "median(frames)"]), as.numeric(median(before$frames)))
  expect_identical(calibrate(r, open_table(before))$learned, learned$learned)
})

test_that("an output of a calibrated routine is out of date when it learned something else", {
  local_folder()
  write.csv(visits(), "visits.csv", row.names = FALSE)
  write.csv(visits(seed = 93), "before.csv", row.names = FALSE)
  script <- c("library(rowanroot)", "r <- routine() |> set_columns({ z <- z_score(gross_kg) })",
              "k <- calibrate(r, open_table('before.csv'))", "save_table(run(k, open_table('visits.csv')), 'out.csv')")
  writeLines(script, "yield.R")
  quietly(run_script("yield.R"))
  expect_identical(quietly(script_status("yield.R"))$state, "up to date")
  first <- read.csv("out.csv")
  write.csv(visits(seed = 94), "before.csv", row.names = FALSE)
  expect_false(quietly(script_status("yield.R"))$state == "up to date")
  quietly(run_script("yield.R"))
  expect_false(identical(read.csv("out.csv"), first))
})

test_that("routines read well, and say which step is wrong", {
  data <- visits(6)
  names <- c("gross_kg", "tare_kg")
  r <- routine() |>
    set_columns({
      net_kg <- gross_kg - tare_kg
      c(apiary, number) <- split_text(hive, "-")
      net_kg[net_kg < 0] <- NA
      so_far <- running_total(net_kg, along = day, within = hive)
      tare_kg <- NULL
    }, carry = -keeper, after = hive) |>
    set_columns({ z <- z_score(net_kg) }, within = apiary) |>
    keep_rows(net_kg > 0) |>
    sort_rows(apiary, descending(net_kg), missing = "first") |>
    must_hold("hives are known" = known(hive), frames < 20) |>
    rename_columns(kg = net_kg, style = "snake") |>
    move_columns(day, after = 0) |>
    one_row_per(c(apiary, number), {
      kg <- sum(kg)
    }) |>
    top_rows(3, by = kg)
  expect_snapshot({
    r
    calibrate(routine() |> set_columns({ z <- z_score(gross_kg); m <- mean(frames, within = keeper) }) |>
              keep_rows(z < 2), data)
    show_steps(open_table(data) |> set_columns({ net_kg <- gross_kg - tare_kg }) |> drop_rows(net_kg < 0))
    routine()
  })
  expect_snapshot(error = TRUE, {
    run(routine() |> keep_rows(frames > 3) |> set_columns({ net_kg <- gros_kg - tare_kg }), data)
    run(routine() |> must_hold("no light hive" = gross_kg > 100), data)
    run(data, routine())
    run(routine(), 7)
    routine() |> set_columns(net_kg <- gross_kg)
    routine() |> set_columns({ net_kg == gross_kg })
    routine() |> keep_rows()
    routine() |> top_rows(2)
    routine() |> sort_rows()
    routine() |> append_rows()
    peek(routine())
    calibrate(routine() |> set_columns({ m <- mean(frames) }), data) |> keep_rows(m > 3)
    show_steps(data)
  })
})
