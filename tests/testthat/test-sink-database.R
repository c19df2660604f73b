made_up_table <- function(n) {
  with_missing <- function(x) replace(x, sample(n, n %/% 7), NA)
  set.seed(n)
  data.frame(id = seq_len(n), hive = with_missing(sample(c("NB-01", "Süd \"1\"", "a'b;--", "", "\u8702"), n, TRUE)),
             kg = with_missing(rnorm(n)), big = c(1e300, -Inf, rep(0.1, n - 2)),
             frames = with_missing(sample(12L, n, TRUE)), day = with_missing(as.Date("2026-01-01") + seq_len(n)),
               at = .POSIXct(1.7e9 + seq_len(n) + 0.25, "UTC"),
             strong = with_missing(sample(c(TRUE, FALSE), n, TRUE)), long = bit64::as.integer64("9007199254740993") +
               seq_len(n), kind = factor(sample(c("x", "y"), n, TRUE)))
}

as_written <- function(data) {
  data$kind <- as.character(data$kind)
  data
}

for (database in c("PostgreSQL", "SQLite")) {
  test_that(paste("tables come back from", database,
                  "exactly, are written again only if stale, and others' are left alone"), {
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
    expect_error(save_table(open_table(connection, table = "yield"), connection, table = "yield"),
                 class = "rowanroot_output_is_input")
  })

  test_that(paste("what goes wrong leaves the table in", database, "as it was, and odd names are no SQL"), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    odd <- "a\"b'; DROP TABLE x;--"
    data <- stats::setNames(data.frame(1:3, c("x", "y", NA)), c("select", odd))
    suppressMessages(save_table(data, connection, table = odd))
    expect_identical(as.data.frame(open_table(connection, table = odd)), data)
    # The old table is gone by then: PostgreSQL cuts long names off.
    bad <- if (database == "PostgreSQL") stats::setNames(data.frame(1:3), strrep("b", 70)) else data.frame(a = 1:3,
        A = 1:3)
    expect_error(suppressMessages(save_table(bad, connection, table = odd, force = TRUE)), "did not change",
                 class = "rowanroot_database")
    expect_identical(as.data.frame(open_table(connection, table = odd)), data)
    for (wrong in list(data.frame(a = NaN), data.frame(a = as.difftime(1, units = "days")),
                       data.frame(a = I(list(1))), data.frame(a = 1i))) {
      expect_error(save_table(wrong, connection, table = odd, force = TRUE), class = "rowanroot_cannot_write")
    }
    expect_error(save_table(data, connection), class = "rowanroot_bad_argument")
    expect_error(as.data.frame(open_table(connection, query = "SELECT nothing FROM nowhere")),
                 class = "rowanroot_database")
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

test_that("closed connections, and files that are no databases, are reported", {
  local_folder()
  connection <- DBI::dbConnect(RSQLite::SQLite(), ":memory:")
  DBI::dbDisconnect(connection)
  expect_error(save_table(data.frame(a = 1), connection, table = "t"), class = "rowanroot_database")
  expect_error(open_table(connection, table = "t"), class = "rowanroot_database")
  write_text("no database", "bad.sqlite")
  expect_error(save_table(data.frame(a = 1), "bad.sqlite", table = "t"), class = "rowanroot_database")
  for (table in list("", c("a", "b"), 1)) {
    expect_error(save_table(data.frame(a = 1), "x.sqlite", table = table), class = "rowanroot_bad_argument")
  }
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
  expect_error(save_table(data.frame(day = Sys.Date()), plain, table = "days"), "extended_types",
               class = "rowanroot_cannot_write")
})

# Another connection to the same database.
again <- function(connection, env = parent.frame()) {
  about <- DBI::dbGetInfo(connection)
  other <- if (inherits(connection, "SQLiteConnection")) DBI::dbConnect(RSQLite::SQLite(), about$dbname,
      extended_types = TRUE, synchronous = NULL)
           else DBI::dbConnect(RPostgres::Postgres(), host = about$host, user = about$username, dbname = about$dbname)
  withr::defer(DBI::dbDisconnect(other), env)
  other
}

for (database in c("PostgreSQL", "SQLite")) {
  test_that(paste("an output that is an input is found by what it is, in", database), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    quietly(save_table(data.frame(id = 1:3, kg = c(1.5, 2, 3)), connection, table = "visits"))
    quietly(save_table(data.frame(id = 4L, kg = 1), connection, table = "others"))
    DBI::dbExecute(connection, "CREATE VIEW heavy AS SELECT * FROM visits WHERE kg > 1")
    second <- again(connection)
    spelled <- if (database == "SQLite") list("visits", "VISITS",
                                              DBI::Id(schema = "main", table = "Visits")) else list("visits",
                                                  DBI::Id(schema = "public", table = "visits"))
    for (name in spelled) for (source in list(open_table(connection, table = "visits"),
                                              open_table(connection,
                                                         query = "SELECT id, kg * 2 AS kg FROM visits ORDER BY 1"),
                                              open_table(connection, table = "heavy"))) {
      for (to in list(connection, second)) {
        expect_error(save_table(source, to, table = name), class = "rowanroot_output_is_input")
      }
    }
    expect_error(quietly(save_table(open_table(connection, table = "visits"), connection, table = "others",
                                    force = TRUE)), NA)
    expect_identical(open_table(connection, table = "visits")$kg, c(1.5, 2, 3))
  })

  test_that(paste("a table that is written anew keeps what is beside its rows, in", database), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    save <- function(data, ...) quietly(save_table(data, connection, table = "yield", ...))
    save(data.frame(id = 1:2, kg = c(1, 2)))
    DBI::dbExecute(connection, "CREATE UNIQUE INDEX by_id ON yield (id)")
    statements <- if (database == "PostgreSQL") c(
      "COMMENT ON TABLE yield IS 'kg of honey'", "COMMENT ON COLUMN yield.kg IS 'kg'", "CREATE ROLE reader",
      "GRANT SELECT ON yield TO reader", "CREATE TABLE log (id integer)",
      paste("CREATE FUNCTION note() RETURNS trigger LANGUAGE plpgsql AS",
            "'BEGIN INSERT INTO log VALUES (NEW.id); RETURN NEW; END'"),
      "CREATE TRIGGER noted BEFORE INSERT ON yield FOR EACH ROW EXECUTE FUNCTION note()",
      "CREATE VIEW light AS SELECT id FROM yield WHERE kg < 2"
    ) else c(
      "CREATE TABLE log (id integer)",
      "CREATE TRIGGER noted AFTER INSERT ON yield BEGIN INSERT INTO log VALUES (NEW.id); END"
    )
    for (statement in statements) DBI::dbExecute(connection, statement)
    save(data.frame(id = 7:9, kg = c(5, 6, 1)))
    expect_identical(sort(open_table(connection, table = "yield")$id), 7:9)
    expect_identical(sort(open_table(connection, table = "log")$id), 7:9)
    expect_error(DBI::dbExecute(connection, "INSERT INTO yield VALUES (7, 1)"), "unique", ignore.case = TRUE)
    if (database == "PostgreSQL") {
      expect_identical(DBI::dbGetQuery(connection,
                                       paste0("SELECT obj_description('yield'::regclass) AS a, ",
                                              "has_table_privilege('reader', 'yield', 'SELECT') AS b")),
                       data.frame(a = "kg of honey", b = TRUE))
    }
    # Other columns need another table.
    other <- data.frame(id = 1:2, pounds = c(2, 4))
    error <- expect_error(save(other), "would lose", class = "rowanroot_cannot_write")
    for (kept in c("by_id", "noted", if (database == "PostgreSQL") c("comments", "grants", "light"))) {
      expect_match(conditionMessage(error), kept)
    }
    expect_identical(sort(open_table(connection, table = "yield")$id), 7:9)
    if (database == "PostgreSQL") DBI::dbExecute(connection, "DROP VIEW light")
    save(other, force = TRUE)
    expect_identical(names(open_table(connection, table = "yield")), c("id", "pounds"))
    # Rows that others would lose.
    if (database == "SQLite") DBI::dbExecute(connection, "PRAGMA foreign_keys = ON")
    DBI::dbExecute(connection, "CREATE TABLE parent (id integer PRIMARY KEY)")
    DBI::dbExecute(connection, "CREATE TABLE child (id integer REFERENCES parent (id) ON DELETE CASCADE)")
    expect_error(quietly(save_table(data.frame(id = 1L), connection, table = "parent", force = TRUE)), "child",
                 class = "rowanroot_cannot_write")
  })

  test_that(paste("the order of rows is no part of a table's content, in", database), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    visits <- data.frame(id = 1:200, kg = stats::runif(200), note = rep(c("a", NA), 100))
    DBI::dbWriteTable(connection, "visits", visits)
    hash <- function(source) source_parts(rooted(source)$source, NULL)$hash
    table <- open_table(connection, table = "visits")
    ordered <- open_table(connection, query = "SELECT * FROM visits ORDER BY kg")
    before <- c(hash(table), hash(ordered))
    DBI::dbWriteTable(connection, "moved", visits[sample(200), ])
    DBI::dbExecute(connection, "DELETE FROM visits")
    DBI::dbExecute(connection, "INSERT INTO visits SELECT * FROM moved")
    expect_identical(c(hash(table), hash(ordered)), before)
    for (change in c("UPDATE visits SET note = 'b' WHERE id = 3", "UPDATE visits SET note = NULL WHERE id = 3",
                     "DELETE FROM visits WHERE id = 9", "INSERT INTO visits SELECT * FROM visits WHERE id = 4")) {
      DBI::dbExecute(connection, change)
      now <- hash(table)
      expect_false(now %in% before)
      before <- c(before, now)
    }
  })

  test_that(paste("queries with a name twice, schemas and texts that are not UTF-8 in", database), {
    local_folder()
    connection <- if (database == "SQLite") local_sqlite() else local_postgres()
    expect_error(open_table(connection, query = "SELECT 1 AS a, 2 AS a"), "named `a`",
                 class = "rowanroot_repeated_name")
    expect_identical(as.data.frame(open_table(connection, query = "SELECT 1 AS a ; ")), data.frame(a = 1L))
    schema <- if (database == "SQLite") "side" else "Side ways"
    DBI::dbExecute(connection, if (database == "SQLite") paste0("ATTACH '", tempfile(),
                                                                "' AS side") else "CREATE SCHEMA \"Side ways\"")
    there <- DBI::Id(schema = schema, table = "yield")
    quietly(save_table(data.frame(a = 1:2, b = c(TRUE, NA)), connection, table = there))
    quietly(save_table(data.frame(a = 3:4, b = c(TRUE, FALSE)), connection, table = there))
    expect_identical(as.data.frame(open_table(connection, table = there)), data.frame(a = 3:4, b = c(TRUE, FALSE)))
    expect_error(open_table(connection, table = DBI::Id(schema = schema, table = "no")), "no table",
                 class = "rowanroot_no_such_table")
    expect_error(save_table(open_table(connection, table = there), connection, table = there),
                 class = "rowanroot_output_is_input")
    if (database == "SQLite") {
      DBI::dbExecute(connection, "CREATE TABLE bad (a text)")
      DBI::dbExecute(connection, "INSERT INTO bad VALUES ('a'), (CAST(x'FF41' AS TEXT))")
      expect_error(as.data.frame(open_table(connection, table = "bad")), "row 2", class = "rowanroot_bad_text")
    }
  })
}

