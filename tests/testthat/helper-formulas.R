# Formulas made at random, over columns made at random, and plain R that evaluates them for one row after the other.

random_columns <- function(rows) {
  pick <- function(values) sample(values, rows, replace = TRUE)
  data.frame(
    d = pick(c(NA, NaN, Inf, -Inf, 0, -0, 1, -1.5, 2, 1e308, 5e-324, stats::rnorm(5))),
    e = stats::rnorm(rows),
    i = pick(c(NA, 0L, 1L, -1L, 7L, 2147483647L, -2147483647L)),
    j = pick(-3:3),
    l = pick(c(TRUE, FALSE, NA)),
    m = pick(c(TRUE, FALSE)),
    s = pick(c("a", "b", NA, "", "\u00e6", " \u00c9 b\t", "Abc ab\U0001F41D")),
    t = pick(c("a", "b", "NA")),
    day = as.Date("2024-02-28") + pick(c(NA, 0, 1, 2, 400, -25000)),
    eve = structure(pick(c(NA, 19000L, -1L)), class = "Date"),
    kind = factor(pick(c("b", "a", NA)), levels = c("b", "a"))
  )
}

# A column has one type, so the branches of a choice are made of one: for a single row R would go on with
# whole numbers where the other branch is not.
random_formula <- function(type, depth) {
  if (type == "number") type <- sample(c("whole", "real"), 1)
  if (depth == 0 || stats::runif(1) < 0.15) return(random_leaf(type))
  part <- function(type) random_formula(type, depth - 1)
  choice <- function(type) {
    if (stats::runif(1) < 0.7) return(call("if", part("logical"), part(type), part(type)))
    call("switch", part("text"), a = part(type), b = part(type), part(type))
  }
  kinds <- list(whole = random_whole, real = random_real, logical = random_logical, text = random_text,
                date = random_date)
  kinds[[type]](part, choice)
}

# The kinds of formulas: `part(type)` makes one that goes into it, `choice(type)` an `if` or a `switch`.
random_whole <- function(part, choice) {
  switch(sample(6, 1),
    call(sample(c("+", "-", "*", "%%", "%/%", "pmin", "pmax"), 1), part("whole"),
         part(sample(c("whole", "logical"), 1))),
    call(sample(c("-", "abs", "as.integer"), 1), part("whole")),
    choice("whole"),
    call("(", part("whole")),
    call("nchar", part("text")),
    call("date_part", part("date"), sample(c("year", "month", "day", "weekday", "week", "quarter"), 1))
  )
}

random_real <- function(part, choice) {
  switch(sample(8, 1),
    call(sample(c("+", "-", "*", "/", "^", "%%", "%/%", "log", "atan2", "pmin", "pmax"), 1), part("real"),
         part("number")),
    call(sample(c("/", "^", "log", "atan2"), 1), part("number"), part("number")),
    call(sample(one_number, 1), part("real")),
    choice("real"),
    call("as.numeric", part("whole")),
    call(sample(c("two_ways", "three_ways"), 1), part("real"), part("real")),
    call(sample(c("round", "signif"), 1), part("real"), digits = sample(c(-310, -2:3, 15, 320), 1)),
    sample(list(quote(as.numeric(day - eve)), quote(pmin(d, e, i)), quote(round(d)),
                quote(pmax(d, i, e, na.rm = TRUE))), 1)[[1]]
  )
}

random_logical <- function(part, choice) {
  switch(sample(8, 1),
    call(sample(c("==", "!=", "<", "<=", ">", ">="), 1), part("number"), part("number")),
    call(sample(c("&&", "||", "&", "|", "xor"), 1), part("logical"), part("logical")),
    call(sample(c("!", "is.na"), 1), part("logical")),
    call(sample(c("==", "!="), 1), part("text"), part("text")),
    call(sample(c("is.na", "is.finite", "is.infinite", "as.logical"), 1), part("number")),
    call("is.nan", random_leaf("real")),
    call(sample(c("<", "==", ">="), 1), random_leaf("date"), random_leaf("date")),
    sample(list(call("%in%", part("text"), quote(c("a", "\u00e6", NA))),
                call("%in%", part("whole"), quote(c(7, NA, 0.5))),
                call("%in%", random_leaf("real"), quote(c(0, 2, NaN))),
                quote(l %in% TRUE), call(sample(c("startsWith", "endsWith"), 1), part("text"),
                                         sample(c("a", "b", "\u00e6", ""), 1)),
                call("grepl", sample(c("a", "b|B", "[[:alpha:]]b"), 1), part("text")), quote(kind == "a")), 1)[[1]]
  )
}

