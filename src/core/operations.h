#pragma once
// The operations that a program is made of. An operation is one entry in a table: its name, the types
// it takes, the type it gives, and a kernel that does one block of rows.

#include <cstddef>
#include <initializer_list>
#include <string>
#include <vector>

#include "values.h"

namespace rowanroot {

// What one kernel call works on: the operands, each a block of `rows` values, and where the result
// goes. The result may lie where an operand lies: kernels read a row before they write it.
struct Block {
  const void* operand[3] = {nullptr, nullptr, nullptr};
  // Rows whose result is used; null if all are. Only kernels that count need to look.
  const std::int32_t* wanted = nullptr;
  void* result = nullptr;
  std::size_t rows = 0;
  Text missing_text = nullptr;
  // Rows where the result did not fit the type and became missing.
  std::size_t overflows = 0;
  // The first of them, within this block.
  std::size_t first_overflow = 0;
};

using Kernel = void (*)(Block&);

struct Operation {
  std::string name;
  std::vector<Type> operands;
  Type result;
  Kernel kernel;
  bool counts = false;
};

using Operations = std::vector<Operation>;

// The operation of this name for these operands. Throws std::invalid_argument if there is none.
const Operation& find_operation(const std::string& name, const std::vector<Type>& operands);

// The parts of the table, a file each.
Operations arithmetic_operations();
Operations comparison_operations();
Operations logic_operations();
Operations mathematics_operations();
Operations conversion_operations();
Operations rounding_operations();

}  // namespace rowanroot
