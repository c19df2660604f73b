#include "fast.h"

#include "recurrence.h"

#include <cstring>
#include <stdexcept>
#include <string>

namespace rowanroot {
namespace {

// Two operations at most, on doubles, each on what has come of the row above and a column or a constant: most balances
// are that, and cost no more than the operations themselves.
struct ChainStep {
  enum Kind { none, add, subtract, subtract_from, multiply, divide, divide_by } kind = none;
  const double* values = nullptr;
  std::size_t stride = 0;
};

template <ChainStep::Kind kind>
inline double apply(double above, double value) {
  switch (kind) {
    case ChainStep::add: return above + value;
    case ChainStep::subtract: return above - value;
    case ChainStep::subtract_from: return value - above;
    case ChainStep::multiply: return above * value;
    case ChainStep::divide: return above / value;
    case ChainStep::divide_by: return value / above;
    default: return above;
  }
}

template <ChainStep::Kind first, ChainStep::Kind second>
void run_steps(const ChainStep* chain, const std::vector<double>& starts, const Sequence& sequence, double* result) {
  const double *a = chain[0].values, *b = chain[1].values;
  const std::size_t a_stride = chain[0].stride, b_stride = chain[1].stride;
  const auto next = [=](double above, std::size_t row) {
    return apply<second>(apply<first>(above, a[row * a_stride]), second == ChainStep::none ? 0 : b[row * b_stride]);
  };
  if (!sequence.order && !sequence.group_of_row) {
    double above = starts[0];
    sequence.each_place([&](std::size_t row) { result[row] = above = next(above, row); });
    return;
  }
  std::vector<double> above = starts;
  sequence.each([&](std::size_t row, std::size_t group) { result[row] = above[group] = next(above[group], row); });
}

template <ChainStep::Kind first>
void run_second(const ChainStep* chain, const std::vector<double>& start, const Sequence& sequence, double* result) {
  switch (chain[1].kind) {
    case ChainStep::none: return run_steps<first, ChainStep::none>(chain, start, sequence, result);
    case ChainStep::add: return run_steps<first, ChainStep::add>(chain, start, sequence, result);
    case ChainStep::subtract: return run_steps<first, ChainStep::subtract>(chain, start, sequence, result);
    case ChainStep::subtract_from: return run_steps<first, ChainStep::subtract_from>(chain, start, sequence, result);
    case ChainStep::multiply: return run_steps<first, ChainStep::multiply>(chain, start, sequence, result);
    case ChainStep::divide: return run_steps<first, ChainStep::divide>(chain, start, sequence, result);
    case ChainStep::divide_by: return run_steps<first, ChainStep::divide_by>(chain, start, sequence, result);
  }
}

void run_chain(const ChainStep* chain, const std::vector<double>& start, const Sequence& sequence, double* result) {
  switch (chain[0].kind) {
    case ChainStep::add: return run_second<ChainStep::add>(chain, start, sequence, result);
    case ChainStep::subtract: return run_second<ChainStep::subtract>(chain, start, sequence, result);
    case ChainStep::subtract_from: return run_second<ChainStep::subtract_from>(chain, start, sequence, result);
    case ChainStep::multiply: return run_second<ChainStep::multiply>(chain, start, sequence, result);
    case ChainStep::divide: return run_second<ChainStep::divide>(chain, start, sequence, result);
    default: return run_second<ChainStep::divide_by>(chain, start, sequence, result);
  }
}

}  // namespace

class Recurrence {
 public:
  Recurrence(const Program& program, const std::vector<Link>& links, const std::vector<const void*>& inputs,
             Text missing_text)
      : program_(program), links_(links), inputs_(inputs), registers_(program.registers_.size()) {
    for (const Link& link : links) {
      const Type type = program.output_type(link.output);
      if (type != program.type_of(link.above) || link.start.type != type)
        throw std::invalid_argument("a recurrence gives what it takes");
    }
    for (std::size_t k = 0; k < registers_.size(); ++k) {
      const Program::Register& one = program.registers_[k];
      if (one.source == Program::Source::constant)
        std::memcpy(&registers_[k], &program.constants_[one.index].real, width(one.type));
    }
    for (const Program::Step& step : program.steps_) {
      Block block;
      block.rows = 1;
      block.missing_text = missing_text;
      for (std::size_t k = 0; k < step.operands.size(); ++k) block.operand[k] = &registers_[step.operands[k]];
      if (step.wanted >= 0) block.wanted = reinterpret_cast<const std::int32_t*>(&registers_[step.wanted]);
      block.result = &registers_[step.result];
      blocks_.push_back(block);
    }
  }

