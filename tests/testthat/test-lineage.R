local_yield <- function(env = parent.frame()) {
  local_folder(env)
  write_text(c("hive,day,gross_kg,tare_kg,frames", "NB-01,2025-03-01,31,6,3", "", "NB-02,2025-03-02,28.5,6.2,7",
               "# not a comment,2025-03-02,1,1,1", "\"SH\n01\",2025-03-03,20,6,12"), "visits/1.csv")
  write_text(c("hive,day,gross_kg,tare_kg,frames", "SH-02,2025-03-01,,6,4", "NB-01,2025-03-09,40,6,9"), "visits/2.csv")
  rate <- 7.5
  price_of <- function(kg) if (is.na(kg)) 0 else kg * rate
  open_table("visits/*.csv") |> set_columns({
    net_kg <- gross_kg - tare_kg
    .half <- net_kg / 2
    strength <- if (frames < 4) "weak" else if (frames < 8) "fair" else "strong"
    apiary <- substr(hive, 1, 2)
    place <- ranking(net_kg, best = "highest", within = apiary)
    so_far <- running_total(net_kg, along = day)
    share <- net_kg / sum(net_kg, na.rm = TRUE)
    price <- price_of(net_kg)
    region <- look_up(apiary, data.frame(apiary = c("NB", "SH", "# "), region = c("north", "south", "none")),
                      take = region)
    where <- switch(apiary, NB = "bank", "hill")
    net_kg[frames > 10] <- net_kg + .half
  }) |> keep_rows(net_kg > 5) |> rename_columns(weight = net_kg) |> sort_rows(descending(weight))
}

test_that("each node of the lineage has what its formula uses, and one column what is around it", {
  yield <- local_yield()
  edges <- as.data.frame(lineage(yield))
  from <- function(to) sort(edges$from[edges$to == to])
  expect_identical(from("net_kg"), c("gross_kg", "tare_kg"))
  expect_identical(from("net_kg (2)"), c(".half", "frames", "net_kg"))
  expect_identical(from("place"), c("apiary", "net_kg"))
  expect_identical(from("so_far"), c("day", "net_kg"))
  expect_identical(from("weight"), "net_kg (2)")
  expect_identical(from("keep_rows(net_kg > 5)"), "net_kg (2)")
  expect_identical(from("hive"), "visits/*.csv")
  around <- as.data.frame(lineage(yield, strength))
  expect_setequal(c(around$from, around$to), c("visits/*.csv", "frames", "strength"))
  expect_true("price" %in% as.data.frame(lineage(yield, gross_kg))$to)
  nodes <- lineage(yield)$nodes
  expect_setequal(nodes$name[nodes$in_result], names(yield))
  expect_snapshot(print(lineage(yield), width = 80))
  expect_error(lineage(yield, wieght), class = "rowanroot_unknown_column")
  expect_error(lineage(data.frame(a = 1)), class = "rowanroot_not_a_table")
  grouped <- as.data.frame(lineage(yield |> one_row_per(apiary, { kg <- mean(weight) })))
  expect_setequal(grouped$from[grouped$to == "kg"], c("weight", "apiary"))
})

test_that("a value is explained back to file and line, whatever was done to its row", {
  yield <- local_yield()
  rows <- as.data.frame(yield)
  # From every value that a formula made, the way leads to the row's own weights, on the line that has them.
  places <- c("34" = "visits/2.csv, line 3", "25" = "visits/1.csv, line 2", "22.3" = "visits/1.csv, line 4",
              "21" = "visits/1.csv, line 6")
  leaves <- function(x) if (length(x$from)) unlist(lapply(x$from, leaves)) else x$place
  for (row in seq_len(nrow(rows))) {
    found <- why(yield, weight, row)
    expect_identical(found$value, rows$weight[row])
    expect_setequal(leaves(found), places[[as.character(rows$weight[row])]])
  }
  # More rows than there are: none is left out, and their order is another.
  top <- yield |> top_rows(50, by = frames)
  for (row in 1:4) {
    expect_setequal(leaves(why(top, weight, row)), places[[as.character(as.data.frame(top)$weight[row])]])
  }
  for (column in names(rows)) expect_identical(why(yield, column, 2)$value, rows[[column]][2], label = column)
  expect_snapshot(for (column in c("strength", "place", "so_far", "share", "price", "region", "where",
                                   "weight")) print(why(yield, where = hive == "NB-01" && day == "2025-03-01",
                                                        column = column), width = 80))
  expect_snapshot(print(why(yield |> one_row_per(apiary, { kg <- mean(weight) }), kg, 1), width = 80))
})

