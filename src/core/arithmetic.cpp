// Arithmetic as R does it: integers give integers (or missing, counted, where they overflow), the rest
// doubles. Modulus and whole-number division follow R's arithmetic.c, long double steps included.

#include "fast.h"

#include <cfloat>
#include <cmath>

#include "kernels.h"

namespace rowanroot {
namespace {

struct Add {
  static double apply(double a, double b) { return a + b; }
  static bool overflows(std::int32_t a, std::int32_t b, std::int32_t* result) {
    return __builtin_add_overflow(a, b, result);
  }
};
struct Subtract {
  static double apply(double a, double b) { return a - b; }
  static bool overflows(std::int32_t a, std::int32_t b, std::int32_t* result) {
    return __builtin_sub_overflow(a, b, result);
  }
};
struct Multiply {
  static double apply(double a, double b) { return a * b; }
  static bool overflows(std::int32_t a, std::int32_t b, std::int32_t* result) {
    return __builtin_mul_overflow(a, b, result);
  }
};
struct Divide {
  static double apply(double a, double b) { return a / b; }
};

// Of two values the one that is known, or what `Function` makes of both.
struct AddKnown {
  static double apply(double a, double b) { return a != a ? b : b != b ? a : a + b; }
};
struct LesserKnown {
  static double apply(double a, double b) { return a != a ? b : b != b ? a : b < a ? b : a; }
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    return a == missing_integer ? b : b == missing_integer ? a : b < a ? b : a;
  }
};
struct GreaterKnown {
  static double apply(double a, double b) { return a != a ? b : b != b ? a : b > a ? b : a; }
  // What is missing is less than any integer.
  static std::int32_t apply(std::int32_t a, std::int32_t b) { return b > a ? b : a; }
};

template <class Function, bool known_is_enough = false>
void integer_kernel(Block& block) {
  const std::int32_t* a = static_cast<const std::int32_t*>(block.operand[0]);
  const std::int32_t* b = static_cast<const std::int32_t*>(block.operand[1]);
  std::int32_t* result = static_cast<std::int32_t*>(block.result);
  for (std::size_t i = 0; i < block.rows; ++i) {
    if (a[i] == missing_integer || b[i] == missing_integer) {
      result[i] = !known_is_enough ? missing_integer : a[i] == missing_integer ? b[i] : a[i];
      continue;
    }
    std::int32_t value;
    if (Function::overflows(a[i], b[i], &value) || value == missing_integer) {
      value = missing_integer;
      if (!block.wanted || block.wanted[i] == 1) {
        if (block.overflows++ == 0) block.first_overflow = i;
      }
    }
    result[i] = value;
  }
}

struct Power {
  static double apply(double x, double y) {
    if (y == 2.0) return x * x;
    if (x == 1.0 || y == 0.0) return 1.0;
    if (x == 0.0) {
      if (y > 0.0) return 0.0;
      return y < 0 ? HUGE_VAL : y;
    }
    if (std::isfinite(x) && std::isfinite(y)) return std::pow(x, y);
    if (std::isnan(x) || std::isnan(y)) return x + y;
    if (!std::isfinite(x)) {
      if (x > 0) return y < 0.0 ? 0.0 : HUGE_VAL;
      if (std::isfinite(y) && y == std::floor(y))
        return y < 0.0 ? 0.0 : (std::fmod(y, 2.0) != 0 ? x : -x);
    }
    if (!std::isfinite(y) && x >= 0) {
      if (y > 0) return x >= 1 ? HUGE_VAL : 0.0;
      return x < 1 ? HUGE_VAL : 0.0;
    }
    return std::numeric_limits<double>::quiet_NaN();
  }
};

struct Square {
  static double apply(double x) { return x * x; }
};

// Beyond the inverse of this a quotient has no digits left after the point.
constexpr double precision = LDBL_EPSILON;

struct Modulus {
  static double apply(double a, double b) {
    if (b == 0.0) return std::numeric_limits<double>::quiet_NaN();
    if (std::fabs(b) * precision > 1 && std::isfinite(a) && std::fabs(a) <= std::fabs(b)) {
      if (std::fabs(a) == std::fabs(b)) return 0;
      return (a < 0 && b > 0) || (b < 0 && a > 0) ? a + b : a;
    }
    const double quotient = a / b;
    const long double rest = static_cast<long double>(a) - std::floor(quotient) * static_cast<long double>(b);
    return static_cast<double>(rest - std::floor(rest / b) * b);
  }
};

struct WholeDivide {
  static double apply(double a, double b) {
    const double quotient = a / b;
    if (b == 0.0 || std::fabs(quotient) * precision > 1 || !std::isfinite(quotient)) return quotient;
    if (std::fabs(quotient) < 1)
      return quotient < 0 || (a < 0 && b > 0) || (a > 0 && b < 0) ? -1 : 0;
    const long double rest = static_cast<long double>(a) - std::floor(quotient) * static_cast<long double>(b);
    return static_cast<double>(std::floor(quotient) + std::floor(rest / b));
  }
};

struct IntegerModulus {
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    if (a == missing_integer || b == missing_integer || b == 0) return missing_integer;
    const std::int64_t rest = static_cast<std::int64_t>(a) % b;
    return static_cast<std::int32_t>(rest != 0 && (rest < 0) != (b < 0) ? rest + b : rest);
  }
};

