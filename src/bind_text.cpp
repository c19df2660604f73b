// Parts of texts.

#include <string>

#include "bind.h"
#include "texts.h"

using namespace rowanroot;

namespace {

constexpr R_xlen_t texts_between_looks = 1 << 16;

SEXP new_text(std::string_view text) { return Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8); }

std::string_view view(SEXP text) { return {CHAR(text), static_cast<std::size_t>(LENGTH(text))}; }

}  // namespace

// How many parts each text has; missing for a missing text. Texts are in UTF-8.
// [[Rcpp::export]]
Rcpp::IntegerVector count_parts_cpp(Rcpp::CharacterVector texts, std::string at) {
  Rcpp::IntegerVector counts(texts.size());
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    if (i % texts_between_looks == 0) Rcpp::checkUserInterrupt();
    SEXP text = STRING_ELT(texts, i);
    counts[i] = text == NA_STRING ? NA_INTEGER : static_cast<int>(each_part(view(text), at, 0, [](std::size_t, std::string_view) {}));
  }
  return counts;
}

// The first parts of each text, one vector for each; missing where there are not so many. The last goes on to the end
// of the text with `rest`.
// [[Rcpp::export]]
Rcpp::List split_texts_cpp(Rcpp::CharacterVector texts, std::string at, int parts, bool rest) {
  Rcpp::List columns(parts);
  for (int k = 0; k < parts; ++k) columns[k] = Rcpp::CharacterVector(texts.size(), NA_STRING);
  // One more part than is wanted ends the last one that is.
  const std::size_t most = static_cast<std::size_t>(parts) + !rest;
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    if (i % texts_between_looks == 0) Rcpp::checkUserInterrupt();
    SEXP text = STRING_ELT(texts, i);
    if (text == NA_STRING) continue;
    each_part(view(text), at, most, [&](std::size_t k, std::string_view part) {
      if (k < static_cast<std::size_t>(parts)) SET_STRING_ELT(columns[static_cast<R_xlen_t>(k)], i, new_text(part));
    });
  }
  return columns;
}