test_that("SQLite's columns of several types are reported with the row, others are exact", {
  local_folder()
  connection <- local_sqlite()
  make <- function(type, ...) {
    DBI::dbExecute(connection, "DROP TABLE IF EXISTS t")
    DBI::dbExecute(connection, paste0("CREATE TABLE t (x ", type, ")"))
    for (value in c(...)) DBI::dbExecute(connection, paste0("INSERT INTO t VALUES (", value, ")"))
    open_table(connection, table = "t")$x
  }
  expect_snapshot(error = TRUE, {
    make("integer", 1, 2, "'many'")
    make("", 1.5, "9007199254740993")
    make("date", 20000, "'infinity'")
    make("boolean", 1, 0, 2)
  })
  expect_error(make("", "x'01'", "'a'"), class = "rowanroot_unreadable_value")
  expect_error(make("", "x'01'"), class = "rowanroot_nested_values")
  expect_error(make("integer", "-9223372036854775807 - 1"), class = "rowanroot_unreadable_value")
  expect_identical(make("", 1, 1.5, "NULL"), c(1, 1.5, NA))
  expect_identical(make("", "NULL", 3, 2147483647), c(NA, 3L, 2147483647L))
  expect_identical(as.character(make("", 1, 2147483648, "9007199254740993", "NULL")),
                   c("1", "2147483648", "9007199254740993", NA))
  expect_identical(make("boolean", 1, 0, "NULL"), c(TRUE, FALSE, NA))
  expect_identical(make("date", "'2026-01-01'", 20454, "NULL"), as.Date(c("2026-01-01", "2026-01-01", NA)))
  invisible(tryCatch(make("integer", 1, "'many'"), error = identity))
  expect_identical(open_table(connection, table = "t", types = c(x = "text"))$x, c("1", "many"))
  expect_error(open_table(connection, table = "t", types = c(x = "integer")), class = "rowanroot_bad_argument")
})

