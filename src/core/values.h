#pragma once
// The values that formulas work on. Memory layout and missing values are R's, so that columns are
// used where they lie: nothing is converted at the border.

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <limits>

namespace rowanroot {

// Long integers, of 64 bits, are grouped and ordered; no operation calculates with them.
enum class Type : std::uint8_t { logical, integer, real, text, long_integer };

// A text is the address of an interned string: equal addresses are equal texts.
using Text = const void*;

inline constexpr std::int32_t missing_integer = std::numeric_limits<std::int32_t>::min();

inline constexpr std::int64_t missing_long_integer = std::numeric_limits<std::int64_t>::min();

// R's NA_real_ is the NaN with 1954 in its lower word; other NaNs are not "missing" but "not a number".
inline constexpr std::uint64_t missing_bits = 0x7FF00000000007A2ull;

inline double missing_real() {
  double value;
  std::memcpy(&value, &missing_bits, sizeof value);
  return value;
}

inline double as_real(double value) { return value; }
inline double as_real(std::int32_t value) { return value == missing_integer ? missing_real() : value; }

inline std::uint64_t bits_of(double value) {
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  return bits;
}

inline bool is_missing_real(double value) {
  return value != value && static_cast<std::uint32_t>(bits_of(value)) == static_cast<std::uint32_t>(missing_bits);
}

static_assert(sizeof(Text) == sizeof(double), "texts and numbers share registers");

inline std::size_t width(Type type) {
  return type == Type::logical || type == Type::integer ? sizeof(std::int32_t) : sizeof(double);
}

// One value for every row.
struct Constant {
  Type type = Type::logical;
  union {
    std::int32_t integer;
    double real;
    Text text;
  };

  static Constant of_logical(std::int32_t value) { Constant c; c.type = Type::logical; c.integer = value; return c; }
  static Constant of_integer(std::int32_t value) { Constant c; c.type = Type::integer; c.integer = value; return c; }
  static Constant of_real(double value) { Constant c; c.type = Type::real; c.real = value; return c; }
  static Constant of_text(Text value) { Constant c; c.type = Type::text; c.text = value; return c; }

 private:
  Constant() : real(0) {}
};

}  // namespace rowanroot
