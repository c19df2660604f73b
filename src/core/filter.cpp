#include "fast.h"

#include "filter.h"

#include <algorithm>
#include <cstring>

#include "rounds.h"

namespace rowanroot {
namespace {

constexpr std::size_t piece_rows = 1 << 16;
// Of one row in so many, or fewer, it takes less time to go to each than to read all.
constexpr std::size_t few_of = 16;

}  // namespace

Filter::Filter(const std::int32_t* condition, std::size_t rows, Workers threads) : keeps_(rows), threads_(threads) {
  const std::size_t pieces = (rows + piece_rows - 1) / piece_rows;
  std::vector<std::size_t> counts(pieces);
  run_pieces(pieces, threads, [&](int, std::size_t piece) {
    const std::size_t last = std::min(rows, (piece + 1) * piece_rows);
    std::uint32_t count = 0;
    for (std::size_t i = piece * piece_rows; i < last; ++i) {
      keeps_[i] = condition[i] == 1;
      count += keeps_[i];
    }
    counts[piece] = count;
  });
  std::size_t kept = 0;
  for (std::size_t piece = 0; piece < pieces; ++piece) {
    pieces_.push_back({piece * piece_rows, kept});
    kept += counts[piece];
  }
  pieces_.push_back({rows, kept});
  are_few_ = kept < rows / few_of;
  if (are_few_) find_few_rows();
}

void Filter::find_few_rows() {
  few_rows_.resize(kept());
  run_pieces(pieces_.size() - 1, threads_, [&](int, std::size_t piece) {
    const std::uint8_t* const first = keeps_.data();
    const std::uint8_t* at = first + pieces_[piece].first_row;
    const std::uint8_t* const end = first + pieces_[piece + 1].first_row;
    for (std::size_t k = pieces_[piece].kept_before; k < pieces_[piece + 1].kept_before; ++k, ++at) {
      at = static_cast<const std::uint8_t*>(std::memchr(at, 1, static_cast<std::size_t>(end - at)));
      few_rows_[k] = static_cast<std::size_t>(at - first);
    }
  });
}

// Every value is written, and only a kept one moves the position on: no branch to mispredict. It ends with
// the last kept one, so nothing is written past the piece's own part of the result.
template <class T>
void Filter::keep_values(const T* from, T* to) const {
  if (are_few_) {
    for (const std::size_t row : few_rows_) *to++ = from[row];
    return;
  }
  const std::size_t pieces = pieces_.size() - 1;
  run_pieces(pieces, threads_, [&](int, std::size_t piece) {
    const T* value = from + pieces_[piece].first_row;
    const std::uint8_t* keeps = keeps_.data() + pieces_[piece].first_row;
    T* place = to + pieces_[piece].kept_before;
    T* const end = to + pieces_[piece + 1].kept_before;
    while (place < end) {
      *place = *value++;
      place += *keeps++;
    }
  });
}

void Filter::keep(Type type, const void* from, void* to) const {
  switch (type) {
    case Type::real: return keep_values(static_cast<const double*>(from), static_cast<double*>(to));
    case Type::text: return keep_values(static_cast<const Text*>(from), static_cast<Text*>(to));
    default: return keep_values(static_cast<const std::int32_t*>(from), static_cast<std::int32_t*>(to));
  }
}

}  // namespace rowanroot