struct IntegerWholeDivide {
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    if (a == missing_integer || b == missing_integer || b == 0) return missing_integer;
    return static_cast<std::int32_t>(std::floor(static_cast<double>(a) / static_cast<double>(b)));
  }
};

struct Negate {
  static double apply(double a) { return -a; }
  static std::int32_t apply(std::int32_t a) { return a == missing_integer ? a : -a; }
};

}  // namespace

Operations arithmetic_operations() {
  const Type integer = Type::integer, real = Type::real;
  return {
      {"add", {integer, integer}, integer, integer_kernel<Add>, true},
      {"add", {real, real}, real, binary_kernel<Add, double, double, double>},
      {"add_known", {integer, integer}, integer, integer_kernel<Add, true>, true},
      {"add_known", {real, real}, real, binary_kernel<AddKnown, double, double, double>},
      {"lesser_known",
       {integer, integer},
       integer,
       binary_kernel<LesserKnown, std::int32_t, std::int32_t, std::int32_t>},
      {"lesser_known", {real, real}, real, binary_kernel<LesserKnown, double, double, double>},
      {"greater_known",
       {integer, integer},
       integer,
       binary_kernel<GreaterKnown, std::int32_t, std::int32_t, std::int32_t>},
      {"greater_known", {real, real}, real, binary_kernel<GreaterKnown, double, double, double>},
      {"subtract", {integer, integer}, integer, integer_kernel<Subtract>, true},
      {"subtract", {real, real}, real, binary_kernel<Subtract, double, double, double>},
      {"multiply", {integer, integer}, integer, integer_kernel<Multiply>, true},
      {"multiply", {real, real}, real, binary_kernel<Multiply, double, double, double>},
      {"divide", {real, real}, real, binary_kernel<Divide, double, double, double>},
      {"power", {real, real}, real, binary_kernel<Power, double, double, double>},
      {"square", {real}, real, unary_kernel<Square, double, double>},
      {"modulus", {real, real}, real, binary_kernel<Modulus, double, double, double>},
      {"modulus", {integer, integer}, integer, binary_kernel<IntegerModulus, std::int32_t, std::int32_t, std::int32_t>},
      {"whole_divide", {real, real}, real, binary_kernel<WholeDivide, double, double, double>},
      {"whole_divide",
       {integer, integer},
       integer,
       binary_kernel<IntegerWholeDivide, std::int32_t, std::int32_t, std::int32_t>},
      {"negate", {real}, real, unary_kernel<Negate, double, double>},
      {"negate", {integer}, integer, unary_kernel<Negate, std::int32_t, std::int32_t>},
  };
}

}  // namespace rowanroot
