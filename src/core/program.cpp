#include "program.h"

#include <algorithm>
#include <memory>
#include <mutex>
#include <stdexcept>

namespace rowanroot {

int Program::add_register(Source source, Type type, std::size_t index) {
  registers_.push_back({source, type, static_cast<int>(index)});
  return static_cast<int>(registers_.size()) - 1;
}

int Program::add_input(Type type) {
  const int number = add_register(Source::input, type, inputs_.size());
  inputs_.push_back(number);
  return number;
}

int Program::add_constant(const Constant& value) {
  std::uint64_t bits = 0;
  std::memcpy(&bits, &value.real, width(value.type));
  const auto known = known_constants_.find({value.type, bits});
  if (known != known_constants_.end()) return known->second;
  const int number = add_register(Source::constant, value.type, constants_.size());
  constants_.push_back(value);
  known_constants_.emplace(std::make_pair(value.type, bits), number);
  return number;
}

int Program::add_operation(const std::string& name, const std::vector<int>& operands, int wanted) {
  std::vector<Type> types;
  for (int operand : operands) types.push_back(type_of(operand));
  const Operation& operation = find_operation(name, types);
  if (!operation.counts) wanted = -1;
  if (wanted >= 0 && type_of(wanted) != Type::logical) throw std::invalid_argument("`wanted` must be logical");
  auto key = std::make_tuple(name, operands, wanted);
  const auto known = known_operations_.find(key);
  if (known != known_operations_.end()) return known->second;
  const int number = add_register(Source::operation, operation.result, steps_.size());
  steps_.push_back({&operation, operands, wanted, number});
  known_operations_.emplace(std::move(key), number);
  return number;
}

int Program::add_output(int register_number) {
  Register& wanted = registers_.at(register_number);
  if (wanted.source != Source::operation) throw std::invalid_argument("an output must be the result of an operation");
  if (wanted.output < 0) {
    wanted.output = static_cast<int>(outputs_.size());
    outputs_.push_back(register_number);
  }
  return wanted.output;
}

// One run of a program: which scratch buffer each register uses, and each worker's buffers.
class Run {
 public:
  Run(const Program& program, const std::vector<const void*>& inputs, const std::vector<void*>& outputs,
      std::size_t rows, const RunOptions& options)
      : program_(program), inputs_(inputs), outputs_(outputs), rows_(rows), options_(options) {
    if (inputs.size() != program.inputs_.size() || outputs.size() != program.outputs_.size())
      throw std::invalid_argument("a program runs on as many columns as it was made for");
    place_results();
    overflows_.resize(program.registers_.size());
  }

  std::vector<Overflow> go(const BetweenRounds& between) {
    std::vector<std::unique_ptr<Worker>> workers(std::max(options_.schedule.threads, 1));
    for (auto& worker : workers) worker = std::make_unique<Worker>(*this);
    run_rounds(
        rows_, options_.schedule,
        [&](int worker, std::size_t first, std::size_t last) { do_block(*workers[worker], first, last); }, between);
    return overflows_;
  }

 private:
  // A worker's own memory: a buffer for each scratch slot, and one for each constant, filled once.
  struct Worker {
    explicit Worker(const Run& run)
        : block_rows(std::min(run.options_.schedule.block_rows, std::max<std::size_t>(run.rows_, 1))) {
      const std::size_t bytes = block_rows * sizeof(double);
      memory = std::make_unique<unsigned char[]>(bytes * (run.slots_ + run.program_.constants_.size()) + alignment);
      const auto start = reinterpret_cast<std::uintptr_t>(memory.get());
      base = memory.get() + (alignment - start % alignment) % alignment;
      for (std::size_t c = 0; c < run.program_.constants_.size(); ++c)
        fill(slot(run.slots_ + c), run.program_.constants_[c]);
    }

    void* slot(std::size_t number) const { return base + number * block_rows * sizeof(double); }

    void fill(void* to, const Constant& value) const {
      switch (value.type) {
        case Type::real: std::fill_n(static_cast<double*>(to), block_rows, value.real); break;
        case Type::text: std::fill_n(static_cast<Text*>(to), block_rows, value.text); break;
        default: std::fill_n(static_cast<std::int32_t*>(to), block_rows, value.integer);
      }
    }

