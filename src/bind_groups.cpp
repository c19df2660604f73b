// Groups of rows, and one value of many.

#include "aggregate.h"
#include "bind.h"
#include "groups.h"

using namespace rowanroot;

namespace {

template <class Vector>
Vector spread(const Vector& values, const Rcpp::IntegerVector& group_of_row) {
  Vector result(Rcpp::no_init(group_of_row.size()));
  for (R_xlen_t i = 0; i < group_of_row.size(); ++i) result[i] = values[group_of_row[i]];
  return result;
}

}  // namespace

// The group of each row, from 0, and how many rows each group has.
// [[Rcpp::export]]
Rcpp::List group_rows_cpp(Rcpp::List columns, double rows) {
  const std::size_t size = static_cast<std::size_t>(rows);
  Groups groups;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    SEXP column = columns[k];
    const Rcpp::RObject values = TYPEOF(column) == STRSXP ? with_comparable_texts(column) : Rcpp::RObject(column);
    groups = k == 0 ? group_by(type_of_vector(values), address_of(values), size)
                    : group_further(groups, type_of_vector(values), address_of(values), size);
  }
  Rcpp::IntegerVector of_row(groups.of_row.begin(), groups.of_row.end()), sizes(groups.count);
  for (std::int32_t group : groups.of_row) ++sizes[group];
  return Rcpp::List::create(Rcpp::Named("of_row") = of_row, Rcpp::Named("sizes") = sizes);
}

// [[Rcpp::export]]
double aggregate_cpp(std::string what, SEXP column, bool skip_missing, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  return aggregate(aggregate_of_name(what), type_of_vector(column), address_of(column), static_cast<std::size_t>(rows),
                   skip_missing, thread_count(rows, threads));
}

// The sum, the count and the sum of squares of distances from the mean, of the values that are numbers.
// [[Rcpp::export]]
Rcpp::NumericVector moments_cpp(SEXP column, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  const Moments found = moments(type_of_vector(column), address_of(column), static_cast<std::size_t>(rows), thread_count(rows, threads));
  return Rcpp::NumericVector::create(Rcpp::Named("sum") = found.sum, Rcpp::Named("known") = found.known,
                                     Rcpp::Named("squares") = found.squares);
}

// [[Rcpp::export]]
Rcpp::NumericVector aggregate_groups_cpp(std::string what, SEXP column, bool skip_missing,
                                         Rcpp::IntegerVector group_of_row, int groups) {
  const std::vector<double> values =
      aggregate_groups(aggregate_of_name(what), type_of_vector(column), address_of(column),
                       static_cast<std::size_t>(Rf_xlength(column)), skip_missing, group_of_row.begin(), groups);
  return Rcpp::NumericVector(values.begin(), values.end());
}

// The value of its group for each row.
// [[Rcpp::export]]
SEXP spread_groups_cpp(SEXP values, Rcpp::IntegerVector group_of_row) {
  switch (TYPEOF(values)) {
    case REALSXP: return spread(Rcpp::NumericVector(values), group_of_row);
    case INTSXP: return spread(Rcpp::IntegerVector(values), group_of_row);
    default: Rcpp::stop("the engine has no type for this vector");
  }
}

// How many rows of its group come before each row, and itself.
// [[Rcpp::export]]
Rcpp::IntegerVector number_in_group_cpp(Rcpp::IntegerVector group_of_row, int groups) {
  Rcpp::IntegerVector result(Rcpp::no_init(group_of_row.size()));
  std::vector<int> seen(groups, 0);
  for (R_xlen_t i = 0; i < group_of_row.size(); ++i) result[i] = ++seen[group_of_row[i]];
  return result;
}
