// Keeps the values of a plain vector where a condition is TRUE.

#include <Rcpp.h>

#include "filter.h"

namespace {

template <class T>
void keep_into(SEXP condition, const T* from, T* to, R_xlen_t kept) {
  // One value more than is kept may be written: see keep_where().
  std::vector<T> room(kept + 1);
  rowanroot::keep_where(LOGICAL(condition), from, Rf_xlength(condition), room.data());
  std::copy(room.begin(), room.begin() + kept, to);
}

}  // namespace

// [[Rcpp::export]]
double count_true_cpp(Rcpp::LogicalVector condition) {
  return static_cast<double>(rowanroot::count_true(condition.begin(), condition.size()));
}

// [[Rcpp::export]]
SEXP keep_where_cpp(SEXP x, Rcpp::LogicalVector condition, double kept) {
  const R_xlen_t rows = static_cast<R_xlen_t>(kept);
  if (Rf_xlength(x) != condition.size()) Rcpp::stop("a condition has a value for each row");
  Rcpp::Shield<SEXP> result(Rf_allocVector(TYPEOF(x), rows));
  switch (TYPEOF(x)) {
    case LGLSXP: keep_into<int>(condition, LOGICAL(x), LOGICAL(result), rows); break;
    case INTSXP: keep_into<int>(condition, INTEGER(x), INTEGER(result), rows); break;
    case REALSXP: keep_into<double>(condition, REAL(x), REAL(result), rows); break;
    case STRSXP:
      for (R_xlen_t i = 0, to = 0; to < rows; ++i)
        if (condition[i] == 1) SET_STRING_ELT(result, to++, STRING_ELT(x, i));
      break;
    default: Rcpp::stop("the engine has no type for this vector");
  }
  return result;
}
