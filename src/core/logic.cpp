// Three-valued logic, and the choice between two values.

#include "fast.h"

#include "kernels.h"

namespace rowanroot {
namespace {

// Operands are 1, 0 or missing, so bits decide: any 0 makes "and" 0, any 1 makes "or" 1.
struct And {
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    if (a == 0 || b == 0) return 0;
    return a == missing_integer || b == missing_integer ? missing_integer : 1;
  }
};
struct Or {
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    if (a == 1 || b == 1) return 1;
    return a == missing_integer || b == missing_integer ? missing_integer : 0;
  }
};
struct ExclusiveOr {
  static std::int32_t apply(std::int32_t a, std::int32_t b) {
    return a == missing_integer || b == missing_integer ? missing_integer : a != b;
  }
};
struct Not {
  static std::int32_t apply(std::int32_t a) { return a == missing_integer ? a : !a; }
};

struct IsTrue {
  static std::int32_t apply(std::int32_t a) { return a == 1; }
};
struct IsFalse {
  static std::int32_t apply(std::int32_t a) { return a == 0; }
};

template <class T>
T missing_value(const Block&);
template <>
std::int32_t missing_value(const Block&) { return missing_integer; }
template <>
double missing_value(const Block&) { return missing_real(); }
template <>
Text missing_value(const Block& block) { return block.missing_text; }

// A condition that is missing gives missing. Both values are read whatever the condition is: so no branch is
// left that a processor could guess wrong.
template <class T>
ROWANROOT_WIDE void choose_kernel(Block& block) {
  const std::int32_t* condition = static_cast<const std::int32_t*>(block.operand[0]);
  const T* yes = static_cast<const T*>(block.operand[1]);
  const T* no = static_cast<const T*>(block.operand[2]);
  T* result = static_cast<T*>(block.result);
  const T missing = missing_value<T>(block);
  const std::size_t rows = block.rows;
#pragma GCC ivdep
  for (std::size_t i = 0; i < rows; ++i) {
    const T if_yes = yes[i], if_no = no[i];
    const T known = condition[i] == 0 ? if_no : if_yes;
    result[i] = condition[i] == missing_integer ? missing : known;
  }
}

Operation choose(Type type, Kernel kernel) {
  return {"choose", {Type::logical, type, type}, type, kernel};
}

// Rows where the condition is TRUE, among the wanted ones; rows where it is FALSE likewise. A missing
// condition wants neither branch.
struct WantYes {
  static std::int32_t apply(std::int32_t condition, std::int32_t wanted) { return condition == 1 && wanted == 1; }
};
struct WantNo {
  static std::int32_t apply(std::int32_t condition, std::int32_t wanted) { return condition == 0 && wanted == 1; }
};
struct WantNotNo {
  static std::int32_t apply(std::int32_t condition, std::int32_t wanted) { return condition != 0 && wanted == 1; }
};
struct WantNotYes {
  static std::int32_t apply(std::int32_t condition, std::int32_t wanted) { return condition != 1 && wanted == 1; }
};

}  // namespace

Operations logic_operations() {
  const Type logical = Type::logical;
  using Int = std::int32_t;
  return {
      {"and", {logical, logical}, logical, binary_kernel<And, Int, Int, Int>},
      {"or", {logical, logical}, logical, binary_kernel<Or, Int, Int, Int>},
      {"exclusive_or", {logical, logical}, logical, binary_kernel<ExclusiveOr, Int, Int, Int>},
      {"not", {logical}, logical, unary_kernel<Not, Int, Int>},
      {"is_true", {logical}, logical, unary_kernel<IsTrue, Int, Int>},
      {"is_false", {logical}, logical, unary_kernel<IsFalse, Int, Int>},
      {"want_yes", {logical, logical}, logical, binary_kernel<WantYes, Int, Int, Int>},
      {"want_no", {logical, logical}, logical, binary_kernel<WantNo, Int, Int, Int>},
      {"want_not_no", {logical, logical}, logical, binary_kernel<WantNotNo, Int, Int, Int>},
      {"want_not_yes", {logical, logical}, logical, binary_kernel<WantNotYes, Int, Int, Int>},
      choose(Type::logical, choose_kernel<Int>),
      choose(Type::integer, choose_kernel<Int>),
      choose(Type::real, choose_kernel<double>),
      choose(Type::text, choose_kernel<Text>),
  };
}

}  // namespace rowanroot