test_that("words of a whole column, an order or a table are reported with what went into them", {
  local_folder()
  write_text(c("apiary,region,altitude_m", "SH,hills,240", "NB,river,12"), "apiaries.csv")
  visits <- data.frame(apiary = c("NB", "SH", "NB", "NB"), kg = c(10, 20, 30, 50))
  x <- open_table(visits) |> set_columns({
    c(region, altitude_m) <- look_up(apiary, "apiaries.csv", take = c(region, altitude_m))
    named  <- look_up(apiary, c(NB = "North Bank", SH = "South Hill"))
    z      <- z_score(kg, within = apiary)
    spread <- 5 - min_max(kg)
    part   <- share(kg)
    gain   <- if (change(kg, within = apiary) > 15) "up" else "down"
    before <- previous(kg, rows = 2)
    window <- moving_total(kg, rows = 2)
  })
  told <- function(column) {
    found <- why(x, column, 4)
    paste(c(found$filled, found$notes), collapse = " | ")
  }
  expect_match(told("altitude_m"), "look_up\\(\"NB\".*from apiaries.csv, line 3, where apiary is \"NB\"")
  expect_match(told("named"), "is \"North Bank\", from \"NB\" in the table")
  expect_identical(told("z"),
                   paste0("(50 - 30) / 20 | z_score(kg, within = apiary): mean 30, sd 20, over 3 rows where apiary ",
                          "is \"NB\""))
  expect_identical(told("spread"), "5 - ((50 - 10) / (50 - 10)) | min_max(kg): min 10, max 50, over 4 rows")
  expect_identical(told("part"), "50 / 110 | share(kg): sum 110, over 4 rows")
  expect_match(told("gain"), "(50 - 30) > 15 is TRUE", fixed = TRUE)
  expect_match(told("gain"), "30 before, from row 3, among 3 rows", fixed = TRUE)
  expect_match(told("before"), "is 20, from row 2, among 4 rows")
  expect_match(told("window"), "30, 50 (rows 3, 4), of 2 rows of its window", fixed = TRUE)
})

test_that("rows that are not there, or not one, are refused", {
  yield <- local_yield()
  expect_error(why(yield, weight, 99), class = "rowanroot_no_such_row")
  expect_error(why(yield, weight, 1.5), class = "rowanroot_no_such_row")
  expect_error(why(yield, where = frames > 0, column = weight), "holds in 4 rows", class = "rowanroot_no_such_row")
  expect_error(why(yield, where = frames > 100, column = weight), "holds in no row", class = "rowanroot_no_such_row")
  expect_error(why(yield, wieght, 1), class = "rowanroot_unknown_column")
  expect_error(why(yield, row = 1), class = "rowanroot_bad_argument")
  expect_error(why(yield, weight, 1, where = frames > 5), "both", class = "rowanroot_bad_argument")
  expect_error(plot_column(yield), class = "rowanroot_bad_argument")
  expect_error(why(yield, column = weight), class = "rowanroot_bad_argument")
})

test_that("figures show what they are asked for, and can be changed", {
  yield <- local_yield()
  data <- as.data.frame(yield)
  # What is drawn, layer by layer, whatever else a figure is given.
  drawn <- function(figure) ggplot2::ggplot_build(figure + ggplot2::theme_bw())$data
  expect_true(all(c("weight", "gross_kg") %in% drawn(plot(yield))[[2]]$label))
  expect_false("hive" %in% drawn(plot(lineage(yield, weight)))[[2]]$label)
  bars <- function(column) {
    figure <- plot_column(yield, column)
    one <- drawn(figure)[[1]]
    one[one$PANEL == 1, ]
  }
  for (column in c("weight", "strength", "day", "hive")) {
    expect_identical(sum(bars(column)$ymax), as.numeric(sum(!is.na(data[[column]]))), info = column)
  }
  line <- drawn(plot_running(yield, so_far, along = day, within = apiary))[[1]]
  expect_setequal(line$y, data$so_far[!is.na(data$so_far)])
  expect_setequal(line$x, as.numeric(data$day[!is.na(data$so_far)]))
  expect_identical(length(unique(line$colour)), length(unique(data$apiary[!is.na(data$so_far)])))
  ranks <- plot_ranking(yield, place, label = hive, top = 2)
  expect_identical(levels(ranks$data$bar), c("2", "1"))
  expect_identical(drawn(ranks)[[2]]$label, rep(format(min(data$place)), 2))
  expect_error(plot_column(yield, wieght), class = "rowanroot_unknown_column")
  expect_error(plot_running(yield, strength), class = "rowanroot_type_mismatch")
  expect_error(plot_ranking(yield, hive), class = "rowanroot_type_mismatch")
})
