// Columns side by side, and the nearest of sorted keys.

#include "bind.h"
#include "deferred_strings.h"
#include "wide.h"

using namespace rowanroot;

namespace {

// One column of several, of vectors of one type that are as long; texts by their addresses.
template <class T>
void interleave_vectors(const Rcpp::List& columns, R_xlen_t rows, const Workers& workers, SEXP result) {
  std::vector<const T*> addresses;
  for (R_xlen_t k = 0; k < columns.size(); ++k) addresses.push_back(static_cast<const T*>(address_of(columns[k])));
  interleave(addresses, static_cast<std::size_t>(rows), workers, static_cast<T*>(writable_address(result)));
}

}  // namespace

// The values of several vectors of one type and length as one, row after row.
// [[Rcpp::export]]
SEXP interleave_cpp(Rcpp::List columns, int threads) {
  const R_xlen_t rows = Rf_xlength(columns[0]);
  const SEXPTYPE type = TYPEOF(columns[0]);
  for (R_xlen_t k = 0; k < columns.size(); ++k)
    if (Rf_xlength(columns[k]) != rows || TYPEOF(columns[k]) != static_cast<int>(type))
      Rcpp::stop("columns of another type or length");
  // Texts are there before the vector that they go into.
  for (R_xlen_t k = 0; k < columns.size(); ++k) address_of(columns[k]);
  Rcpp::Shield<SEXP> result(new_vector(type, rows * columns.size()));
  const Workers workers = thread_count(rows * columns.size(), threads);
  if (type == LGLSXP || type == INTSXP) interleave_vectors<std::int32_t>(columns, rows, workers, result);
  else interleave_vectors<std::uint64_t>(columns, rows, workers, result);
  return result;
}

// Each value of a plain vector so many times.
// [[Rcpp::export]]
SEXP repeat_each_cpp(SEXP column, double times, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  const void* const from = address_of(column);
  Rcpp::Shield<SEXP> result(new_vector(TYPEOF(column), rows * static_cast<R_xlen_t>(times)));
  const Workers workers = thread_count(Rf_xlength(result), threads);
  const auto repeat = [&](const auto* values) {
    using T = std::remove_const_t<std::remove_pointer_t<decltype(values)>>;
    repeat_each(values, static_cast<std::size_t>(rows), static_cast<std::size_t>(times), workers,
                static_cast<T*>(writable_address(result)));
  };
  if (TYPEOF(column) == LGLSXP || TYPEOF(column) == INTSXP) repeat(static_cast<const std::int32_t*>(from));
  else repeat(static_cast<const std::uint64_t*>(from));
  return result;
}

// Texts again and again, so many times.
// [[Rcpp::export]]
SEXP repeated_texts_cpp(Rcpp::CharacterVector texts, double times) {
  Rcpp::Shield<SEXP> codes(new_vector(INTSXP, texts.size() * static_cast<R_xlen_t>(times)));
  int* code = INTEGER(codes);
  for (R_xlen_t i = 0; i < static_cast<R_xlen_t>(times); ++i)
    for (int k = 1; k <= texts.size(); ++k) *code++ = k;
  return new_coded_texts(codes, texts);
}

// For each row the number of the first of these columns, of doubles, that has its greatest or its least value.
// [[Rcpp::export]]
SEXP number_of_end_cpp(Rcpp::List columns, bool greatest, bool skip, int threads) {
  const R_xlen_t rows = Rf_xlength(columns[0]);
  std::vector<const double*> addresses;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    if (TYPEOF(columns[k]) != REALSXP || Rf_xlength(columns[k]) != rows) Rcpp::stop("a column is no vector of doubles");
    addresses.push_back(REAL(columns[k]));
  }
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, rows));
  number_of_end(addresses, static_cast<std::size_t>(rows), greatest, skip, thread_count(rows, threads),
                INTEGER(result));
  return result;
}

// For each key the place, from 1, of the nearest of the table's keys in its group, or NA. The table's keys rise within
// groups, which have these sizes; `groups` are those of the keys from 0, or NULL for one group.
// [[Rcpp::export]]
SEXP nearest_cpp(Rcpp::NumericVector table, Rcpp::IntegerVector sizes, Rcpp::NumericVector keys, SEXP groups,
                 bool after, int threads) {
  std::vector<std::size_t> starts = {0};
  for (int size : sizes) starts.push_back(starts.back() + static_cast<std::size_t>(size));
  if (starts.back() != static_cast<std::size_t>(table.size())) Rcpp::stop("groups of another size");
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, keys.size()));
  int* const place = INTEGER(result);
  nearest(table.begin(), starts, keys.begin(), integers_or_null(groups), static_cast<std::size_t>(keys.size()), after,
          thread_count(keys.size(), threads), place);
  for (R_xlen_t i = 0; i < keys.size(); ++i) place[i] = place[i] < 0 ? NA_INTEGER : place[i] + 1;
  return result;
}
