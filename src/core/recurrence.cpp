#include "fast.h"

#include "recurrence.h"

#include <cstring>
#include <stdexcept>
#include <string>

namespace rowanroot {
namespace {

// Two operations at most, on doubles, each on what has come of the row above and a column or a constant: most balances
// are that, and cost no more than the operations themselves.
struct Link {
  enum Kind { none, add, subtract, subtract_from, multiply, divide, divide_by } kind = none;
  const double* values = nullptr;
  std::size_t stride = 0;
};

template <Link::Kind kind>
inline double apply(double above, double value) {
  switch (kind) {
    case Link::add: return above + value;
    case Link::subtract: return above - value;
    case Link::subtract_from: return value - above;
    case Link::multiply: return above * value;
    case Link::divide: return above / value;
    case Link::divide_by: return value / above;
    default: return above;
  }
}

template <Link::Kind first, Link::Kind second>
void run_links(const Link* links, const std::vector<double>& starts, const Sequence& sequence, double* result) {
  const double *a = links[0].values, *b = links[1].values;
  const std::size_t a_stride = links[0].stride, b_stride = links[1].stride;
  const auto next = [=](double above, std::size_t row) {
    return apply<second>(apply<first>(above, a[row * a_stride]), second == Link::none ? 0 : b[row * b_stride]);
  };
  if (!sequence.order && !sequence.group_of_row) {
    double above = starts[0];
    sequence.each_place([&](std::size_t row) { result[row] = above = next(above, row); });
    return;
  }
  std::vector<double> above = starts;
  sequence.each([&](std::size_t row, std::size_t group) { result[row] = above[group] = next(above[group], row); });
}

template <Link::Kind first>
void run_second(const Link* links, const std::vector<double>& start, const Sequence& sequence, double* result) {
  switch (links[1].kind) {
    case Link::none: return run_links<first, Link::none>(links, start, sequence, result);
    case Link::add: return run_links<first, Link::add>(links, start, sequence, result);
    case Link::subtract: return run_links<first, Link::subtract>(links, start, sequence, result);
    case Link::subtract_from: return run_links<first, Link::subtract_from>(links, start, sequence, result);
    case Link::multiply: return run_links<first, Link::multiply>(links, start, sequence, result);
    case Link::divide: return run_links<first, Link::divide>(links, start, sequence, result);
    case Link::divide_by: return run_links<first, Link::divide_by>(links, start, sequence, result);
  }
}

void run_chain(const Link* links, const std::vector<double>& start, const Sequence& sequence, double* result) {
  switch (links[0].kind) {
    case Link::add: return run_second<Link::add>(links, start, sequence, result);
    case Link::subtract: return run_second<Link::subtract>(links, start, sequence, result);
    case Link::subtract_from: return run_second<Link::subtract_from>(links, start, sequence, result);
    case Link::multiply: return run_second<Link::multiply>(links, start, sequence, result);
    case Link::divide: return run_second<Link::divide>(links, start, sequence, result);
    default: return run_second<Link::divide_by>(links, start, sequence, result);
  }
}

}  // namespace

class Recurrence {
 public:
  Recurrence(const Program& program, int above, const Constant& start, const std::vector<const void*>& inputs,
             Text missing_text)
      : program_(program), above_(above), inputs_(inputs), registers_(program.registers_.size()) {
    if (program.outputs_.size() != 1 || program.output_type(0) != program.type_of(above) ||
        start.type != program.type_of(above))
      throw std::invalid_argument("a recurrence gives what it takes");
    std::memcpy(&start_, &start.real, width(start.type));
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

  // Whether the program is a chain of links; they are put in order.
  bool is_chain(Link* links) const {
    if (program_.steps_.size() > 2 || program_.steps_.empty()) return false;
    int dependent = above_;
    for (std::size_t s = 0; s < program_.steps_.size(); ++s) {
      const Program::Step& step = program_.steps_[s];
      if (step.operands.size() != 2 || (step.operands[0] == dependent) == (step.operands[1] == dependent)) return false;
      const bool left = step.operands[0] == dependent;
      const int other = step.operands[left ? 1 : 0];
      links[s].kind = kind_of(step.operation->name, left);
      if (links[s].kind == Link::none || program_.type_of(other) != Type::real || step.operation->result != Type::real)
        return false;
      const Program::Register& place = program_.registers_[other];
      if (place.source == Program::Source::operation) return false;
      links[s].stride = place.source == Program::Source::input;
      links[s].values = links[s].stride ? static_cast<const double*>(inputs_[place.index])
                                        : reinterpret_cast<const double*>(&registers_[other]);
      dependent = step.result;
    }
    return dependent == program_.outputs_[0];
  }

  // What each group begins with.
  std::vector<std::uint64_t> starts(std::size_t groups, const void* of_groups) const {
    std::vector<std::uint64_t> starts(groups, start_);
    const std::size_t size = width(program_.output_type(0));
    for (std::size_t g = 0; of_groups && g < groups; ++g)
      std::memcpy(&starts[g], static_cast<const unsigned char*>(of_groups) + g * size, size);
    return starts;
  }

  Overflow run(const Sequence& sequence, std::vector<std::uint64_t> above, void* result) {
    const std::size_t size = width(program_.output_type(0));
    const std::uint64_t* const output = &registers_[program_.outputs_[0]];
    Overflow overflow;
    sequence.each([&](std::size_t row, std::size_t group) {
      load(row, above[group]);
      for (std::size_t s = 0; s < blocks_.size(); ++s) {
        program_.steps_[s].operation->kernel(blocks_[s]);
        if (!blocks_[s].overflows) continue;
        overflow.first_row = overflow.rows ? std::min(overflow.first_row, row) : row;
        ++overflow.rows;
        blocks_[s].overflows = 0;
      }
      above[group] = *output;
      std::memcpy(static_cast<unsigned char*>(result) + row * size, output, size);
    });
    return overflow;
  }

 private:
  static Link::Kind kind_of(const std::string& name, bool left) {
    if (name == "add") return Link::add;
    if (name == "multiply") return Link::multiply;
    if (name == "subtract") return left ? Link::subtract : Link::subtract_from;
    if (name == "divide") return left ? Link::divide : Link::divide_by;
    return Link::none;
  }

  void load(std::size_t row, std::uint64_t above) {
    for (int number : program_.inputs_) {
      const Program::Register& place = program_.registers_[number];
      if (number == above_) {
        registers_[number] = above;
        continue;
      }
      const std::size_t size = width(place.type);
      std::memcpy(&registers_[number], static_cast<const unsigned char*>(inputs_[place.index]) + row * size, size);
    }
  }

  const Program& program_;
  const int above_;
  const std::vector<const void*>& inputs_;
  std::vector<std::uint64_t> registers_;
  std::vector<Block> blocks_;
  std::uint64_t start_ = 0;
};

Overflow run_recurrence(const Program& program, int above, const Constant& start, const void* group_starts,
                        const std::vector<const void*>& inputs, const Sequence& sequence, Text missing_text,
                        void* result) {
  Recurrence recurrence(program, above, start, inputs, missing_text);
  std::vector<std::uint64_t> starts = recurrence.starts(std::max<std::size_t>(sequence.groups, 1), group_starts);
  Link links[2];
  if (recurrence.is_chain(links)) {
    std::vector<double> reals(starts.size());
    std::memcpy(reals.data(), starts.data(), starts.size() * sizeof(double));
    run_chain(links, reals, sequence, static_cast<double*>(result));
    return {};
  }
  return recurrence.run(sequence, std::move(starts), result);
}

}  // namespace rowanroot