random_text <- function(part, choice) {
  switch(sample(4, 1),
    choice("text"),
    call("named", part("number"), part("text")),
    call(sample(c("toupper", "tolower", "trimws"), 1), part("text")),
    sample(list(call("substr", part("text"), sample(0:3, 1), sample(0:4, 1)),
                call(sample(c("sub", "gsub"), 1), sample(c("b", "a", ".b", "\u00e6"), 1), "X", part("text")),
                call("substring", part("text"), sample(1:4, 1)), call("paste0", part("text"), part("text")),
                  quote(as.character(kind))), 1)[[1]]
  )
}

random_date <- function(part, choice) if (stats::runif(1) < 0.5) choice("date") else call("+", part("date"), quote(j))

one_number <- c("-", "abs", "floor", "sqrt", "exp", "log", "ceiling", "trunc", "log2", "log10", "log1p", "expm1",
                "sin", "cos", "tan",
                "asin", "acos", "atan", "tanh", "as.numeric", "(")

random_leaf <- function(type) {
  switch(type,
    whole = sample(list(quote(i), quote(j), 2L, 0L, 7L, NA_integer_), 1)[[1]],
    real = sample(list(quote(d), quote(e), 2, 0.5, -1, NA_real_), 1)[[1]],
    logical = sample(list(quote(l), quote(m), TRUE, NA), 1)[[1]],
    text = sample(list(quote(s), quote(t), "a"), 1)[[1]],
    date = sample(list(quote(day), quote(eve)), 1)[[1]]
  )
}

# Functions of one row, as the script would have them. Conditions are known, as R's own `if` needs that.
two_ways <- function(x, y) if (is.na(x) || x > y && !is.na(y)) x - y else x + y
three_ways <- function(x, y = 1) {
  z <- x * 2
  if (is.na(y)) return(z)
  if (is.finite(x)) {
    w <- z + 1
    z <- w * y
  } else z <- y
  z - 1
}
named <- function(x, s) switch(if (is.na(x)) "b" else if (x > 0) "a" else "c", a = s, b = "none", "below")
# As the script would have them: functions of a package are something else.
environment(two_ways) <- environment(three_ways) <- environment(named) <- globalenv()

# `if` and `switch` as the language has them: missing where the condition is, or where there is no `else`.
one_row <- new.env(parent = baseenv())
for (name in c("two_ways", "three_ways", "named")) assign(name, get(name), one_row)
assign("switch", function(value, ...) base::`if`(is.na(value), NA, base::switch(value, ...)), one_row)
# For a single row a missing branch is a logical NA: here it is the text, or the date, that the column has.
for (name in c("nchar", "toupper", "tolower", "trimws", "startsWith", "endsWith", "substr", "substring")) {
  assign(name, local({ fun <- get(name); function(x, ...) fun(as.character(x), ...) }), one_row)
}
for (name in c("sub", "gsub")) {
  assign(name, local({ fun <- get(name); function(p, r, x) fun(p, r, as.character(x)) }), one_row)
}
assign("grepl", function(p, x) grepl(p, as.character(x)), one_row)
assign("date_part", function(x, part) rowanroot::date_part(as.Date(x), part), one_row)
assign("if", function(condition, yes, no = NA) {
  condition <- as.logical(condition)
  base::`if`(is.na(condition), NA, base::`if`(condition, yes, no))
}, one_row)

row_by_row <- function(formula, data) {
  overflow <- FALSE
  values <- withCallingHandlers(
    lapply(seq_len(nrow(data)), function(row) eval(formula, data[row, ], one_row)),
    warning = function(w) {
      if (grepl("integer overflow", conditionMessage(w))) overflow <<- TRUE
      invokeRestart("muffleWarning")
    }
  )
  list(values = unlist(values), overflow = overflow)  # dates as numbers
}

# The same values, bit for bit but for whole numbers that are doubles: missing is told from NaN, and -0 from 0.
# Where a missing value meets a NaN either may come out, which is the processor's choice, in R as here: in rows for
# which `either` holds.
same_values <- function(a, b, either = FALSE) {
  if (inherits(a, c("Date", "factor"))) a <- as.numeric(a)
  if (inherits(b, c("Date", "factor"))) b <- as.numeric(b)
  if (length(a) != length(b) || !identical(is.na(a), is.na(b))) return(FALSE)
  if (all(is.na(a)) && (is.character(a) || is.character(b))) return(TRUE)
  if (is.character(a) || is.character(b)) return(identical(a, b))
  a <- as.double(a)
  b <- as.double(b)
  known <- !is.na(a)
  all(is.nan(a) == is.nan(b) | either) && identical(a[known], b[known], num.eq = FALSE, single.NA = FALSE)
}

# Rows for which a formula is given something that is missing.
rows_with_missing <- function(formula, data) {
  columns <- data[intersect(all.vars(formula), names(data))]
  is_missing <- lapply(columns, function(x) is.na(x) & !(if (is.double(x)) is.nan(x) else FALSE))
  Reduce(`|`, is_missing, rep(grepl("NA", deparse1(formula), fixed = TRUE), nrow(data)))
}
