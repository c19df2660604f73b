#pragma once
// A column that is written row by row.

#include <memory>
#include <vector>

#include "bind.h"
#include "deferred_strings.h"

namespace rowanroot {

// Its values, or the texts of the rows that were read last.
struct WrittenColumn {
  explicit WrittenColumn(SEXP column) : type(TYPEOF(column)) {
    if (type == STRSXP) reader = new_text_reader(column), texts.resize(text_batch);
    else values = address_of(column);
  }
  // One that comes from elsewhere.
  explicit WrittenColumn(int type) : type(type) {}

  // So many rows at once as a batch of texts has, at most.
  void read(R_xlen_t first, R_xlen_t count) {
    if (reader) reader->read(first, count, texts.data());
  }
  bool is_for_threads() const { return !reader || reader->is_for_threads(); }

  int type;
  const void* values = nullptr;
  std::unique_ptr<TextReader> reader;
  std::vector<TextBytes> texts;
};

}  // namespace rowanroot
