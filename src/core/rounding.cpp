// Rounding to decimal digits, as R 4 does it: of the two neighbours with so many digits the nearer, and of
// equally near ones the even. The steps are those of R's fround.c and fprec.c, so that the last bit is R's.

#include "fast.h"

#include <cfloat>
#include <cmath>

#include "kernels.h"

namespace rowanroot {
namespace {

constexpr int greatest_exponent = DBL_MAX_10_EXP;
constexpr double log10_of_2 = 0.301029995663981195;

double power_of_ten(int exponent) {
  double power = 1, factor = 10;
  for (int left = exponent < 0 ? -exponent : exponent; left; left >>= 1, factor *= factor)
    if (left & 1) power *= factor;
  return exponent < 0 ? 1 / power : power;
}

double round_positive(double x, int digits) {
  if (log10_of_2 * (0.5 + std::logb(x)) + digits > DBL_DIG) return x;
  // Two factors, as a power of ten beyond the greatest double would be needed for the smallest numbers.
  const double power = power_of_ten(digits <= greatest_exponent ? digits : greatest_exponent);
  const double more = digits <= greatest_exponent ? 1 : power_of_ten(digits - greatest_exponent);
  const double scaled = x * power * more, whole = std::floor(scaled);
  const double down = whole / power / more, up = std::ceil(scaled) / power / more;
  const double above = up - x, below = x - down;
  return above < below || (std::fmod(whole, 2.0) == 1 && above == below) ? up : down;
}

struct Round {
  static double apply(double x, double digits) {
    if (x != x || digits != digits) return x + digits;
    if (!std::isfinite(x) || digits > greatest_exponent + DBL_DIG || x == 0) return x;
    if (digits < -greatest_exponent) return 0;
    if (digits == 0) return std::nearbyint(x);
    const int whole_digits = static_cast<int>(std::floor(digits + 0.5));
    return x < 0 ? -round_positive(-x, whole_digits) : round_positive(x, whole_digits);
  }
};

double significant_positive(double x, int digits) {
  constexpr int most_digits = 22;
  const double magnitude = std::log10(x);
  int exponent = static_cast<int>(digits - 1 - std::floor(magnitude));
  if (std::fabs(magnitude) < greatest_exponent - 2) {
    if (exponent <= 0) {
      const double power = power_of_ten(-exponent);
      return std::nearbyint(x / power) * power;
    }
    double more = 1;
    if (exponent > greatest_exponent) {
      more = power_of_ten(exponent - greatest_exponent);
      exponent = greatest_exponent;
    }
    const double power = power_of_ten(exponent);
    return std::nearbyint((x * power) * more) / power / more;
  }
  const bool rounds = greatest_exponent - magnitude >= power_of_ten(-digits);
  const int part = digits + (exponent > 0 ? 1 : -1) * most_digits;
  const double first = power_of_ten(part), second = power_of_ten(exponent - part);
  const double scaled = x * first * second + (rounds ? 0.5 : 0);
  return std::floor(scaled) / first / second;
}

struct Significant {
  static double apply(double x, double digits) {
    if (x != x || digits != digits) return x + digits;
    if (!std::isfinite(x) || x == 0) return x;
    if (!std::isfinite(digits)) {
      if (digits > 0) return x;
      digits = 1;
    }
    const double rounded = std::round(digits);
    if (rounded > 22) return x;
    const int whole_digits = rounded < 1 ? 1 : static_cast<int>(rounded);
    return x < 0 ? -significant_positive(-x, whole_digits) : significant_positive(x, whole_digits);
  }
};

}  // namespace

Operations rounding_operations() {
  const Type real = Type::real;
  return {
      {"round", {real, real}, real, binary_kernel<Round, double, double, double>},
      {"round_significant", {real, real}, real, binary_kernel<Significant, double, double, double>},
  };
}

}  // namespace rowanroot
