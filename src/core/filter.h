#pragma once
// Keeping the rows where a condition is TRUE: not FALSE, not missing.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "memory.h"
#include "rounds.h"
#include "values.h"

namespace rowanroot {

// The rows that a condition keeps, and how the work on them is shared out.
class Filter {
 public:
  Filter(const std::int32_t* condition, std::size_t rows, Workers threads);

  std::size_t kept() const { return pieces_.back().kept_before; }

  // Copies the values of the kept rows, closed up. Of few rows only these are looked at.
  void keep(Type type, const void* from, void* to) const;

 private:
  struct Piece {
    std::size_t first_row;
    std::size_t kept_before;
  };

  template <class T>
  void keep_values(const T* from, T* to) const;

  void find_few_rows();

  // A byte a row: what is read again for each column should be small.
  RowVector<std::uint8_t> keeps_;
  bool are_few_;
  RowVector<std::size_t> few_rows_;
  std::vector<Piece> pieces_;  // and a last one that has only the totals
  Workers threads_;
};

}  // namespace rowanroot
