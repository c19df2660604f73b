#pragma once
// Texts that come one after the other, as a vector whose strings are made when they are used.

#include <Rcpp.h>

#include <string_view>

#include "memory.h"
#include "text_numbering.h"

namespace rowanroot {

// Texts are numbered as long as few of them differ; if more do, they are written on pages.
class NewTexts {
 public:
  explicit NewTexts(R_xlen_t rows);

  void add(std::string_view text);
  void add_missing();
  // The vector, once all rows have come.
  SEXP finish();

 private:
  void write(std::string_view text);
  void write_missing();
  void end_page();
  void write_what_was_numbered();

  const R_xlen_t rows_;
  R_xlen_t row_ = 0;  // the next
  bool is_numbered_ = true;
  TextNumbering all_;
  Rcpp::IntegerVector codes_, starts_, sizes_;
  Rcpp::List pages_;
  RowBytes page_;
};

}  // namespace rowanroot
