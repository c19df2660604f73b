// Texts of some rows of a vector whose strings are yet to be made: they stay yet to be made.

#include <algorithm>
#include <limits>
#include <string>
#include <vector>

#include "bind.h"
#include "deferred_strings.h"
#include "mapped_vectors.h"
#include "memory.h"

SEXP texts_in_rows(SEXP column, const std::int32_t* rows, R_xlen_t count, int threads) {
  if (!are_deferred(column)) return R_NilValue;
  const std::size_t pages = static_cast<std::size_t>((count + texts_on_page - 1) / texts_on_page);
  Rcpp::Shield<SEXP> starts(new_vector(INTSXP, count)), sizes(new_vector(INTSXP, count));
  int* const start = INTEGER(starts);
  int* const size = INTEGER(sizes);
  rowanroot::Workers workers = thread_count(count, threads);
  std::vector<std::unique_ptr<TextReader>> readers;
  for (int k = 0; k < std::max<int>(workers, 1); ++k) readers.push_back(new_text_reader(column));
  if (!readers[0]->is_for_threads()) workers.threads = 1;
  std::vector<rowanroot::RowBytes> bytes(pages);
  rowanroot::run_pieces(pages, workers, [&](int worker, std::size_t page) {
    const R_xlen_t first = static_cast<R_xlen_t>(page) * texts_on_page;
    rowanroot::RowBytes& written = bytes[page];
    for (R_xlen_t i = first; i < std::min(first + texts_on_page, count); ++i) {
      TextBytes text = {nullptr, 0};
      if (rows[i] >= 0) readers[static_cast<std::size_t>(worker)]->read(rows[i], 1, &text);
      start[i] = static_cast<int>(std::min<std::size_t>(written.size(), std::numeric_limits<int>::max()));
      size[i] = text.bytes ? text.size : NA_INTEGER;
      if (text.bytes) written.append(text.bytes, static_cast<std::size_t>(text.size));
    }
  });
  for (const rowanroot::RowBytes& page : bytes)
    if (page.size() > static_cast<std::size_t>(std::numeric_limits<int>::max())) return R_NilValue;
  Rcpp::Shield<SEXP> raw(Rf_allocVector(VECSXP, static_cast<R_xlen_t>(pages)));
  for (std::size_t page = 0; page < pages; ++page)
    SET_VECTOR_ELT(raw, static_cast<R_xlen_t>(page), raw_of(std::move(bytes[page])));
  return new_written_texts(raw, starts, sizes);
}
