#include <algorithm>
#include <cmath>

#include "bind.h"
#include "dates.h"

// A part of each day (`units_per_day` 1) or moment in UTC (86400).
// [[Rcpp::export]]
SEXP date_part_cpp(Rcpp::NumericVector values, std::string part, double units_per_day) {
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, values.size()));
  rowanroot::date_parts(rowanroot::date_part_of_name(part), values.begin(), units_per_day,
                        static_cast<std::size_t>(values.size()), INTEGER(result));
  return result;
}

// The first day of each value's period, or its last.
// [[Rcpp::export]]
Rcpp::NumericVector period_days_cpp(Rcpp::NumericVector values, std::string period, bool last, double units_per_day) {
  Rcpp::NumericVector result(new_vector(REALSXP, values.size()));
  rowanroot::period_days(rowanroot::period_of_name(period), last, values.begin(), units_per_day,
                         static_cast<std::size_t>(values.size()), result.begin());
  return result;
}

// [[Rcpp::export]]
Rcpp::NumericVector add_months_cpp(Rcpp::NumericVector values, Rcpp::NumericVector months, double units_per_day) {
  Rcpp::NumericVector result(new_vector(REALSXP, values.size()));
  rowanroot::add_months(values.begin(), units_per_day, static_cast<std::size_t>(values.size()), months.begin(),
                        static_cast<std::size_t>(months.size()), result.begin());
  return result;
}

// [[Rcpp::export]]
Rcpp::NumericVector months_between_cpp(Rcpp::NumericVector from, Rcpp::NumericVector to, double units_per_day) {
  const R_xlen_t rows = from.size() == 1 ? to.size() : from.size();
  Rcpp::NumericVector result(new_vector(REALSXP, rows));
  rowanroot::months_between(from.begin(), static_cast<std::size_t>(from.size()), to.begin(),
                            static_cast<std::size_t>(to.size()), units_per_day, static_cast<std::size_t>(rows),
                            result.begin());
  return result;
}

// Of doubles how many are NaN, infinite, and zeros with a minus.
// [[Rcpp::export]]
Rcpp::NumericVector about_doubles_cpp(SEXP numbers) {
  double nan = 0, infinite = 0, negative_zeros = 0;
  const double* const values = REAL_RO(numbers);
  for (R_xlen_t i = 0; i < Rf_xlength(numbers); ++i) {
    nan += R_IsNaN(values[i]);
    infinite += std::isinf(values[i]);
    negative_zeros += values[i] == 0 && std::signbit(values[i]);
  }
  return Rcpp::NumericVector::create(Rcpp::Named("nan") = nan, Rcpp::Named("infinite") = infinite,
                                     Rcpp::Named("negative_zeros") = negative_zeros);
}

// Of a column of days how many are not whole, and between which they are; infinite ends where none is known.
// [[Rcpp::export]]
Rcpp::NumericVector about_days_cpp(SEXP days) {
  double parts = 0, least = R_PosInf, greatest = R_NegInf;
  const auto look = [&](double day) {
    parts += day != std::floor(day);
    least = std::min(least, day);
    greatest = std::max(greatest, day);
  };
  const R_xlen_t rows = Rf_xlength(days);
  if (TYPEOF(days) == INTSXP) {
    const int* const values = INTEGER_RO(days);
    for (R_xlen_t i = 0; i < rows; ++i)
      if (values[i] != NA_INTEGER) look(values[i]);
  } else {
    const double* const values = REAL_RO(days);
    for (R_xlen_t i = 0; i < rows; ++i)
      if (values[i] == values[i]) look(values[i]);
  }
  return Rcpp::NumericVector::create(Rcpp::Named("parts") = parts, Rcpp::Named("least") = least,
                                     Rcpp::Named("greatest") = greatest);
}
