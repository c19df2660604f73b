// Where values are in another table, and rows that belong together.

#include <algorithm>
#include <limits>

#include "bind.h"
#include "deferred_strings.h"
#include "groups.h"
#include "matches.h"

using namespace rowanroot;

namespace {

void find_places(SEXP column, SEXP table, int threads, int* places) {
  const auto comparable = [](SEXP x) { return TYPEOF(x) == STRSXP ? with_comparable_texts(x) : Rcpp::RObject(x); };
  const Rcpp::RObject members = comparable(table);
  const R_xlen_t rows = Rf_xlength(column);
  const auto find = [&](SEXP values) {
    find_places(type_of_column(values), address_of(values), static_cast<std::size_t>(rows), address_of(members),
                static_cast<std::size_t>(Rf_xlength(members)), thread_count(rows, threads), places);
  };
  find(column);
  // What has another encoding is found only when it is translated.
  if (TYPEOF(column) != STRSXP || std::none_of(places, places + rows, [](int place) { return place == NA_INTEGER; }))
    return;
  const Rcpp::RObject values = comparable(column);
  if (values != column) find(values);
}

}  // namespace

// Whether each value is one of those of the table, a vector of the same type.
// [[Rcpp::export]]
SEXP find_members_cpp(SEXP column, SEXP table, int threads) {
  Rcpp::Shield<SEXP> found(new_vector(LGLSXP, Rf_xlength(column)));
  int* const is_member = LOGICAL(found);
  find_places(column, table, threads, is_member);
  for (R_xlen_t i = 0; i < Rf_xlength(column); ++i) is_member[i] = is_member[i] != NA_INTEGER;
  return found;
}

// Where the table, a vector of the same type, has each value first, from 1; NA if it does not.
// [[Rcpp::export]]
SEXP find_places_cpp(SEXP column, SEXP table, int threads) {
  Rcpp::Shield<SEXP> places(new_vector(INTSXP, Rf_xlength(column)));
  find_places(column, table, threads, INTEGER(places));
  return places;
}

// Rows of keys and of a table that belong together: `own`, from 0, or NULL where each row of the keys is in one pair,
// and `theirs`, from 1, NA for one that stays without a partner; NULL if there are more `pairs` than rows can be.
// `several` have more than one partner, as the `first` of them has `partners`; `left` are rows of the table, from 1,
// without any, if they are asked for.
// [[Rcpp::export]]
Rcpp::List match_rows_cpp(Rcpp::IntegerVector keys, Rcpp::IntegerVector table, bool unmatched_stay, bool want_left) {
  const Matches matches(keys.begin(), static_cast<std::size_t>(keys.size()), table.begin(),
                        static_cast<std::size_t>(table.size()));
  const double pairs = static_cast<double>(matches.pairs(unmatched_stay));
  const bool fit = pairs <= std::numeric_limits<std::int32_t>::max(), are_once = matches.are_once(unmatched_stay);
  const auto rows = [&](bool wanted) {
    return wanted ? new_vector(INTSXP, static_cast<R_xlen_t>(pairs)) : R_NilValue;
  };
  Rcpp::Shield<SEXP> own(rows(fit && !are_once)), theirs(rows(fit));
  if (fit) matches.fill(unmatched_stay, are_once ? nullptr : INTEGER(own), INTEGER(theirs));
  const std::vector<std::int32_t> none;
  return Rcpp::List::create(
      Rcpp::Named("pairs") = pairs, Rcpp::Named("own") = own, Rcpp::Named("theirs") = theirs,
      Rcpp::Named("several") = static_cast<double>(matches.several()),
      Rcpp::Named("first") = static_cast<double>(matches.first_of_several() + 1),
      Rcpp::Named("partners") = matches.several() ? matches.partners(matches.first_of_several()) : none,
      Rcpp::Named("left") = want_left ? matches.left() : none);
}

// A number for each pair of numbers from 1, the second of which are at most `count`.
// [[Rcpp::export]]
SEXP pair_numbers_cpp(Rcpp::IntegerVector first, Rcpp::IntegerVector second, int count) {
  Rcpp::Shield<SEXP> numbers(new_vector(REALSXP, first.size()));
  pair_numbers(first.begin(), second.begin(), static_cast<std::size_t>(first.size()), count, REAL(numbers));
  return numbers;
}
