#pragma once
// R's strings of bytes, many at a time.

#include <Rcpp.h>

#include <cstdint>
#include <cstring>
#include <new>
#include <vector>

#include "deferred_strings.h"

// Makes R's strings of bytes and puts them where they are kept. Short ones that came before are not looked up again
// among all of R's. What will be needed is fetched from memory while other rows are worked on.
class StringMaker {
 public:
  StringMaker(SEXP kept, R_xlen_t expected) : kept_(kept) {
    constexpr std::size_t least = 1 << 10, most = 1 << 18;
    std::size_t size = least;
    while (size < static_cast<std::size_t>(expected) && size < most) size *= 2;
    if (expected < text_batch) return;
    try {
      known_.resize(size);
    } catch (const std::bad_alloc&) {
      // It is only quicker with them.
    }
  }

  // prepare(k) may fetch what a later row will need, while the k-th string is made.
  template <class Prepare>
  void make(const TextBytes* pieces, R_xlen_t first, R_xlen_t count, Prepare prepare) {
    Known* places[text_batch];
    Known wanted[text_batch];
    for (R_xlen_t k = 0; k < count; ++k) {
      places[k] = nullptr;
      if (!pieces[k].bytes || pieces[k].size > 16 || known_.empty()) continue;
      wanted[k] = Known(pieces[k]);
      places[k] = &known_[wanted[k].hash() & (known_.size() - 1)];
      __builtin_prefetch(places[k]);
    }
    SEXP found[text_batch];
    for (R_xlen_t k = 0; k < count; ++k) {
      prepare(k);
      found[k] = nullptr;
      if (!pieces[k].bytes) found[k] = NA_STRING;
      else if (places[k] && places[k]->is_same(wanted[k])) found[k] = places[k]->string;
      else add(pieces[k], first + k, places[k], wanted[k]);
      __builtin_prefetch(found[k]);
    }
    for (R_xlen_t k = 0; k < count; ++k)
      if (found[k]) SET_STRING_ELT(kept_, first + k, found[k]);
  }

 private:
  struct Known {
    std::uint64_t words[2] = {0, 0};
    int size = -1;
    SEXP string = nullptr;

    Known() = default;
    explicit Known(const TextBytes& piece) : size(piece.size) {
      std::memcpy(words, piece.bytes, static_cast<std::size_t>(piece.size));
    }
    std::size_t hash() const {
      const std::uint64_t mixed =
          (words[0] ^ (words[1] + static_cast<std::uint64_t>(size)) * 0xC2B2AE3D27D4EB4Full) * 0x9E3779B97F4A7C15ull;
      return static_cast<std::size_t>(mixed ^ mixed >> 32);
    }
    bool is_same(const Known& other) const {
      return words[0] == other.words[0] && words[1] == other.words[1] && size == other.size;
    }
  };

  // A new string is kept at once, since nothing else keeps it.
  void add(const TextBytes& piece, R_xlen_t row, Known* place, const Known& wanted) {
    SEXP made = Rf_mkCharLenCE(piece.bytes, piece.size, CE_UTF8);
    SET_STRING_ELT(kept_, row, made);
    if (!place) return;
    *place = wanted;
    place->string = made;
  }

  const SEXP kept_;
  std::vector<Known> known_;
};