    static constexpr std::size_t alignment = 64;
    std::size_t block_rows;
    std::unique_ptr<unsigned char[]> memory;
    unsigned char* base;
  };

  // Gives every result that is not an output a slot, and a slot back when its last reader has run. A result
  // may take an operand's slot if both have the same width.
  void place_results() {
    const auto& steps = program_.steps_;
    std::vector<std::size_t> last_reader(program_.registers_.size(), 0);
    for (std::size_t s = 0; s < steps.size(); ++s) {
      for (int operand : steps[s].operands) last_reader[operand] = s;
      if (steps[s].wanted >= 0) last_reader[steps[s].wanted] = s;
    }
    slot_of_.assign(program_.registers_.size(), -1);
    std::vector<int> free;
    for (std::size_t s = 0; s < steps.size(); ++s) {
      std::vector<int> read = steps[s].operands;
      if (steps[s].wanted >= 0) read.push_back(steps[s].wanted);
      std::sort(read.begin(), read.end());
      read.erase(std::unique(read.begin(), read.end()), read.end());
      const std::size_t result_width = width(program_.type_of(steps[s].result));
      std::vector<int> later;
      for (int operand : read)
        if (slot_of_[operand] >= 0 && last_reader[operand] == s) {
          const bool reusable = width(program_.type_of(operand)) == result_width;
          (reusable ? free : later).push_back(slot_of_[operand]);
        }
      if (program_.registers_[steps[s].result].output < 0) {
        if (free.empty()) free.push_back(static_cast<int>(slots_++));
        slot_of_[steps[s].result] = free.back();
        free.pop_back();
      }
      free.insert(free.end(), later.begin(), later.end());
    }
  }

  void* output_address(int output, std::size_t first) const {
    return static_cast<unsigned char*>(outputs_[output]) + first * width(program_.output_type(output));
  }

  const void* address(const Worker& worker, int number, std::size_t first) const {
    const Program::Register& place = program_.registers_[number];
    switch (place.source) {
      case Program::Source::input:
        return static_cast<const unsigned char*>(inputs_[place.index]) + first * width(place.type);
      case Program::Source::constant: return worker.slot(slots_ + place.index);
      case Program::Source::operation: break;
    }
    return place.output >= 0 ? output_address(place.output, first) : worker.slot(slot_of_[number]);
  }

  void do_block(const Worker& worker, std::size_t first, std::size_t last) {
    for (const Program::Step& step : program_.steps_) {
      Block block;
      block.rows = last - first;
      block.missing_text = options_.missing_text;
      for (std::size_t k = 0; k < step.operands.size(); ++k)
        block.operand[k] = address(worker, step.operands[k], first);
      if (step.wanted >= 0) block.wanted = static_cast<const std::int32_t*>(address(worker, step.wanted, first));
      block.result = const_cast<void*>(address(worker, step.result, first));
      step.operation->kernel(block);
      if (block.overflows) count_overflows(step.result, block, first);
    }
  }

  void count_overflows(int number, const Block& block, std::size_t first) {
    std::lock_guard<std::mutex> hold(mutex_);
    Overflow& overflow = overflows_[number];
    const std::size_t row = first + block.first_overflow;
    overflow.first_row = overflow.rows ? std::min(overflow.first_row, row) : row;
    overflow.rows += block.overflows;
  }

  const Program& program_;
  const std::vector<const void*>& inputs_;
  const std::vector<void*>& outputs_;
  const std::size_t rows_;
  const RunOptions& options_;
  std::vector<int> slot_of_;
  std::size_t slots_ = 0;
  std::mutex mutex_;
  std::vector<Overflow> overflows_;
};

std::vector<Overflow> run_program(const Program& program, const std::vector<const void*>& inputs,
                                  const std::vector<void*>& outputs, std::size_t rows, const RunOptions& options,
                                  const BetweenRounds& between) {
  return Run(program, inputs, outputs, rows, options).go(between);
}

}  // namespace rowanroot
