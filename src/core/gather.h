#pragma once
// The values of columns in another order of rows.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "rounds.h"
#include "values.h"

namespace rowanroot {

struct GatheredColumn {
  const void* from;
  void* to;
  std::size_t width;  // bytes of a value: 4 or 8
};

// to[i] = from[order[i]] for each column, i below `count`; the columns have `rows` rows.
void gather(const std::vector<GatheredColumn>& columns, std::size_t rows, const std::int32_t* order, std::size_t count,
            Workers threads);

// Numbers in these rows, counted from 1; missing where the row is.
void gather_known(Type type, const void* from, const std::int32_t* rows, std::size_t count, void* to, Workers threads);

}  // namespace rowanroot
