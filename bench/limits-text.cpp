// Text tasks written by hand, for nothing else: what the engine's time is compared with.
#include <Rcpp.h>

#include <cstring>
#include <string_view>
#include <unordered_map>
#include <vector>

namespace {

// The different strings by address, and which of them each row has.
struct Dictionary {
  std::vector<SEXP> texts;
  std::vector<int> of_row;

  explicit Dictionary(Rcpp::CharacterVector x) : of_row(static_cast<std::size_t>(x.size())), table_(1 << 20, -1) {
    const SEXP* t = STRING_PTR_RO(x);
    for (std::size_t i = 0; i < of_row.size(); ++i) {
      std::size_t place = (reinterpret_cast<std::uintptr_t>(t[i]) >> 3) * 0x9E3779B97F4A7C15ull >> 44;
      while (table_[place] >= 0 && texts[static_cast<std::size_t>(table_[place])] != t[i]) place = (place + 1) & ((1 << 20) - 1);
      if (table_[place] < 0) table_[place] = static_cast<int>(texts.size()), texts.push_back(t[i]);
      of_row[i] = table_[place];
    }
  }

 private:
  std::vector<int> table_;
};

template <class Put>
void split_three(SEXP text, Put put) {
  const char* from = CHAR(text);
  const char* const end = from + LENGTH(text);
  for (int k = 0; k < 3; ++k) {
    const char* to = k < 2 ? static_cast<const char*>(std::memchr(from, '-', static_cast<std::size_t>(end - from))) : end;
    put(k, text == NA_STRING ? NA_STRING : Rf_mkCharLenCE(from, static_cast<int>((to ? to : end) - from), CE_UTF8));
    from = to ? to + 1 : end;
  }
}

}  // namespace

// [[Rcpp::export]]
Rcpp::List limit_split_few(Rcpp::CharacterVector x) {
  const Dictionary dictionary(x);
  Rcpp::List result(3);
  Rcpp::CharacterVector parts[3];
  for (int k = 0; k < 3; ++k) {
    parts[k] = Rcpp::CharacterVector(static_cast<R_xlen_t>(dictionary.texts.size()));
    result[k] = Rf_allocVector(STRSXP, x.size());
  }
  for (std::size_t d = 0; d < dictionary.texts.size(); ++d)
    split_three(dictionary.texts[d], [&](int k, SEXP part) { SET_STRING_ELT(parts[k], static_cast<R_xlen_t>(d), part); });
  for (int k = 0; k < 3; ++k) {
    const SEXP* from = STRING_PTR_RO(parts[k]);
    SEXP* to = const_cast<SEXP*>(STRING_PTR_RO(VECTOR_ELT(result, k)));
    for (std::size_t i = 0; i < dictionary.of_row.size(); ++i) to[i] = from[dictionary.of_row[i]];
  }
  return result;
}

// [[Rcpp::export]]
Rcpp::List limit_split_many(Rcpp::CharacterVector x) {
  Rcpp::List result(3);
  for (int k = 0; k < 3; ++k) result[k] = Rf_allocVector(STRSXP, x.size());
  for (R_xlen_t i = 0; i < x.size(); ++i)
    split_three(STRING_ELT(x, i), [&](int k, SEXP part) { SET_STRING_ELT(VECTOR_ELT(result, k), i, part); });
  return result;
}

// [[Rcpp::export]]
Rcpp::List limit_join_few(Rcpp::CharacterVector a, Rcpp::CharacterVector b) {
  const Dictionary first(a), last(b);
  const std::size_t lasts = last.texts.size();
  std::vector<SEXP> joined(first.texts.size() * lasts, nullptr);
  Rcpp::CharacterVector result(a.size());
  char text[512];
  for (std::size_t i = 0; i < first.of_row.size(); ++i) {
    SEXP& known = joined[static_cast<std::size_t>(first.of_row[i]) * lasts + static_cast<std::size_t>(last.of_row[i])];
    if (!known) {
      SEXP x = first.texts[static_cast<std::size_t>(first.of_row[i])], y = last.texts[static_cast<std::size_t>(last.of_row[i])];
      std::memcpy(text, CHAR(x), static_cast<std::size_t>(LENGTH(x)));
      text[LENGTH(x)] = ' ';
      std::memcpy(text + LENGTH(x) + 1, CHAR(y), static_cast<std::size_t>(LENGTH(y)));
      known = Rf_mkCharLenCE(text, LENGTH(x) + 1 + LENGTH(y), CE_UTF8);
    }
    SET_STRING_ELT(result, static_cast<R_xlen_t>(i), known);
  }
  return Rcpp::List::create(result);
}

// Two columns by a text, and two by a whole number.
// [[Rcpp::export]]
Rcpp::List limit_look_up(Rcpp::CharacterVector apiary, Rcpp::IntegerVector hive, Rcpp::CharacterVector keys, Rcpp::CharacterVector region,
                         Rcpp::NumericVector altitude, Rcpp::IntegerVector numbers, Rcpp::CharacterVector breed, Rcpp::IntegerVector year) {
  const R_xlen_t n = apiary.size();
  constexpr std::size_t places = 4096;
  std::vector<std::pair<SEXP, int>> table(places, {nullptr, -1});
  const auto place_of = [&](SEXP text) {
    std::size_t place = (reinterpret_cast<std::uintptr_t>(text) >> 3) * 0x9E3779B97F4A7C15ull >> 52;
    while (table[place].first && table[place].first != text) place = (place + 1) & (places - 1);
    return place;
  };
  for (R_xlen_t k = 0; k < keys.size(); ++k) table[place_of(keys[k])] = {keys[k], static_cast<int>(k)};
  std::vector<int> row_of(static_cast<std::size_t>(Rcpp::max(numbers)) + 1, -1);
  for (R_xlen_t k = 0; k < numbers.size(); ++k) row_of[static_cast<std::size_t>(numbers[k])] = static_cast<int>(k);
  Rcpp::Shield<SEXP> regions(Rf_allocVector(STRSXP, n)), altitudes(Rf_allocVector(REALSXP, n)), breeds(Rf_allocVector(STRSXP, n)), years(Rf_allocVector(INTSXP, n));
  SEXP* const to_region = const_cast<SEXP*>(STRING_PTR_RO(regions));
  SEXP* const to_breed = const_cast<SEXP*>(STRING_PTR_RO(breeds));
  const SEXP* const text = STRING_PTR_RO(apiary);
  const SEXP* const from_region = STRING_PTR_RO(region);
  const SEXP* const from_breed = STRING_PTR_RO(breed);
  for (R_xlen_t i = 0; i < n; ++i) {
    const int at = table[place_of(text[i])].second, by_hive = row_of[static_cast<std::size_t>(hive[i])];
    to_region[i] = from_region[at];
    REAL(altitudes)[i] = altitude[at];
    to_breed[i] = from_breed[by_hive];
    INTEGER(years)[i] = year[by_hive];
  }
  return Rcpp::List::create(static_cast<SEXP>(regions), static_cast<SEXP>(altitudes), static_cast<SEXP>(breeds), static_cast<SEXP>(years));
}