  // Whether the program is a chain of two operations at most; they are put in order.
  bool is_chain(ChainStep* chain) const {
    if (links_.size() != 1 || program_.steps_.size() > 2 || program_.steps_.empty()) return false;
    int dependent = links_[0].above;
    for (std::size_t s = 0; s < program_.steps_.size(); ++s) {
      const Program::Step& step = program_.steps_[s];
      if (step.operands.size() != 2 || (step.operands[0] == dependent) == (step.operands[1] == dependent)) return false;
      const bool left = step.operands[0] == dependent;
      const int other = step.operands[left ? 1 : 0];
      chain[s].kind = kind_of(step.operation->name, left);
      if (chain[s].kind == ChainStep::none || program_.type_of(other) != Type::real ||
          step.operation->result != Type::real)
        return false;
      const Program::Register& place = program_.registers_[other];
      if (place.source == Program::Source::operation) return false;
      chain[s].stride = place.source == Program::Source::input;
      chain[s].values = chain[s].stride ? static_cast<const double*>(inputs_[place.index])
                                        : reinterpret_cast<const double*>(&registers_[other]);
      dependent = step.result;
    }
    return dependent == program_.outputs_[0];
  }

  // What each group begins with: for one group after the other the values of all links.
  std::vector<std::uint64_t> starts(std::size_t groups) const {
    const std::size_t count = links_.size();
    std::vector<std::uint64_t> starts(groups * count);
    for (std::size_t k = 0; k < count; ++k) {
      const std::size_t size = width(links_[k].start.type);
      const auto* const of_groups = static_cast<const unsigned char*>(links_[k].group_starts);
      for (std::size_t g = 0; g < groups; ++g)
        std::memcpy(&starts[g * count + k],
                    of_groups ? of_groups + g * size : reinterpret_cast<const unsigned char*>(&links_[k].start.real),
                    size);
    }
    return starts;
  }

  Overflow run(const Sequence& sequence, std::vector<std::uint64_t> above) {
    const std::size_t count = links_.size();
    std::vector<const std::uint64_t*> outputs;
    std::vector<std::size_t> sizes;
    for (std::size_t k = 0; k < count; ++k) {
      outputs.push_back(&registers_[program_.outputs_.at(links_[k].output)]);
      sizes.push_back(width(links_[k].start.type));
    }
    Overflow overflow;
    sequence.each([&](std::size_t row, std::size_t group) {
      std::uint64_t* const of_group = &above[group * count];
      load(row, of_group);
      calculate(row, overflow);
      for (std::size_t k = 0; k < count; ++k) {
        of_group[k] = *outputs[k];
        std::memcpy(static_cast<unsigned char*>(links_[k].result) + row * sizes[k], outputs[k], sizes[k]);
      }
    });
    return overflow;
  }

 private:
  static ChainStep::Kind kind_of(const std::string& name, bool left) {
    if (name == "add") return ChainStep::add;
    if (name == "multiply") return ChainStep::multiply;
    if (name == "subtract") return left ? ChainStep::subtract : ChainStep::subtract_from;
    if (name == "divide") return left ? ChainStep::divide : ChainStep::divide_by;
    return ChainStep::none;
  }

  void load(std::size_t row, const std::uint64_t* above) {
    for (int number : program_.inputs_) {
      const Program::Register& place = program_.registers_[number];
      const void* const values = inputs_[place.index];
      if (!values) continue;
      const std::size_t size = width(place.type);
      std::memcpy(&registers_[number], static_cast<const unsigned char*>(values) + row * size, size);
    }
    for (std::size_t k = 0; k < links_.size(); ++k) registers_[links_[k].above] = above[k];
  }

  void calculate(std::size_t row, Overflow& overflow) {
    for (std::size_t s = 0; s < blocks_.size(); ++s) {
      program_.steps_[s].operation->kernel(blocks_[s]);
      if (!blocks_[s].overflows) continue;
      overflow.first_row = overflow.rows ? std::min(overflow.first_row, row) : row;
      ++overflow.rows;
      blocks_[s].overflows = 0;
    }
  }

  const Program& program_;
  const std::vector<Link>& links_;
  const std::vector<const void*>& inputs_;
  std::vector<std::uint64_t> registers_;
  std::vector<Block> blocks_;
};

Overflow run_recurrence(const Program& program, const std::vector<Link>& links, const std::vector<const void*>& inputs,
                        const Sequence& sequence, Text missing_text) {
  Recurrence recurrence(program, links, inputs, missing_text);
  std::vector<std::uint64_t> starts = recurrence.starts(std::max<std::size_t>(sequence.groups, 1));
  ChainStep chain[2];
  if (recurrence.is_chain(chain)) {
    std::vector<double> reals(starts.size());
    std::memcpy(reals.data(), starts.data(), starts.size() * sizeof(double));
    run_chain(chain, reals, sequence, static_cast<double*>(links[0].result));
    return {};
  }
  return recurrence.run(sequence, std::move(starts));
}

}  // namespace rowanroot
