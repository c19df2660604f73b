made_up_table <- function(n) {
  with_missing <- function(x) replace(x, sample(n, n %/% 7), NA)
  set.seed(n)
  data.frame(id = seq_len(n), hive = with_missing(sample(c("NB-01", "Süd \"1\"", "a'b;--", "", "\u8702"), n, TRUE)), kg = with_missing(rnorm(n)), big = c(1e300, -Inf, rep(0.1, n - 2)),
             frames = with_missing(sample(12L, n, TRUE)), day = with_missing(as.Date("2026-01-01") + seq_len(n)), at = .POSIXct(1.7e9 + seq_len(n) + 0.25, "UTC"),
             strong = with_missing(sample(c(TRUE, FALSE), n, TRUE)), long = bit64::as.integer64("9007199254740993") + seq_len(n), kind = factor(sample(c("x", "y"), n, TRUE)))
}

as_written <- function(data) {
  data$kind <- as.character(data$kind)
  data
}

for (database in c("PostgreSQL", "SQLite")) {
  test_that(paste("tables come back from", database, "exactly, are written again only if stale, and others' are left alone"), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    data <- made_up_table(500)
    save <- function(...) utils::capture.output(save_table(data, connection, table = "yield", ...), type = "message")
    expect_match(save()[1], "table yield.*made: 500 rows")
    back <- as.data.frame(open_table(connection, table = "yield"))
    if (database == "SQLite") back$strong <- as.logical(back$strong)
    expect_equal(back, as_written(data), tolerance = 0, ignore_attr = "tzone")
    expect_match(save()[1], "up to date")
    data$kg[3] <- 7
    expect_match(save()[1], "made")
    DBI::dbExecute(connection, "UPDATE yield SET kg = 1 WHERE id = 9")
    expect_error(save(), "changed by something other", class = "rowanroot_foreign_output")
    expect_match(save(force = TRUE)[1], "made")
    DBI::dbWriteTable(connection, "theirs", data.frame(a = 1))
    expect_error(save_table(data, connection, table = "theirs"), class = "rowanroot_foreign_output")
    expect_identical(DBI::dbReadTable(connection, "theirs")$a, 1)
    expect_error(save_table(open_table(connection, table = "yield"), connection, table = "yield"), class = "rowanroot_output_is_input")
  })

  test_that(paste("what goes wrong leaves the table in", database, "as it was, and odd names are no SQL"), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    odd <- "a\"b'; DROP TABLE x;--"
    data <- stats::setNames(data.frame(1:3, c("x", "y", NA)), c("select", odd))
    suppressMessages(save_table(data, connection, table = odd))
    expect_identical(as.data.frame(open_table(connection, table = odd)), data)
    # The old table is gone by then: PostgreSQL cuts long names off.
    bad <- if (database == "PostgreSQL") stats::setNames(data.frame(1:3), strrep("b", 70)) else data.frame(a = 1:3, A = 1:3)
    expect_error(suppressMessages(save_table(bad, connection, table = odd, force = TRUE)), "as it was", class = "rowanroot_database")
    expect_identical(as.data.frame(open_table(connection, table = odd)), data)
    for (wrong in list(data.frame(a = NaN), data.frame(a = as.difftime(1, units = "days")), data.frame(a = I(list(1))), data.frame(a = 1i))) {
      expect_error(save_table(wrong, connection, table = odd, force = TRUE), class = "rowanroot_cannot_write")
    }
    expect_error(save_table(data, connection), class = "rowanroot_bad_argument")
    expect_error(as.data.frame(open_table(connection, query = "SELECT nothing FROM nowhere")), class = "rowanroot_database")
  })

  test_that(paste("pieces of tables in", database, "are put together"), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    data <- data.frame(id = seq_len(230000), code = rep(c("a", "b"), 115000))
    suppressMessages(save_table(data, connection, table = "long"))
    back <- as.data.frame(open_table(connection, query = "SELECT * FROM long ORDER BY id"))
    expect_identical(back, data)
  })
}

test_that("closed connections, and files that are no databases, are told", {
  local_folder()
  connection <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  DBI::dbDisconnect(connection)
  expect_error(save_table(data.frame(a = 1), connection, table = "t"), class = "rowanroot_database")
  expect_error(open_table(connection, table = "t"), class = "rowanroot_database")
  write_text("no database", "bad.sqlite")
  expect_error(save_table(data.frame(a = 1), "bad.sqlite", table = "t"), class = "rowanroot_database")
  for (table in list("", c("a", "b"), 1)) expect_error(save_table(data.frame(a = 1), "x.sqlite", table = table), class = "rowanroot_bad_argument")
})

test_that("an SQLite file is an output by its path", {
  local_project()
  script <- sub("'out/yield.csv'", "'out/stock.sqlite', table = 'yield'", project_script)
  write_text(script, "yield.R")
  expect_identical(state_of_project()$state, "missing")
  dir.create("out")
  expect_identical(quietly(run_script("yield.R"))$state, "made")
  expect_identical(quietly(run_script("yield.R"))$state, "up to date")
  expect_identical(state_of_project()$output, "out/stock.sqlite, table yield")
  expect_identical(as.data.frame(open_table("out/stock.sqlite"))$net_kg, c(25, 22.3, 14))
  expect_error(save_table(data.frame(a = 1), "out/stock.sqlite"), class = "rowanroot_bad_argument")
  expect_error(save_table(data.frame(a = 1), "out/x.csv", table = "a"), class = "rowanroot_bad_argument")
  plain <- DBI::dbConnect(RSQLite::SQLite(), "plain.sqlite")
  withr::defer(DBI::dbDisconnect(plain))
  expect_error(save_table(data.frame(day = Sys.Date()), plain, table = "days"), "extended_types", class = "rowanroot_cannot_write")
})
