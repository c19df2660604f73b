// Written by hand for one task each: the last known value, the greatest of a row's columns, columns below each other row
// by row, nearest keys, and parts of ranks. On `threads` threads.
// [[Rcpp::plugins(cpp17)]]
#include <Rcpp.h>
#include <sys/mman.h>

#include <algorithm>
#include <thread>
#include <vector>

namespace {

SEXP new_vector(SEXPTYPE type, R_xlen_t n) {
  SEXP x = Rf_allocVector(type, n);
  const std::uintptr_t page = 2u << 20, start = (reinterpret_cast<std::uintptr_t>(DATAPTR(x)) + page - 1) & ~(page - 1);
  const std::uintptr_t end = (reinterpret_cast<std::uintptr_t>(DATAPTR(x)) + n * (type == INTSXP ? 4 : 8)) & ~(page - 1);
  if (end > start) madvise(reinterpret_cast<void*>(start), end - start, MADV_HUGEPAGE);
  return x;
}

template <class Work>
void in_parts(std::size_t rows, int threads, Work work) {
  std::vector<std::thread> others;
  const std::size_t part = (rows + threads - 1) / threads;
  for (int t = 1; t < threads; ++t) others.emplace_back([=] { work(std::min(rows, t * part), std::min(rows, (t + 1) * part)); });
  work(0, std::min(rows, part));
  for (std::thread& one : others) one.join();
}

}  // namespace

// [[Rcpp::export]]
SEXP limit_last_known(Rcpp::NumericVector x, int threads) {
  (void)threads;
  Rcpp::Shield<SEXP> result(new_vector(REALSXP, x.size()));
  double* const out = REAL(result);
  double last = NA_REAL;
  for (R_xlen_t i = 0; i < x.size(); ++i) out[i] = last = x[i] == x[i] ? x[i] : last;
  return result;
}

// The greatest of a row of known values; its column's number.
// [[Rcpp::export]]
SEXP limit_greatest(Rcpp::List columns, int threads) {
  const R_xlen_t rows = Rf_xlength(columns[0]);
  std::vector<const double*> from;
  for (R_xlen_t k = 0; k < columns.size(); ++k) from.push_back(REAL(columns[k]));
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, rows));
  int* const out = INTEGER(result);
  in_parts(rows, threads, [&](std::size_t first, std::size_t last) {
    constexpr std::size_t block = 512;
    double best[block], number[block];
    for (std::size_t at = first; at < last; at += block) {
      const std::size_t count = std::min(block, last - at);
      for (std::size_t i = 0; i < count; ++i) { best[i] = from[0][at + i]; number[i] = 1; }
      for (std::size_t k = 1; k < from.size(); ++k)
        for (std::size_t i = 0; i < count; ++i) {
          const double value = from[k][at + i];
          const bool better = value > best[i];
          best[i] = better ? value : best[i];
          number[i] = better ? k + 1 : number[i];
        }
      for (std::size_t i = 0; i < count; ++i) out[at + i] = static_cast<int>(number[i]);
    }
  });
  return result;
}

// One column of several, with the numbers of these and of the rows.
// [[Rcpp::export]]
Rcpp::List limit_long(Rcpp::List columns, Rcpp::IntegerVector id, int threads) {
  const R_xlen_t rows = Rf_xlength(columns[0]), count = columns.size();
  std::vector<const double*> from;
  for (R_xlen_t k = 0; k < count; ++k) from.push_back(REAL(columns[k]));
  Rcpp::Shield<SEXP> values(new_vector(REALSXP, rows * count)), ids(new_vector(INTSXP, rows * count)), names(new_vector(INTSXP, rows * count));
  double* const value = REAL(values);
  int *const own = INTEGER(ids), *const name = INTEGER(names);
  const int* const given = id.begin();
  in_parts(rows, threads, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i)
      for (R_xlen_t k = 0; k < count; ++k) {
        value[i * count + k] = from[k][i];
        own[i * count + k] = given[i];
        name[i * count + k] = static_cast<int>(k + 1);
      }
  });
  return Rcpp::List::create(ids, names, values);
}

// [[Rcpp::export]]
SEXP limit_nearest(Rcpp::NumericVector keys, Rcpp::NumericVector table, Rcpp::IntegerVector values, int threads) {
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, keys.size()));
  int* const out = INTEGER(result);
  const double *key = keys.begin(), *first_key = table.begin(), *last_key = table.end();
  const int* value = values.begin();
  in_parts(keys.size(), threads, [&](std::size_t first, std::size_t last) {
    for (std::size_t i = first; i < last; ++i) {
      const auto at = std::upper_bound(first_key, last_key, key[i]) - first_key;
      out[i] = at ? value[at - 1] : NA_INTEGER;
    }
  });
  return result;
}

// [[Rcpp::export]]
SEXP limit_parts(Rcpp::IntegerVector ranks, int parts) {
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, ranks.size()));
  int* const out = INTEGER(result);
  const unsigned size = ranks.size() / parts, larger = ranks.size() % parts, in_larger = larger * (size + 1);
  for (R_xlen_t i = 0; i < ranks.size(); ++i) {
    const unsigned before = ranks[i] - 1;
    out[i] = 1 + (before < in_larger ? before / (size + 1) : larger + (before - in_larger) / size);
  }
  return result;
}

// Nothing but a copy: no task that reads and writes a column can take less.
// [[Rcpp::export]]
SEXP limit_copy(Rcpp::NumericVector x, int threads) {
  Rcpp::Shield<SEXP> result(new_vector(REALSXP, x.size()));
  double* const out = REAL(result);
  const double* from = x.begin();
  in_parts(x.size(), threads, [&](std::size_t first, std::size_t last) { std::copy(from + first, from + last, out + first); });
  return result;
}
