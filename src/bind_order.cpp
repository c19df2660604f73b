// Words that depend on the order of rows or on groups: ranks, running words, moving windows, neighbours.

#include "bind.h"
#include "deferred_strings.h"
#include "gather.h"
#include "moving.h"
#include "names.h"
#include "ranks.h"
#include "running.h"
#include "sequence.h"
#include "sorting.h"
#include "top.h"

using namespace rowanroot;

namespace {

Sequence stepped_sequence(R_xlen_t rows, SEXP order, SEXP steps, SEXP of_row, int groups, int threads) {
  Sequence sequence = sequence_of(static_cast<double>(rows), order, of_row, groups);
  sequence.threads = thread_count(rows, threads);
  if (steps != R_NilValue) {
    sequence.step_of_row = INTEGER(VECTOR_ELT(steps, 0));
    sequence.steps = static_cast<std::size_t>(Rf_asReal(VECTOR_ELT(steps, 1)));
  }
  return sequence;
}

const char* bytes_of(Text text) { return CHAR(static_cast<SEXP>(const_cast<void*>(text))); }

Ties ties_of_name(const std::string& name) {
  static const char* const names[] = {"min", "max", "average", "first", "last", "dense"};
  return kind_of_name<Ties>(names, name);
}

}  // namespace

// Texts as whole numbers in the order of their characters' numbers in Unicode.
// [[Rcpp::export]]
SEXP text_codes_cpp(SEXP column, int threads) {
  const Rcpp::RObject texts = with_comparable_texts(column);
  Rcpp::Shield<SEXP> codes(new_vector(INTSXP, Rf_xlength(texts)));
  text_codes(static_cast<const Text*>(address_of(texts)), static_cast<std::size_t>(Rf_xlength(texts)), NA_STRING,
             bytes_of, thread_count(Rf_xlength(texts), threads), INTEGER(codes));
  return codes;
}

namespace {

std::vector<SortColumn> sort_columns(const Rcpp::List& columns, const Rcpp::LogicalVector& descending,
                                     const Rcpp::LogicalVector& missing_first) {
  std::vector<SortColumn> by;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP column = columns[k];
    const bool has_first = missing_first.size() && missing_first[k] == 1;
    by.push_back({type_of_column(column), address_of(column), descending[k] == 1, has_first});
  }
  return by;
}

}  // namespace

// The rows in order, from 0.
// [[Rcpp::export]]
SEXP order_rows_cpp(Rcpp::List columns, Rcpp::LogicalVector descending, Rcpp::LogicalVector missing_first, double rows,
                    int threads) {
  const std::vector<SortColumn> by = sort_columns(columns, descending, missing_first);
  Rcpp::Shield<SEXP> order(new_vector(INTSXP, static_cast<R_xlen_t>(rows)));
  order_rows(by, static_cast<std::size_t>(rows), thread_count(static_cast<R_xlen_t>(rows), threads), INTEGER(order));
  return order;
}

// The first `count` rows of the order, from 0, in all or for each value of a column.
// [[Rcpp::export]]
Rcpp::IntegerVector top_rows_cpp(Rcpp::List columns, Rcpp::LogicalVector descending, double rows, double count,
                                 bool ties, SEXP within, int threads) {
  const Workers workers = thread_count(static_cast<R_xlen_t>(rows), threads);
  const SortKeys keys(sort_columns(columns, descending, {}), static_cast<std::size_t>(rows), workers, false);
  const auto find = [&](SEXP by) {
    GroupColumn groups;
    if (by != R_NilValue) groups = {type_of_column(by), address_of(by)};
    return top_rows(keys, static_cast<std::size_t>(rows), static_cast<std::size_t>(count), ties, groups, workers);
  };
  const std::vector<std::int32_t> found = find(within);
  // Of groups that are one text in two encodings, both are among the rows found.
  const auto is_doubtful = [&](std::int32_t row) { return !is_comparable(STRING_PTR_RO(within)[row]); };
  if (TYPEOF(within) != STRSXP || std::none_of(found.begin(), found.end(), is_doubtful)) return Rcpp::wrap(found);
  return Rcpp::wrap(find(with_comparable_texts(within)));
}

// Plain columns, with what makes them dates and the like, in this order of rows, from 0; NULL for the others.
// [[Rcpp::export]]
Rcpp::List gather_cpp(Rcpp::List columns, Rcpp::LogicalVector is_plain, double rows, Rcpp::IntegerVector order,
                      int threads) {
  Rcpp::List result(columns.size());
  std::vector<GatheredColumn> moved;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    if (!is_plain[k]) continue;
    SEXP column = columns[k];
    if (Rf_xlength(column) != static_cast<R_xlen_t>(rows)) Rcpp::stop("a column has another number of rows");
    if (are_deferred(column)) {
      result[k] = texts_in_rows(column, order.begin(), order.size(), threads);
      if (result[k] != R_NilValue) continue;
    }
    // Of coded texts the codes are moved.
    const CodedTexts coded = coded_texts_of(column);
    SEXP values = coded ? coded.codes : column;
    result[k] = new_vector(TYPEOF(values), order.size());
    moved.push_back({address_of(values), writable_address(result[k]), width(type_of_vector(values))});
  }
  gather(moved, static_cast<std::size_t>(rows), order.begin(), static_cast<std::size_t>(order.size()),
         thread_count(order.size(), threads));
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    const CodedTexts coded = coded_texts_of(columns[k]);
    if (is_plain[k] && coded) result[k] = new_coded_texts(result[k], coded.texts);
  }
  give_attributes(columns, is_plain, result);
  return result;
}