test_that("PostgreSQL's numbers, dates and other types are exact, or reported", {
  local_folder()
  connection <- local_postgres()
  ask <- function(value, ...) open_table(connection, query = paste("SELECT", value, "AS x"), ...)$x
  expect_snapshot(error = TRUE, {
    ask("12345678901234567.5::numeric")
    ask("'infinity'::date")
  })
  expect_identical(ask("12345678901234567.50::numeric", types = c(x = "text")), "12345678901234567.50")
  expect_identical(ask("123456789012345.00::numeric"), 123456789012345)
  expect_identical(ask("-0.000000000000000000001::numeric"), -1e-21)
  expect_identical(ask("'NaN'::numeric"), NaN)
  expect_identical(ask("1.10::money"), 1.1)
  expect_identical(as.character(ask("9007199254740993::bigint")), "9007199254740993")
  expect_identical(ask("4294967295::oid"), 4294967295)
  expect_identical(as.numeric(ask("'0044-03-15 BC'::date")), -735160)
  expect_identical(as.numeric(ask("'2026-01-01 00:00:00.3+00'::timestamptz")), 1767225600.3)
  expect_error(ask("'-infinity'::timestamptz"), class = "rowanroot_unreadable_value")
  expect_error(ask("'\\x01'::bytea"), class = "rowanroot_nested_values")
  expect_identical(ask("'{1,2}'::int[]"), "{1,2}")
  expect_identical(ask("'{\"a\": 1}'::jsonb"), "{\"a\": 1}")
  expect_identical(ask("'12:30'::time"), as.difftime(45000, units = "secs"))
})

