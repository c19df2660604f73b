// Vectors whose strings are yet to be made, for R to make and to ask.

#include <algorithm>

#include "deferred_strings.h"
#include "new_texts.h"

// Whether strings of the vector are yet to be made; they will be in UTF-8.
// [[Rcpp::export]]
bool are_deferred_cpp(SEXP texts) { return are_deferred(texts); }

// Numbers from 1 into texts, as a vector of texts.
// [[Rcpp::export]]
SEXP coded_texts_cpp(Rcpp::IntegerVector codes, Rcpp::CharacterVector texts) { return new_coded_texts(codes, texts); }

// The different texts and each row's number, from 1, where a vector is made of these; else NULL.
// [[Rcpp::export]]
SEXP coded_parts_cpp(SEXP x) {
  const CodedTexts coded = coded_texts_of(x);
  if (!coded || XLENGTH(coded.texts) > XLENGTH(coded.codes)) return R_NilValue;
  return Rcpp::List::create(Rcpp::Named("texts") = coded.texts, Rcpp::Named("of_row") = coded.codes);
}

// Columns of texts in UTF-8, as long as the table or of one text, joined row by row when they are looked at.
// [[Rcpp::export]]
SEXP joined_texts_cpp(Rcpp::List columns, Rcpp::CharacterVector with, double rows) {
  return new_joined_texts(columns, with, static_cast<R_xlen_t>(rows));
}

// Strings in UTF-8 as a vector that makes them anew when they are used, so that R can forget these.
// [[Rcpp::export]]
SEXP packed_texts_cpp(Rcpp::CharacterVector strings) {
  const R_xlen_t rows = strings.size();
  rowanroot::NewTexts texts(rows);
  const auto reader = new_text_reader(strings);
  TextBytes some[text_batch];
  for (R_xlen_t first = 0; first < rows; first += text_batch) {
    const R_xlen_t count = std::min(text_batch, rows - first);
    reader->read(first, count, some);
    for (R_xlen_t k = 0; k < count; ++k) {
      if (some[k].bytes) texts.add({some[k].bytes, static_cast<std::size_t>(some[k].size)});
      else texts.add_missing();
    }
  }
  return texts.finish();
}