// A plain vector's values in these rows, from 1; missing where the row is NA. Texts stay numbers until they are looked
// at.
// [[Rcpp::export]]
SEXP values_at_cpp(SEXP column, Rcpp::IntegerVector rows, int threads) {
  // Where rows have the same texts many times, these are made once.
  if (rows.size() < 2 * Rf_xlength(column) && are_deferred(column)) {
    std::vector<std::int32_t> from_0(static_cast<std::size_t>(rows.size()));
    for (R_xlen_t i = 0; i < rows.size(); ++i)
      from_0[static_cast<std::size_t>(i)] = rows[i] == NA_INTEGER ? -1 : rows[i] - 1;
    SEXP moved = texts_in_rows(column, from_0.data(), rows.size(), threads);
    if (moved != R_NilValue) return moved;
  }
  if (TYPEOF(column) == STRSXP) return new_coded_texts(rows, column);
  Rcpp::Shield<SEXP> values(new_vector(TYPEOF(column), rows.size()));
  gather_known(type_of_vector(column), address_of(column), rows.begin(), static_cast<std::size_t>(rows.size()),
               writable_address(values), thread_count(rows.size(), threads));
  return values;
}

// [[Rcpp::export]]
SEXP ranks_cpp(SEXP column, bool descending, std::string ties, std::string missing, SEXP of_row, int groups,
               int threads) {
  RankOptions options;
  options.descending = descending;
  options.ties = ties_of_name(ties);
  options.missing = missing == "first" ? MissingRank::first : missing == "last" ? MissingRank::last : MissingRank::keep;
  const R_xlen_t rows = Rf_xlength(column);
  const bool average = options.ties == Ties::average;
  Rcpp::Shield<SEXP> ranks(new_vector(average ? REALSXP : INTSXP, rows));
  const auto rank = [&](auto* to) {
    rank_rows(type_of_column(column), address_of(column), static_cast<std::size_t>(rows), options,
              integers_or_null(of_row), static_cast<std::size_t>(groups), thread_count(rows, threads), to);
  };
  if (average) rank(REAL(ranks));
  else rank(INTEGER(ranks));
  return ranks;
}

// Numbers from 0 that rise along a column, and how many there are; NULL if they are not few.
// [[Rcpp::export]]
SEXP compact_codes_cpp(SEXP column, bool descending, double most) {
  const R_xlen_t rows = Rf_xlength(column);
  Rcpp::Shield<SEXP> codes(new_vector(INTSXP, rows));
  const std::size_t count =
      compact_codes({type_of_column(column), address_of(column), descending, false}, static_cast<std::size_t>(rows),
                    static_cast<std::size_t>(most), INTEGER(codes));
  if (count == 0) return R_NilValue;
  return Rcpp::List::create(Rcpp::Named("of_row") = static_cast<SEXP>(codes),
                            Rcpp::Named("count") = static_cast<double>(count));
}

// What a running word keeps from one chunk of rows to the next.
// [[Rcpp::export]]
SEXP new_running_state_cpp() { return Rcpp::XPtr<RunningState>(new RunningState, true); }

static RunningState& so_far_of(SEXP state, RunningState& own) {
  return state == R_NilValue ? own : *Rcpp::XPtr<RunningState>(state);
}

// Doubles. `steps` are compact codes instead of an order, or NULL; so may the state be.
// [[Rcpp::export]]
SEXP running_cpp(std::string what, std::string missing, SEXP column, SEXP order, SEXP steps, SEXP of_row, int groups,
                 SEXP state, int threads) {
  RunningState own;
  Rcpp::Shield<SEXP> result(new_vector(REALSXP, Rf_xlength(column)));
  running(running_of_name(what), at_missing_of_name(missing), type_of_column(column), address_of(column),
          stepped_sequence(Rf_xlength(column), order, steps, of_row, groups, threads), so_far_of(state, own),
          REAL(result));
  return result;
}

