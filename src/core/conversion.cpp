// Conversions that R makes without a word: logical to integer to double, and numbers as conditions.

#include "fast.h"

#include "kernels.h"

namespace rowanroot {
namespace {

struct ToReal {
  static double apply(std::int32_t a) { return as_real(a); }
};
struct Same {
  static std::int32_t apply(std::int32_t a) { return a; }
  static double apply(double a) { return a; }
  static Text apply(Text a) { return a; }
};
struct ToLogical {
  static std::int32_t apply(std::int32_t a) { return a == missing_integer ? a : a != 0; }
  static std::int32_t apply(double a) { return a != a ? missing_integer : a != 0; }
};

}  // namespace

Operations conversion_operations() {
  using Int = std::int32_t;
  return {
      {"to_real", {Type::integer}, Type::real, unary_kernel<ToReal, double, Int>},
      {"to_real", {Type::logical}, Type::real, unary_kernel<ToReal, double, Int>},
      {"to_integer", {Type::logical}, Type::integer, unary_kernel<Same, Int, Int>},
      {"to_logical", {Type::integer}, Type::logical, unary_kernel<ToLogical, Int, Int>},
      {"to_logical", {Type::real}, Type::logical, unary_kernel<ToLogical, Int, double>},
      {"copy", {Type::logical}, Type::logical, unary_kernel<Same, Int, Int>},
      {"copy", {Type::integer}, Type::integer, unary_kernel<Same, Int, Int>},
      {"copy", {Type::real}, Type::real, unary_kernel<Same, double, double>},
      {"copy", {Type::text}, Type::text, unary_kernel<Same, Text, Text>},
  };
}

}  // namespace rowanroot
