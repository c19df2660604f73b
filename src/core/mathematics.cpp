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

// Logarithms as R takes them: of 0 it is -Inf, of what is less no number.
double logarithm(double x) {
  return x > 0 ? std::log(x) : x == 0 ? -HUGE_VAL : std::numeric_limits<double>::quiet_NaN();
}
double logarithm_2(double x) { return x > 0 ? std::log2(x) : logarithm(x); }
double logarithm_10(double x) { return x > 0 ? std::log10(x) : logarithm(x); }

struct LogarithmToBase {
  static double apply(double x, double base) {
    if (x != x || base != base) return x + base;
    if (base == 10) return logarithm_10(x);
    if (base == 2) return logarithm_2(x);
    return logarithm(x) / logarithm(base);
  }
};

struct Angle {
  static double apply(double y, double x) { return y != y || x != x ? y + x : std::atan2(y, x); }
};

// Missing is stronger than not-a-number, whichever comes first.
double unknown_of(double a, double b) {
  return is_missing_real(a) || is_missing_real(b) ? missing_real() : std::numeric_limits<double>::quiet_NaN();
}

struct Lesser {
  static double apply(double a, double b) { return a != a || b != b ? unknown_of(a, b) : b < a ? b : a; }
  // What is missing is less than any integer.
  static std::int32_t apply(std::int32_t a, std::int32_t b) { return b < a ? b : a; }
};
struct Greater {
  static double apply(double a, double b) { return a != a || b != b ? unknown_of(a, b) : b > a ? b : a; }
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    return a == missing_integer || b == missing_integer ? missing_integer : b > a ? b : a;
  }
};

struct AbsoluteInteger {
  static std::int32_t apply(std::int32_t a) { return a < 0 && a != missing_integer ? -a : a; }
};

struct IsMissing {
  static std::int32_t apply(double a) { return a != a; }
  static std::int32_t apply(std::int32_t a) { return a == missing_integer; }
};

struct IsNotANumber {
  static std::int32_t apply(double a) { return a != a && !is_missing_real(a); }
};

struct IsFinite {
  static std::int32_t apply(double a) { return std::isfinite(a); }
  static std::int32_t apply(std::int32_t a) { return a != missing_integer; }
};

struct IsInfinite {
  static std::int32_t apply(double a) { return std::isinf(a); }
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

Operations of_real_numbers() {
  return {
      real_function<std::fabs>("absolute"),
      real_function<std::sqrt>("square_root"),
      real_function<std::exp>("exponential"),
      real_function<logarithm>("logarithm"),
      real_function<logarithm_2>("logarithm_2"),
      real_function<logarithm_10>("logarithm_10"),
      real_function<std::log1p>("logarithm_1_plus"),
      real_function<std::expm1>("exponential_minus_1"),
      real_function<std::sin>("sine"),
      real_function<std::cos>("cosine"),
      real_function<std::tan>("tangent"),
      real_function<std::asin>("arc_sine"),
      real_function<std::acos>("arc_cosine"),
      real_function<std::atan>("arc_tangent"),
      real_function<std::sinh>("hyperbolic_sine"),
      real_function<std::cosh>("hyperbolic_cosine"),
      real_function<std::tanh>("hyperbolic_tangent"),
      real_function<std::floor>("floor"),
      real_function<std::ceil>("ceiling"),
      real_function<std::trunc>("truncate"),
  };
}

Operations of_several_types() {
  using Int = std::int32_t;
  return {
      {"absolute", {Type::integer}, Type::integer, unary_kernel<AbsoluteInteger, Int, Int>},
      {"logarithm_to_base",
       {Type::real, Type::real},
       Type::real,
       binary_kernel<LogarithmToBase, double, double, double>},
      {"angle", {Type::real, Type::real}, Type::real, binary_kernel<Angle, double, double, double>},
      {"lesser_of", {Type::real, Type::real}, Type::real, binary_kernel<Lesser, double, double, double>},
      {"lesser_of", {Type::integer, Type::integer}, Type::integer, binary_kernel<Lesser, Int, Int, Int>},
      {"greater_of", {Type::real, Type::real}, Type::real, binary_kernel<Greater, double, double, double>},
      {"greater_of", {Type::integer, Type::integer}, Type::integer, binary_kernel<Greater, Int, Int, Int>},
      {"is_infinite", {Type::real}, Type::logical, unary_kernel<IsInfinite, Int, double>},
      {"is_missing", {Type::real}, Type::logical, unary_kernel<IsMissing, Int, double>},
      {"is_missing", {Type::integer}, Type::logical, unary_kernel<IsMissing, Int, Int>},
      {"is_missing", {Type::text}, Type::logical, text_is_missing},
      {"is_not_a_number", {Type::real}, Type::logical, unary_kernel<IsNotANumber, Int, double>},
      {"is_finite", {Type::real}, Type::logical, unary_kernel<IsFinite, Int, double>},
      {"is_finite", {Type::integer}, Type::logical, unary_kernel<IsFinite, Int, Int>},
  };
}

}  // namespace

Operations mathematics_operations() {
  Operations all = of_real_numbers();
  for (Operation& one : of_several_types()) all.push_back(std::move(one));
  return all;
}

}  // namespace rowanroot
