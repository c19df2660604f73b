#pragma once
// The first few rows of an order, in all or of each group, without putting the others in order.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "sort_keys.h"

namespace rowanroot {

// A column whose equal values make a group; null for one group of all rows.
struct GroupColumn {
  Type type = Type::integer;
  const void* values = nullptr;
};

// The `count` first rows of each group, and with `ties` those that are equal to the last of them. Rows where the first
// column is missing are none of them. Gives the rows group by group, as these first come, and each group's in order.
std::vector<std::int32_t> top_rows(const SortKeys& keys, std::size_t rows, std::size_t count, bool ties,
                                   const GroupColumn& groups, Workers threads);

}  // namespace rowanroot
