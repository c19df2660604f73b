test_that("groups have what base R finds for them, in the order in which they first come", {
  set.seed(61)
  n <- 500
  data <- data.frame(apiary = sample(c("SH", "NB", NA), n, TRUE), keeper = factor(sample(c("Ada", "Jo"), n, TRUE)),
                     kg = round(rnorm(n), 2), frames = sample(9, n, TRUE))
  result <- one_row_per(data, c(apiary, keeper), {
    visits <- .rows
    mean_kg <- mean(kg)
    .squares <- kg^2
    total <- sum(.squares)
    spread <- max(kg) - mean_kg
    names <- paste(sort(unique(frames)), collapse = "+")
    most <- max(table(frames)) / length(unique(frames))
  })
  key <- paste(data$apiary, data$keeper)
  parts <- split(data, factor(key, unique(key)))
  expect_identical(names(result), c("apiary", "keeper", "visits", "mean_kg", "total", "spread", "names", "most"))
  expect_identical(paste(result$apiary, result$keeper), unique(key))
  expect_identical(result$visits, unname(vapply(parts, nrow, 0L)))
  expect_equal(result$mean_kg, unname(vapply(parts, function(x) mean(x$kg), 0)))
  expect_equal(result$total, unname(vapply(parts, function(x) sum(x$kg^2), 0)))
  expect_equal(result$spread, unname(vapply(parts, function(x) max(x$kg) - mean(x$kg), 0)))
  expect_identical(result$names, unname(vapply(parts, function(x) paste(sort(unique(x$frames)), collapse = "+"), "")))
  expect_equal(result$most, unname(vapply(parts, function(x) max(table(x$frames)) / length(unique(x$frames)), 0)))
})

test_that("without a block there are the different rows", {
  data <- data.frame(a = c(1, 1, NA, NA), b = c("x", "x", "y", NA))
  expect_identical(one_row_per(data, all_columns()), structure(unique(data), row.names = 1:3))
  expect_identical(one_row_per(data, a), data.frame(a = c(1, NA)))
  expect_identical(dim(one_row_per(data[0, ], a, { n <- .rows; m <- mean(a) })), c(0L, 3L))
})

test_that("a formula must have one value for each group", {
  data <- data.frame(apiary = c("NB", "NB", "SH"), kg = c(1, 2, 3))
  expect_identical(one_row_per(data, apiary, { code <- tolower(apiary) })$code, c("nb", "sh"))
  for (block in expression({ x <- kg * 2 }, { x <- rev(kg) }, { x <- running_total(kg) }, { x <- .row },
                           { x <- if (kg > 1) max(kg) else 0 }, { x <- previous(kg) })) {
    expect_error(eval(bquote(one_row_per(data, apiary, .(block)))), class = "rowanroot_not_one_value")
  }
  expect_snapshot(error = TRUE, {
    one_row_per(data, apiary, { x <- kg * 2 })
    one_row_per(data, apiary, { apiary <- 1 })
    one_row_per(data, apiry, { n <- .rows })
    one_row_per(data)
    one_row_per(data, apiary, mean(kg))
  })
})

test_that("a whole table is one row, if it has rows or not", {
  data <- data.frame(hive = c("a", "b", "a"), kg = c(1, 2, 6))
  whole <- function(x) {
    one_row_per(x, NULL, {
      n <- .rows
      mean_kg <- sum(kg) / n
      hives <- count_distinct(hive)
      first <- first_value(hive)
    })
  }
  expect_identical(whole(data), data.frame(n = 3L, mean_kg = 3, hives = 2L, first = "a"))
  expect_identical(whole(data[0, ]), data.frame(n = 0L, mean_kg = 0, hives = 0L, first = "")[0, ])
  expect_identical(as.data.frame(whole(open_table(data))), whole(data))
  expect_identical(run(whole(routine()), data), whole(data))
  expect_match(paste(format(why(whole(open_table(data)), mean_kg, 1)), collapse = " "), "of 3 rows")
  expect_match(paste(format(show_steps(whole(open_table(data)))), collapse = " "), "Make one row of all rows")
  expect_error(one_row_per(data, NULL), class = "rowanroot_bad_choice")
})
