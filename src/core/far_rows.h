#pragma once
// Rows all over a column that does not fit in memory, brought together by where they lie: so that the column is read or
// written one stretch after the other, and not at one place after the other.

#include <cstddef>
#include <cstdint>

#include "memory.h"
#include "rounds.h"
#include "sorting.h"

namespace rowanroot {

class FarRows {
 public:
  // Rows from 0 of a column of `size` rows.
  FarRows(const std::int32_t* rows, std::size_t count, std::size_t size, Workers threads)
      : threads_(threads), buckets_(share_out<std::uint32_t>(
            count, (size >> stretch_bits) + 1, threads,
            [rows](std::size_t first, std::size_t last, std::uint16_t* bucket) {
              for (std::size_t i = first; i < last; ++i)
                bucket[i - first] = static_cast<std::uint16_t>(static_cast<std::uint32_t>(rows[i]) >> stretch_bits);
            },
            [rows](std::size_t first, std::size_t last, std::uint32_t* filled) {
              for (std::size_t i = first; i < last; ++i) filled[i - first] = static_cast<std::uint32_t>(rows[i]);
            })) {}

  // to[i] = from[rows[i]]
  template <class T>
  void fetch(const T* from, T* to) const {
    Buffer<T> together(buckets_.row_count);
    each_bucket([&](std::size_t k) { together[k] = from[buckets_.rows[k]]; });
    buckets_.bring_back(together.data(), to, threads_);
  }

  // to[rows[i]] = from[i]
  template <class T>
  void send(const T* from, T* to) const {
    Buffer<T> together(buckets_.row_count);
    buckets_.take_along(from, together.data(), threads_);
    each_bucket([&](std::size_t k) { to[buckets_.rows[k]] = together[k]; });
  }

 private:
  // A stretch of doubles fits in the nearer cache; of 2^31 rows there are as many stretches as buckets can be.
  static constexpr int stretch_bits = 16;

  template <class Work>
  void each_bucket(Work work) const {
    run_pieces(buckets_.count(), threads_, [&](int, std::size_t b) {
      for (std::size_t k = buckets_.starts[b]; k < buckets_.starts[b + 1]; ++k) work(k);
    });
  }

  Workers threads_;
  Buckets<std::uint32_t> buckets_;
};

}  // namespace rowanroot
