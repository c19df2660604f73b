# Tables whose rows are on several servers of PostgreSQL: what is calculated is what memory gives, and stays there.

rows_there <- function(above) {
  lapply(attr(above, "servers"), function(server) sort(grep("^yield", DBI::dbListTables(server), value = TRUE)))
}

test_that("what goes by the rows of each server is calculated on each, and stays there", {
  local_folder()
  withr::local_seed(5)
  data <- random_table(300)[c("id", "e", "i", "j", "l", "t", "day", "g", "h")]
  above <- local_servers(data, "g")
  counts <- vapply(attr(above, "servers"), function(server) {
    DBI::dbGetQuery(server, "SELECT count(*)::int AS n FROM rows_there")$n
  }, 0L)
  expect_true(all(counts > 0) && sum(counts) == 300)
  make <- function(x) {
    x |>
      set_columns({
        up <- e * 2
        place <- ranking(j, best = "highest", within = g)
        n <- running_count(j, along = id, within = c(h, g))
        part <- e / sum(e, within = g)
        month <- start_of(day, "month")
        size <- look_up(g, c(x = 1, y = 2), unknown = "missing")
      }) |>
      keep_rows(up > -1) |>
      rename_columns(hive = g)
  }
  save <- function(x) testthat::capture_messages(save_table(x, above, table = "yield"))
  source <- open_table(above, table = "rows")
  expect_match(show_steps(make(source))$where, "each calculates with its own", all = FALSE)
  expect_match(save(make(source)), "made", all = FALSE)
  in_order <- function(data) data[order(data$id), ]
  found <- in_order(as.data.frame(open_table(above, table = "yield")))
  expect_true(all_nearly(found, in_order(make(data))))
  servers <- servers_of_table(above, "yield")
  expect_identical(servers$key, "hive")
  expect_identical(lengths(rows_there(above)), c(1L, 1L))
  expect_identical(as.list(servers$partitions$name), rows_there(above))
  # A new version takes the old one's place; the servers calculate whether it is up to date.
  expect_length(grep("made", save(make(source))), 0)
  expect_match(save(set_columns(make(source), { more <- 1L })), "made", all = FALSE)
  expect_identical(as.list(servers_of_table(above, "yield")$partitions$name), rows_there(above))
  change <- "UPDATE rows_there SET e = e + 1 WHERE id = (SELECT min(id) FROM rows_there)"
  DBI::dbExecute(attr(above, "servers")[[1]], change)
  expect_match(save(set_columns(make(source), { more <- 1L })), "made", all = FALSE)
  best <- one_row_per(make(source), c(hive, h), { best <- max(up); rows <- .rows })
  expect_match(testthat::capture_messages(save_table(best, above, table = "yield_best")), "made", all = FALSE)
  expect_true(all(lengths(lapply(rows_there(above), grep, pattern = "^yield_best_")) == 1))
  found <- as.data.frame(open_table(above, table = "yield_best"))
  expected <- as.data.frame(one_row_per(make(as.data.frame(source)), c(hive, h), { best <- max(up); rows <- .rows }))
  sorted <- function(data) data[order(data$hive, data$h), ]
  expect_true(all_nearly(sorted(found), sorted(expected)))
  # What fails on one server leaves nothing behind on any.
  before <- rows_there(above)
  nan <- set_columns(make(source), { bad <- e * 0 / 0 })
  expect_error(save(nan), class = "rowanroot_cannot_write")
  expect_identical(rows_there(above), before)
  # Without the extension the server above does it.
  DBI::dbExecute(above, "DROP EXTENSION dblink")
  expect_match(show_steps(make(source))$where, "without the extension dblink", all = FALSE)
  expect_match(testthat::capture_messages(save_table(make(source), above, table = "plain")), "made", all = FALSE)
  expect_null(servers_of_table(above, "plain"))
})

