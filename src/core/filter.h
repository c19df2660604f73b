#pragma once
// Keeping the rows where a condition is TRUE.

#include <cstddef>
#include <cstdint>

namespace rowanroot {

// How many of the conditions are TRUE: not FALSE, not missing.
inline std::size_t count_true(const std::int32_t* condition, std::size_t rows) {
  std::size_t count = 0;
  for (std::size_t i = 0; i < rows; ++i) count += condition[i] == 1;
  return count;
}

// Copies the values where the condition is TRUE, closed up. `to` needs room for one value more than
// there are TRUE conditions: every value is written, and only the wanted ones move the place on.
template <class T>
void keep_where(const std::int32_t* condition, const T* from, std::size_t rows, T* to) {
  for (std::size_t i = 0; i < rows; ++i) {
    *to = from[i];
    to += condition[i] == 1;
  }
}

}  // namespace rowanroot
