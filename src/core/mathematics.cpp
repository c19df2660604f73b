// Functions of one number. Not-a-number in gives the same not-a-number out, so that missing stays missing.

#include "fast.h"

#include <cmath>

#include "kernels.h"

namespace rowanroot {
namespace {

template <double (*function)(double)>
struct Real {
  static double apply(double a) { return a != a ? a : function(a); }
};

struct AbsoluteInteger {
  static std::int32_t apply(std::int32_t a) { return a < 0 && a != missing_integer ? -a : a; }
};

struct IsMissing {
  static std::int32_t apply(double a) { return a != a; }
  static std::int32_t apply(std::int32_t a) { return a == missing_integer; }
};

struct IsNotANumber {
  static std::int32_t apply(double a) {
    std::uint64_t bits;
    std::memcpy(&bits, &a, sizeof bits);
    return a != a && static_cast<std::uint32_t>(bits) != 1954;
  }
};

struct IsFinite {
  static std::int32_t apply(double a) { return std::isfinite(a); }
  static std::int32_t apply(std::int32_t a) { return a != missing_integer; }
};

void text_is_missing(Block& block) {
  const Text* a = static_cast<const Text*>(block.operand[0]);
  std::int32_t* result = static_cast<std::int32_t*>(block.result);
  for (std::size_t i = 0; i < block.rows; ++i) result[i] = a[i] == block.missing_text;
}

template <double (*function)(double)>
Operation real_function(const char* name) {
  return {name, {Type::real}, Type::real, unary_kernel<Real<function>, double, double>};
}

}  // namespace

Operations mathematics_operations() {
  using Int = std::int32_t;
  return {
      real_function<std::fabs>("absolute"),
      {"absolute", {Type::integer}, Type::integer, unary_kernel<AbsoluteInteger, Int, Int>},
      real_function<std::sqrt>("square_root"),
      real_function<std::exp>("exponential"),
      real_function<std::log>("logarithm"),
      real_function<std::floor>("floor"),
      real_function<std::ceil>("ceiling"),
      real_function<std::trunc>("truncate"),
      {"is_missing", {Type::real}, Type::logical, unary_kernel<IsMissing, Int, double>},
      {"is_missing", {Type::integer}, Type::logical, unary_kernel<IsMissing, Int, Int>},
      {"is_missing", {Type::text}, Type::logical, text_is_missing},
      {"is_not_a_number", {Type::real}, Type::logical, unary_kernel<IsNotANumber, Int, double>},
      {"is_finite", {Type::real}, Type::logical, unary_kernel<IsFinite, Int, double>},
      {"is_finite", {Type::integer}, Type::logical, unary_kernel<IsFinite, Int, Int>},
  };
}

}  // namespace rowanroot
