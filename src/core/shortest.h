#pragma once
// The fewest decimal digits that read back as the same double.

#include <cstdint>

namespace rowanroot {

// The number `digits` times ten to the power of `exponent`; `digits` does not end with a nought.
struct Decimal {
  std::uint64_t digits;
  int exponent;
};

// Of a positive, finite number. Of all that have as few digits it is the one next to the number.
Decimal shortest_decimal(double value);

}  // namespace rowanroot
