#include "new_texts.h"

#include <algorithm>
#include <limits>
#include <stdexcept>

#include "bind.h"
#include "deferred_strings.h"
#include "mapped_vectors.h"

namespace rowanroot {
namespace {

// Of so many different texts at most, a quarter of the rows at most.
constexpr R_xlen_t most_numbered = 1 << 16, least_numbered = 64;

std::size_t most_of(R_xlen_t rows) {
  return static_cast<std::size_t>(std::max(least_numbered, std::min(most_numbered, rows / 4)));
}

}  // namespace

NewTexts::NewTexts(R_xlen_t rows) : rows_(rows), codes_(new_vector(INTSXP, rows)) {}

void NewTexts::add(std::string_view text) {
  if (is_numbered_) {
    codes_[row_] = all_.number(text);
    if (all_.texts().size() > most_of(rows_)) return write_what_was_numbered();
  } else {
    write(text);
  }
  ++row_;
}

void NewTexts::add_missing() {
  if (is_numbered_) codes_[row_] = NA_INTEGER;
  else write_missing();
  ++row_;
}

SEXP NewTexts::finish() {
  if (is_numbered_) return new_coded_texts(codes_, strings_of(all_.texts()));
  if (row_) end_page();
  return new_written_texts(pages_, starts_, sizes_);
}

void NewTexts::write(std::string_view text) {
  if (row_ && row_ % texts_on_page == 0) end_page();
  starts_[row_] = static_cast<int>(page_.size());
  sizes_[row_] = static_cast<int>(text.size());
  page_.append(text);
  if (page_.size() > static_cast<std::size_t>(std::numeric_limits<int>::max()))
    throw std::length_error("65,536 texts are longer than 2 GB");
}

void NewTexts::write_missing() {
  if (row_ && row_ % texts_on_page == 0) end_page();
  starts_[row_] = static_cast<int>(page_.size());
  sizes_[row_] = NA_INTEGER;
}

// The page of the rows before the next.
void NewTexts::end_page() {
  const std::size_t size = page_.size();
  SET_VECTOR_ELT(pages_, (row_ - 1) / texts_on_page, raw_of(std::move(page_)));
  page_ = RowBytes();
  // The next one is probably as long.
  if (row_ < rows_) page_.reserve(size + size / 32);
}

// That is all rows up to the next one, which is numbered already.
void NewTexts::write_what_was_numbered() {
  is_numbered_ = false;
  starts_ = new_vector(INTSXP, rows_);
  sizes_ = new_vector(INTSXP, rows_);
  pages_ = Rcpp::List((rows_ + texts_on_page - 1) / texts_on_page);
  const R_xlen_t end = row_ + 1;
  for (row_ = 0; row_ < end; ++row_) {
    if (codes_[row_] == NA_INTEGER) write_missing();
    else write(all_.texts()[static_cast<std::size_t>(codes_[row_]) - 1]);
  }
  codes_ = Rcpp::IntegerVector();
  all_ = TextNumbering();
}

}  // namespace rowanroot
