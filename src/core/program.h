#pragma once
// A program: operations over registers, run for one block of rows after the other. A register is a
// column that was handed in, a constant, or what an operation gave. Results of operations stay in the
// cache, unless they are asked for as an output: then they are written where the output lies.

#include <cstddef>
#include <cstdint>
#include <map>
#include <string>
#include <tuple>
#include <utility>
#include <vector>

#include "operations.h"
#include "rounds.h"

namespace rowanroot {

class Program {
 public:
  // Each gives the number of a register. What is there already is not made again: a part that several
  // formulas share is calculated once.
  int add_input(Type type);
  int add_constant(const Constant& value);
  // `wanted` is a logical register of the rows whose overflows count, or -1 for all rows. It matters only to
  // operations that count.
  int add_operation(const std::string& name, const std::vector<int>& operands, int wanted = -1);

  // Asks for what an operation gave. Gives the number of the output.
  int add_output(int register_number);

  Type type_of(int register_number) const { return registers_.at(register_number).type; }
  bool is_operation(int register_number) const { return registers_.at(register_number).source == Source::operation; }
  std::size_t output_count() const { return outputs_.size(); }
  Type output_type(int output) const { return type_of(outputs_.at(output)); }

 private:
  friend class Run;
  friend class Recurrence;

  enum class Source { input, constant, operation };
  struct Register {
    Source source;
    Type type;
    int index;        // among the inputs, constants or operations
    int output = -1;  // where it is asked for
  };
  struct Step {
    const Operation* operation;
    std::vector<int> operands;
    int wanted;
    int result;
  };

  int add_register(Source source, Type type, std::size_t index);

  std::vector<Register> registers_;
  std::vector<int> inputs_;
  std::vector<Constant> constants_;
  std::vector<Step> steps_;
  std::vector<int> outputs_;
  std::map<std::pair<Type, std::uint64_t>, int> known_constants_;
  std::map<std::tuple<std::string, std::vector<int>, int>, int> known_operations_;
};

// Rows of one operation (by its register) whose result did not fit its type.
struct Overflow {
  std::size_t rows = 0;
  std::size_t first_row = 0;
};

struct RunOptions {
  Schedule schedule;
  Text missing_text = nullptr;
};

// Runs a program over `rows` rows; `inputs` and `outputs` are whole columns. Gives the overflows by
// register.
std::vector<Overflow> run_program(const Program& program, const std::vector<const void*>& inputs,
                                  const std::vector<void*>& outputs, std::size_t rows, const RunOptions& options,
                                  const BetweenRounds& between);

}  // namespace rowanroot
