#pragma once
// Which rows of two tables belong together.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "memory.h"

namespace rowanroot {

// Of rows whose keys have numbers from 1, equal ones the same; those with a missing number belong to none.
class Matches {
 public:
  Matches(const std::int32_t* keys, std::size_t rows, const std::int32_t* table, std::size_t table_rows);

  // How many pairs there are, with one for a row of the keys that has no partner if such rows stay.
  std::size_t pairs(bool unmatched_stay) const { return pairs_ + (unmatched_stay ? unmatched_ : 0); }
  // Whether each row of the keys is in one pair.
  bool are_once(bool unmatched_stay) const { return several_ == 0 && (unmatched_stay || unmatched_ == 0); }
  // How many rows of the keys have several partners, and the first of them.
  std::size_t several() const { return several_; }
  std::size_t first_of_several() const { return first_of_several_; }
  // The row of the keys, from 0, and that of the table, from 1, in each pair. `own` may be null.
  void fill(bool unmatched_stay, std::int32_t* own, std::int32_t* theirs) const;
  // The partners of a row, from 1.
  std::vector<std::int32_t> partners(std::size_t row) const;
  // Rows of the table, from 1, that have no partner.
  std::vector<std::int32_t> left() const;

 private:
  std::size_t count(std::size_t row) const {
    const std::size_t key = static_cast<std::size_t>(keys_[row]);
    return keys_[row] > 0 && key + 1 < starts_.size() ? starts_[key + 1] - starts_[key] : 0;
  }

  const std::int32_t *keys_, *table_;
  std::size_t rows_, table_rows_, pairs_ = 0, unmatched_ = 0, several_ = 0, first_of_several_ = 0;
  std::vector<std::size_t> starts_;  // of each number, among the rows of the table by their numbers
  Buffer<std::int32_t> by_number_;
};

// A number for each pair of numbers from 1, the second of which are at most `count`; missing if either is.
void pair_numbers(const std::int32_t* first, const std::int32_t* second, std::size_t rows, std::int32_t count,
                  double* numbers);

}  // namespace rowanroot
