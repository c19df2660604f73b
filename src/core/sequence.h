#pragma once
// Rows one after the other, group by group: the order in which they are visited, and the group that each is in.

#include <cstddef>
#include <cstdint>

namespace rowanroot {

struct Sequence {
  std::size_t rows = 0;
  const std::int32_t* order = nullptr;         // rows in their order; null if that is the one in which they lie
  const std::int32_t* group_of_row = nullptr;  // null for one group of all
  std::size_t groups = 1;

  // Calls visit(row, group) for each row.
  template <class Visit>
  void each(Visit visit) const {
    for (std::size_t i = 0; i < rows; ++i) {
      const std::size_t row = order ? static_cast<std::size_t>(order[i]) : i;
      visit(row, group_of_row ? static_cast<std::size_t>(group_of_row[row]) : 0);
    }
  }
};

}  // namespace rowanroot
