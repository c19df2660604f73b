#pragma once
// Ranks: the position of each row's value in the order of all values, or of its group's.

#include <cstddef>
#include <cstdint>

#include "sort_keys.h"

namespace rowanroot {

// Which of their ranks rows with equal values get.
enum class Ties { least, greatest, average, first, last, dense };

// Missing values have no rank, or come first or last, where each has a rank of its own in row order.
enum class MissingRank { keep, first, last };

struct RankOptions {
  bool descending = false;  // the greatest value has rank 1
  Ties ties = Ties::least;
  MissingRank missing = MissingRank::keep;
};

// `group_of_row` is null for one group of all rows. Results are whole numbers, but for the average of ties; a
// missing rank is a missing number.
void rank_rows(Type type, const void* values, std::size_t rows, const RankOptions& options,
               const std::int32_t* group_of_row, std::size_t groups, Workers threads, std::int32_t* ranks);
void rank_rows(Type type, const void* values, std::size_t rows, const RankOptions& options,
               const std::int32_t* group_of_row, std::size_t groups, Workers threads, double* ranks);

}  // namespace rowanroot
