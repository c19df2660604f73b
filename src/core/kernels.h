#pragma once
// Loops that turn a function of one row into a kernel for a block of rows. A result may lie exactly
// where an operand lies, which no row but its own sees: hence `ivdep`. A kernel does one operation, so
// there is nothing that a compiler could contract into a fused multiply-add with another last bit.

#include "fast.h"
#include "operations.h"

namespace rowanroot {

template <class Function, class Result, class A>
ROWANROOT_WIDE void unary_kernel(Block& block) {
  const A* a = static_cast<const A*>(block.operand[0]);
  Result* result = static_cast<Result*>(block.result);
  const std::size_t rows = block.rows;
#pragma GCC ivdep
  for (std::size_t i = 0; i < rows; ++i) result[i] = Function::apply(a[i]);
}

template <class Function, class Result, class A, class B>
ROWANROOT_WIDE void binary_kernel(Block& block) {
  const A* a = static_cast<const A*>(block.operand[0]);
  const B* b = static_cast<const B*>(block.operand[1]);
  Result* result = static_cast<Result*>(block.result);
  const std::size_t rows = block.rows;
#pragma GCC ivdep
  for (std::size_t i = 0; i < rows; ++i) result[i] = Function::apply(a[i], b[i]);
}

}  // namespace rowanroot