test_that("a file of SQLite whose writer was killed is recovered by a look at it", {
  skip_on_os("windows")
  local_folder()
  quietly(save_table(data.frame(id = 1:20000, kg = 1), "stock.sqlite", table = "yield"))
  # A process that is killed in the middle of a transaction, when parts of it are in the file.
  code <- paste(paste0("connection <- DBI::dbConnect(RSQLite::SQLite(), 'stock.sqlite'); DBI::dbExecute(connection, ",
                       "'PRAGMA cache_size = 1'); DBI::dbBegin(connection)"),
                "DBI::dbExecute(connection, 'UPDATE yield SET kg = 2'); tools::pskill(Sys.getpid(), 9)", sep = "; ")
  suppressWarnings(system2(file.path(R.home("bin"), "Rscript"), c("--vanilla", "-e", shQuote(code)), stdout = FALSE,
                           stderr = FALSE))
  expect_true(file.size("stock.sqlite-journal") > 0)
  expect_identical(unique(open_table("stock.sqlite")$kg), 1)
  quietly(save_table(data.frame(id = 1:3, kg = 4), "stock.sqlite", table = "yield"))
  expect_identical(open_table("stock.sqlite")$kg, rep(4, 3))
  file.symlink("stock.sqlite", "link.sqlite")
  expect_error(save_table(open_table("link.sqlite"), "stock.sqlite", table = "yield"),
               class = "rowanroot_output_is_input")
})
