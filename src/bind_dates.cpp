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