// Integers, of 64 bits too, and the first row (from 1) whose total did not fit, or 0.
// [[Rcpp::export]]
Rcpp::List running_integers_cpp(std::string what, std::string missing, SEXP column, SEXP order, SEXP steps, SEXP of_row,
                                int groups, SEXP state, int threads) {
  RunningState own;
  const R_xlen_t rows = Rf_xlength(column);
  const bool is_long = type_of_column(column) == Type::long_integer;
  Rcpp::Shield<SEXP> result(new_vector(is_long ? REALSXP : INTSXP, rows));
  const Sequence sequence = stepped_sequence(rows, order, steps, of_row, groups, threads);
  const auto run = [&](auto* values) {
    using T = std::remove_pointer_t<decltype(values)>;
    return running_integers(running_of_name(what), at_missing_of_name(missing),
                            static_cast<const T*>(address_of(column)), sequence, so_far_of(state, own), values);
  };
  const std::size_t overflow =
      is_long ? run(reinterpret_cast<std::int64_t*>(REAL(result))) : run(INTEGER(result));
  if (is_long) Rf_setAttrib(result, R_ClassSymbol, Rf_mkString("integer64"));
  const bool fits = overflow == static_cast<std::size_t>(rows);
  return Rcpp::List::create(Rcpp::Named("values") = static_cast<SEXP>(result),
                            Rcpp::Named("overflow") = fits ? 0.0 : overflow + 1.0);
}

// `scale` is NULL for windows of rows, or has for each row its place, and between which places its window is.
// [[Rcpp::export]]
SEXP moving_cpp(std::string what, Rcpp::NumericVector column, double before, double after, SEXP scale, bool with_to,
                double step, bool complete, bool skip, SEXP order, SEXP of_row, int groups, int threads) {
  Window window;
  window.before = static_cast<std::size_t>(before);
  window.after = static_cast<std::size_t>(after);
  if (scale != R_NilValue) {
    for (int k = 0; k < 3; ++k)
      if (Rf_xlength(VECTOR_ELT(scale, k)) != column.size()) Rcpp::stop("a scale has another number of rows");
    window.at = REAL(VECTOR_ELT(scale, 0));
    window.from = REAL(VECTOR_ELT(scale, 1));
    window.to = REAL(VECTOR_ELT(scale, 2));
  }
  window.with_to = with_to;
  window.step = step;
  window.complete = complete;
  window.skip = skip;
  Rcpp::Shield<SEXP> result(new_vector(REALSXP, column.size()));
  Sequence sequence = sequence_of(static_cast<double>(column.size()), order, of_row, groups);
  sequence.threads = thread_count(column.size(), threads);
  moving(moving_of_name(what), window, column.begin(), sequence, REAL(result));
  return result;
}

// For each row the row, from 1, that comes so many before it in its group, or NA.
// [[Rcpp::export]]
SEXP neighbours_cpp(double rows, double by, SEXP order, SEXP of_row, int groups) {
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, static_cast<R_xlen_t>(rows)));
  int* const row = INTEGER(result);
  neighbours(sequence_of(rows, order, of_row, groups), static_cast<std::int64_t>(by), row);
  for (R_xlen_t i = 0; i < static_cast<R_xlen_t>(rows); ++i) row[i] = row[i] < 0 ? NA_INTEGER : row[i] + 1;
  return result;
}

// For each row the last value that is known, or backwards the next. Doubles or integers.
// [[Rcpp::export]]
SEXP last_known_cpp(SEXP column, bool backwards, SEXP order, SEXP of_row, int groups, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  Rcpp::Shield<SEXP> result(new_vector(TYPEOF(column), rows));
  Sequence sequence = sequence_of(static_cast<double>(rows), order, of_row, groups);
  sequence.threads = thread_count(rows, threads);
  if (TYPEOF(column) == REALSXP) {
    last_known(static_cast<const double*>(address_of(column)), backwards, sequence, missing_real(), REAL(result));
  } else {
    last_known(static_cast<const std::int32_t*>(address_of(column)), backwards, sequence, missing_integer,
               static_cast<std::int32_t*>(writable_address(result)));
  }
  return result;
}

// The part of so many that each rank falls into, `counts` being that of its group or of all.
// [[Rcpp::export]]
SEXP parts_of_ranks_cpp(Rcpp::IntegerVector ranks, SEXP counts, double parts) {
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, ranks.size()));
  const auto at_most = static_cast<std::int64_t>(std::min(parts, 4294967295.0));
  if (counts == R_NilValue) {
    const auto missing = std::count(ranks.begin(), ranks.end(), NA_INTEGER);
    std::transform(ranks.begin(), ranks.end(), INTEGER(result), PartsOfRanks(ranks.size() - missing, at_most));
    return result;
  }
  const Rcpp::IntegerVector of_row(counts);
  for (R_xlen_t i = 0; i < ranks.size(); ++i) INTEGER(result)[i] = PartsOfRanks(of_row[i], at_most)(ranks[i]);
  return result;
}

// How many rows of its group come before each row, in order, and itself.
// [[Rcpp::export]]
SEXP number_in_group_cpp(double rows, SEXP order, SEXP of_row, int groups) {
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, static_cast<R_xlen_t>(rows)));
  number_rows_of_groups(sequence_of(rows, order, of_row, groups), INTEGER(result));
  return result;
}
