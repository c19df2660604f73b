#pragma once
// Rows with equal values, as groups. Groups are numbered from 0 in the order in which they first appear.

#include <cstddef>
#include <cstdint>
#include <functional>
#include <limits>
#include <vector>

#include "memory.h"
#include "rounds.h"
#include "values.h"

namespace rowanroot {

// Groups by one column: the group of each row. Missing values are a group, and so are those that are not a number.
// Gives how many groups there are.
std::size_t group_by(Type type, const void* column, std::size_t rows, Workers threads, std::int32_t* of_row);

// The same, if there are at most so many groups; else 0, and nothing is said of the rows.
std::size_t group_few(Type type, const void* column, std::size_t rows, std::size_t most, Workers threads,
                      std::int32_t* of_row);

// The least and the greatest of whole numbers that are not missing; the least is the greater one if there are none.
struct Extent {
  std::int32_t low = std::numeric_limits<std::int32_t>::max(), high = missing_integer;
  bool has_missing = false;

  std::size_t range() const {
    return high < low ? 0 : static_cast<std::size_t>(static_cast<std::int64_t>(high) - low + 1);
  }
  // Whether these are groups as they are: none is missing, and none below 0.
  bool are_groups() const { return range() && low >= 0 && !has_missing; }
};
Extent extent_of(const std::int32_t* values, std::size_t rows, Workers threads);

// Groups of whole numbers of an extent, numbered by their value: some may have no rows. Missing ones are the last
// group, behind as many as the extent's range.
void group_by_value(const std::int32_t* values, std::size_t rows, const Extent& extent, Workers threads,
                    std::int32_t* of_row);

// Whether there are likely to be few groups, by the rows of a sample that are equal to others of it; or have the same
// key as others.
bool seem_few(Type type, const void* column, std::size_t rows, std::size_t most);
bool seem_few(const std::function<std::uint64_t(std::size_t row)>& key_of_row, std::size_t rows, std::size_t most);

// Groups by one more column: rows are together if they were before, and have equal values here. Both groups may lie in
// the same place.
std::size_t group_further(const std::int32_t* of_row, Type type, const void* column, std::size_t rows, Workers threads,
                          std::int32_t* new_of_row);

// Where a table of the same type has each value first, from 1, or a missing number if it does not; missing values are
// equal to missing ones.
void find_places(Type type, const void* column, std::size_t rows, const void* table, std::size_t size, Workers threads,
                 std::int32_t* places);

// How many different values each group has; a missing one is none, nor is one that is not a number.
RowVector<std::int32_t> count_distinct(const std::int32_t* group_of_row, std::size_t groups, Type type,
                                       const void* column, std::size_t rows, Text missing_text, Workers threads);

RowVector<std::int32_t> group_sizes(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups,
                                    Workers threads);

// Of groups of which some have no rows, those that have, in the order of their first rows.
struct PresentGroups {
  RowVector<std::int32_t> place, first, sizes;
};
PresentGroups present_groups(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups, Workers threads);

// The row in which each group begins, or ends.
RowVector<std::int32_t> first_rows(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups);
RowVector<std::int32_t> last_rows(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups);

}  // namespace rowanroot
