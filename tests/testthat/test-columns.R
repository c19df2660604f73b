visits <- data.frame(hive = c("NB-01", "NB-02", "NB-01", "SH-01"), apiary = c("NB", "NB", "NB", "SH"),
                     gross_kg = c(31, 28.5, 30, NA),
                     tare_kg = c(6, 6.2, 6, 5), frames = c(3L, 6L, NA, 9L), kind = factor(c("a", "b", "a", "b")))

test_that("columns are kept, left out and moved as base R's indices say", {
  expect_identical(keep_columns(visits, kind, names_like("*_kg")), visits[c("kind", "gross_kg", "tare_kg")])
  expect_identical(keep_columns(visits, -kind, -hive), visits[2:5])
  expect_identical(keep_columns(visits, apiary:tare_kg, columns_that(is.factor)), visits[c(2:4, 6)])
  expect_identical(drop_columns(visits, columns_that(is.numeric)), visits[c(1, 2, 6)])
  expect_identical(drop_columns(visits, names_like("z*")), visits)
  expect_identical(dim(drop_columns(visits, all_columns())), c(4L, 0L))
  expect_identical(names(move_columns(visits, kind, frames, after = hive)), names(visits)[c(1, 6, 5, 2:4)])
  expect_identical(names(move_columns(visits, gross_kg, hive)), names(visits)[c(2, 4:6, 3, 1)])
  expect_identical(names(move_columns(visits, hive, kind, after = 0)), names(visits)[c(1, 6, 2:5)])
  expect_identical(names(set_columns(visits, { n <- 1 }, carry = columns_that(is.character))),
                   c("hive", "apiary", "n"))
})

test_that("columns get names in pairs, by functions and by styles", {
  expect_identical(names(rename_columns(visits, weight = gross_kg, toupper)),
                   c("HIVE", "APIARY", "weight", "TARE_KG", "FRAMES", "KIND"))
  expect_identical(rename_columns(visits, hive = apiary, apiary = hive)$hive, visits$apiary)
  expect_identical(names(visits |> rename_columns(x = gross_kg, y = tare_kg))[3:4], c("x", "y"))
  expect_identical(names(rename_columns(x = visits, y = tare_kg))[4], "y")
  names <- c("grossKg", "Net weight (kg)", "HTMLPage", "hive_2b", "\u00c9t\u00e9 froid", "%")
  data <- stats::setNames(data.frame(1, 2, 3, 4, 5, 6), names)
  expect_identical(names(rename_columns(data, style = "snake")),
                   c("gross_kg", "net_weight_kg", "html_page", "hive_2b", "\u00e9t\u00e9_froid", "%"))
  expect_identical(names(rename_columns(data, style = "camel")),
                   c("grossKg", "netWeightKg", "htmlPage", "hive2b", "\u00e9t\u00e9Froid", "%"))
  expect_identical(names(rename_columns(data, style = "title")),
                   c("Gross Kg", "Net Weight Kg", "Html Page", "Hive 2b", "\u00c9t\u00e9 Froid", "%"))
  expect_identical(names(rename_columns(data, style = "lower")), tolower(names))
})

test_that("columns are shared, and classes, attributes and row names stay", {
  data <- structure(visits, class = c("own", "data.frame"), source = "made up", row.names = letters[1:4])
  for (result in list(keep_columns(data, hive, kind), move_columns(data, kind),
                      rename_columns(data, style = "title"))) {
    expect_identical(attributes(result)[c("class", "source", "row.names")],
                     attributes(data)[c("class", "source", "row.names")])
  }
  address <- function(x) sub(" .*", "", capture.output(.Internal(inspect(x)))[1])
  expect_identical(address(rename_columns(visits, style = "title")$Hive), address(visits$hive))
})

test_that("what is wrong with a choice or a name reads well", {
  expect_snapshot(error = TRUE, {
    keep_columns(visits)
    keep_columns(visits, hiv)
    keep_columns(visits, h = hive)
    keep_columns(visits, names_like("z*"))
    keep_columns(visits, columns_that(7))
    keep_columns(visits, columns_that(range))
    rename_columns(visits, hive = apiary)
    rename_columns(visits, a = hive, b = hive)
    rename_columns(visits, a = names_like("*_kg"))
    rename_columns(visits, function(n) "x")
    rename_columns(visits, hive)
    rename_columns(visits, style = "snak")
  })
})

test_that("steps of a rooted table do the same, and are bound anew when its columns change", {
  local_folder()
  utils::write.csv(visits, "visits.csv", row.names = FALSE)
  live <- open_table("visits.csv") |> drop_columns(kind) |> rename_columns(style = "title") |>
    move_columns(Frames, after = 0)
  expect_identical(names(as.data.frame(live)), c("Frames", "Hive", "Apiary", "Gross Kg", "Tare Kg"))
  utils::write.csv(cbind(visits, new_one = 1), "visits.csv", row.names = FALSE)
  expect_identical(names(as.data.frame(live)), c("Frames", "Hive", "Apiary", "Gross Kg", "Tare Kg", "New One"))
})

test_that("columns go before or after another", {
  data <- data.frame(a = 1, b = 2, c = 3)
  expect_named(set_columns(data, { n <- a; m <- b }, before = b), c("a", "n", "m", "b", "c"))
  expect_named(set_columns(data, { n <- a }, before = a, carry = -b), c("n", "a", "c"))
  expect_named(move_columns(data, c, a, before = b), c("c", "a", "b"))
  expect_named(run(routine() |> move_columns(c, before = a), data), c("c", "a", "b"))
  steps <- open_table(data) |> set_columns({ n <- a }, before = b) |> move_columns(c, before = a)
  expect_named(steps, c("c", "a", "n", "b"))
  expect_match(paste(format(show_steps(steps)), collapse = " "), "before b.*before a")
  expect_error(set_columns(data, { n <- a }, before = a, after = b), class = "rowanroot_bad_argument")
  expect_error(move_columns(data, c, before = z), class = "rowanroot_unknown_column")
  expect_error(move_columns(data, c, before = 0), class = "rowanroot_bad_choice")
})