test_that("what a run that was killed left on the servers is dropped by the next", {
  skip_on_os("windows")
  local_folder()
  withr::local_seed(7)
  data <- random_table(60)[c("id", "e", "g")]
  above <- local_servers(data, "g")
  about <- DBI::dbGetInfo(above)
  save <- function(x) suppressMessages(save_table(x, above, table = "yield"))
  make <- function(by) eval(bquote(set_columns(open_table(above, table = "rows"), { up <- e * .(by) })))
  # As a process, ended before the parts are a table, and after that, before those of old are dropped.
  killed_in <- function(place, by) {
    code <- c(sprintf("above <- DBI::dbConnect(RPostgres::Postgres(), host = '%s', user = '%s', dbname = 'postgres')",
                      about$host, about$username), "library(rowanroot)",
              sprintf("trace('%s', quote(if (%s) tools::pskill(Sys.getpid(), 9)), print = FALSE, where = %s)", place[1],
                      place[2], "asNamespace('rowanroot')"),
              sprintf("x <- set_columns(open_table(above, table = 'rows'), { up <- e * %d })", by),
              "save_table(x, above, table = 'yield')")
    write_text(code, "killed.R")
    system2(file.path(R.home("bin"), "Rscript"), "killed.R", stdout = FALSE, stderr = FALSE)
  }
  attached <- function() as.list(servers_of_table(above, "yield")$partitions$name)
  killed_in(c("attach_parts", "TRUE"), 2)
  expect_identical(lengths(rows_there(above)), c(1L, 1L))
  expect_length(attached(), 0)
  save(make(3))
  expect_identical(rows_there(above), attached())
  killed_in(c("drop_on_servers", "NROW(parts) > 0"), 4)
  expect_identical(lengths(rows_there(above)), c(2L, 2L))
  save(make(5))
  expect_identical(rows_there(above), attached())
  expect_length(list.files(".rowanroot/unfinished"), 0)
  found <- as.data.frame(open_table(above, table = "yield"))
  expect_identical(found$up[order(found$id)], data$e[order(data$id)] * 5)
})

test_that("groups of several servers are put together above, and the rest is right, too", {
  withr::local_seed(6)
  data <- random_table(300)[c("id", "e", "i", "j", "l", "t", "day", "g", "h")]
  above <- local_servers(data, "g", 3)
  table <- open_table(above, table = "rows")
  codes <- list(
    quote(one_row_per(.table, h, {
      n <- length(e)
      m <- mean(e, na.rm = TRUE)
      low <- min(j)
      total <- sum(j, na.rm = TRUE)
      known <- count_known(t)
      any_l <- any(l, na.rm = TRUE)
      all_l <- all(l)
      last <- max(t, na.rm = TRUE)
      rows <- .rows
      ratio <- max(e) / length(e)
    })),
    quote(one_row_per(keep_rows(set_columns(.table, { f <- e * 2 + j }), f > 0), c(h, l), { f <- sum(f) })),
    quote(one_row_per(.table, c(g, h), { m <- mean(e); s <- sd(e, na.rm = TRUE) })),
    quote(one_row_per(.table, h, { s <- sd(e, na.rm = TRUE); middle <- median(e, na.rm = TRUE) })),
    quote(set_columns(.table, { place <- ranking(e, best = "highest"); share <- e / sum(e, within = h) })),
    quote(one_of_each(.table, h, along = id)), quote(top_rows(.table, 3, by = id, within = g)),
    quote(join_rows(.table, one_row_per(.table, h, { most <- max(e) }), by = h)),
    quote(set_columns(append_rows(.table, .table), { n <- ranking(id, best = "lowest") }))
  )
  for (code in codes) {
    found <- as.data.frame(eval(code, list(.table = table)))
    expected <- as.data.frame(eval(code, list(.table = data)))
    sorted <- function(data) data[do.call(order, unname(data[intersect(c("id", "h", "g", "l"), names(data))])), ]
    expect_identical(list(code, all_nearly(sorted(found), sorted(expected))), list(code, TRUE))
  }
  # The servers themselves add up.
  plan <- DBI::dbGetQuery(above, DBI::SQL(paste("EXPLAIN (VERBOSE)", in_sql(one_row_per(table, h, { n <- max(i) })))))
  expect_length(grep("UNION|Append", plan[[1]]), 1)
  expect_match(in_sql(eval(codes[[1]], list(.table = table))), "rows_1.*rows_2.*rows_3")
})
