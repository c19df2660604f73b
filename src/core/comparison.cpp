// Comparisons give logical: 1, 0 or missing. A missing or not-a-number operand gives missing.

#include "fast.h"

#include <cmath>
#include <functional>

#include "kernels.h"

namespace rowanroot {
namespace {

// Unlike !=, it is false where a value is not a number.
template <class T>
struct Differs {
  bool operator()(T a, T b) const { return a < b || a > b; }
};

template <class Relation>
struct Compare {
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    const bool known = a != missing_integer && b != missing_integer;
    return known ? Relation()(a, b) : missing_integer;
  }
  // The missing integer is the one of the highest bit alone. No branch: values come in any order.
  static std::int32_t apply(double a, double b) {
    const std::int32_t holds = Relation()(a, b) ? 1 : 0;
    const std::int32_t unknown = std::isunordered(a, b) ? missing_integer : 0;
    return holds | unknown;
  }
};

template <class Relation>
void text_kernel(Block& block) {
  const Text* a = static_cast<const Text*>(block.operand[0]);
  const Text* b = static_cast<const Text*>(block.operand[1]);
  std::int32_t* result = static_cast<std::int32_t*>(block.result);
  for (std::size_t i = 0; i < block.rows; ++i) {
    const bool known = a[i] != block.missing_text && b[i] != block.missing_text;
    result[i] = known ? Relation()(a[i], b[i]) : missing_integer;
  }
}

template <template <class> class Relation>
void add_relation(Operations& table, const char* name) {
  using Integers = Compare<Relation<std::int32_t>>;
  using Reals = Compare<Relation<double>>;
  table.push_back({name, {Type::integer, Type::integer}, Type::logical,
                   binary_kernel<Integers, std::int32_t, std::int32_t, std::int32_t>});
  table.push_back({name, {Type::real, Type::real}, Type::logical,
                   binary_kernel<Reals, std::int32_t, double, double>});
}

}  // namespace

Operations comparison_operations() {
  Operations table;
  add_relation<std::equal_to>(table, "equal");
  add_relation<Differs>(table, "not_equal");
  add_relation<std::less>(table, "less");
  add_relation<std::less_equal>(table, "at_most");
  add_relation<std::greater>(table, "greater");
  add_relation<std::greater_equal>(table, "at_least");
  table.push_back({"equal", {Type::text, Type::text}, Type::logical, text_kernel<std::equal_to<Text>>});
  table.push_back({"not_equal", {Type::text, Type::text}, Type::logical, text_kernel<std::not_equal_to<Text>>});
  return table;
}

}  // namespace rowanroot
