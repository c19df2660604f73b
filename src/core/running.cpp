#include "fast.h"

#include "running.h"

#include <algorithm>
#include <atomic>
#include <vector>

#include "memory.h"
#include "names.h"

namespace rowanroot {
namespace {

bool is_missing(double value) { return value != value; }
bool is_missing(std::int32_t value) { return value == missing_integer; }
bool is_missing(std::int64_t value) { return value == missing_long_integer; }
double as_missing(double value) { return value; }  // a missing value, or NaN
template <class Whole>
double as_missing(Whole) { return missing_real(); }

// Each has what a group begins with, how a value is taken in, and what has come of `count` values so far.
struct Total {
  using State = long double;
  static State start() { return 0; }
  static void take(State& state, double value) { state += value; }
  static double result(const State& state, std::int64_t) { return static_cast<double>(state); }
};
struct Mean : Total {
  static double result(const State& state, std::int64_t count) {
    return count ? static_cast<double>(state / count) : missing_real();
  }
};
struct Count {
  using State = char;
  static State start() { return 0; }
  static void take(State&, double) {}
  static double result(const State&, std::int64_t count) { return static_cast<double>(count); }
};
struct Product {
  using State = long double;
  static State start() { return 1; }
  static void take(State& state, double value) { state *= value; }
  static double result(const State& state, std::int64_t) { return static_cast<double>(state); }
};
template <bool least>
struct Extreme {
  using State = double;
  static State start() {
    return least ? std::numeric_limits<double>::infinity() : -std::numeric_limits<double>::infinity();
  }
  static void take(State& state, double value) { state = least ? std::min(state, value) : std::max(state, value); }
  static double result(const State& state, std::int64_t count) { return count ? state : missing_real(); }
};

template <class Word, class T>
void run(AtMissing at_missing, const T* values, const Sequence& sequence, RunningState& so_far, double* result) {
  struct Group {
    typename Word::State state = Word::start();
    std::int64_t count = 0;
    double stopped = 0;  // the missing value that stopped it, if any
  };
  std::vector<Group>& groups = so_far.groups(sequence.groups, Group());
  sequence.each_value(values, result, [&](std::size_t, std::size_t g, T value, double& here) {
    Group& group = groups[g];
    if (!is_missing(value) && group.stopped == 0) {
      Word::take(group.state, static_cast<double>(value));
      ++group.count;
      here = Word::result(group.state, group.count);
    } else if (at_missing == AtMissing::skip) {
      here = as_missing(value);
    } else if (at_missing == AtMissing::carry) {
      here = Word::result(group.state, group.count);
    } else {
      if (group.stopped == 0) group.stopped = as_missing(value);
      here = group.stopped;
    }
  });
}

// The most usual case needs no more than a sum for each group.
template <class T>
void totals_without_missing(const T* values, const Sequence& sequence, RunningState& so_far, double* result) {
  std::vector<long double>& totals = so_far.groups<long double>(sequence.groups, 0);
  sequence.each_value(values, result, [&](std::size_t, std::size_t group, T value, double& here) {
    if (is_missing(value)) {
      here = as_missing(value);
      return;
    }
    totals[group] += value;
    here = static_cast<double>(totals[group]);
  });
}

template <class T>
void run(Running what, AtMissing at_missing, const T* values, const Sequence& sequence, RunningState& so_far,
         double* result) {
  switch (what) {
    case Running::total:
      if (at_missing == AtMissing::skip) return totals_without_missing(values, sequence, so_far, result);
      return run<Total>(at_missing, values, sequence, so_far, result);
    case Running::mean: return run<Mean>(at_missing, values, sequence, so_far, result);
    case Running::count: return run<Count>(at_missing, values, sequence, so_far, result);
    case Running::least: return run<Extreme<true>>(at_missing, values, sequence, so_far, result);
    case Running::greatest: return run<Extreme<false>>(at_missing, values, sequence, so_far, result);
    case Running::product: return run<Product>(at_missing, values, sequence, so_far, result);
  }
}

}  // namespace

Running running_of_name(const std::string& name) {
  static const char* const names[] = {"total", "mean", "count", "least", "greatest", "product"};
  return kind_of_name<Running>(names, name);
}

AtMissing at_missing_of_name(const std::string& name) {
  static const char* const names[] = {"skip", "carry", "stop"};
  return kind_of_name<AtMissing>(names, name);
}

void running(Running what, AtMissing at_missing, Type type, const void* values, const Sequence& sequence,
             RunningState& so_far, double* result) {
  if (type == Type::real) run(what, at_missing, static_cast<const double*>(values), sequence, so_far, result);
  else if (type == Type::long_integer)
    run(what, at_missing, static_cast<const std::int64_t*>(values), sequence, so_far, result);
  else run(what, at_missing, static_cast<const std::int32_t*>(values), sequence, so_far, result);
}

template <class T>
std::size_t running_integers(Running what, AtMissing at_missing, const T* values, const Sequence& sequence,
                             RunningState& so_far, T* result) {
  constexpr T missing = std::numeric_limits<T>::min();
  struct Group {
    T state = 0;
    std::int64_t count = 0;
    bool stopped = false;
  };
  std::vector<Group>& groups = so_far.groups(sequence.groups, Group());
  std::atomic<std::size_t> first_overflow{sequence.rows};
  sequence.each_value(values, result, [&](std::size_t row, std::size_t g, T value, T& here) {
    Group& group = groups[g];
    const bool known = value != missing;
    if (!known && at_missing == AtMissing::stop) group.stopped = true;
    if (group.stopped || (!known && at_missing == AtMissing::skip)) {
      here = missing;
      return;
    }
    bool fits = true;
    if (known) {
      ++group.count;
      if (what == Running::total) fits = !__builtin_add_overflow(group.state, value, &group.state);
      else if (group.count == 1) group.state = value;
      else group.state = what == Running::least ? std::min(group.state, value) : std::max(group.state, value);
    }
    if (what == Running::total && (!fits || group.state == missing)) {
      group.stopped = true;
      here = missing;
      std::size_t first = first_overflow;
      while (row < first && !first_overflow.compare_exchange_weak(first, row)) {}
    } else if (what == Running::count) {
      here = static_cast<T>(group.count);
    } else {
      here = group.count || what == Running::total ? group.state : missing;
    }
  });
  return first_overflow;
}

template std::size_t running_integers(Running, AtMissing, const std::int32_t*, const Sequence&, RunningState&,
                                      std::int32_t*);
template std::size_t running_integers(Running, AtMissing, const std::int64_t*, const Sequence&, RunningState&,
                                      std::int64_t*);

void neighbours(const Sequence& sequence, std::int64_t by, std::int32_t* rows) {
  const std::size_t distance = static_cast<std::size_t>(by < 0 ? -by : by);
  std::fill_n(rows, sequence.rows, -1);
  if (distance == 0 || distance >= std::max<std::size_t>(sequence.rows, 1)) {
    if (distance == 0) for (std::size_t i = 0; i < sequence.rows; ++i) rows[i] = static_cast<std::int32_t>(i);
    return;
  }
  const auto pair = [&](std::size_t earlier, std::size_t later) {
    if (by > 0) rows[later] = static_cast<std::int32_t>(earlier);
    else rows[earlier] = static_cast<std::int32_t>(later);
  };
  if (!sequence.group_of_row) {
    sequence.each_place([&](std::size_t i) {
      if (i >= distance)
        pair(sequence.order ? sequence.order[i - distance] : i - distance, sequence.order ? sequence.order[i] : i);
    });
    return;
  }
  if (distance == 1) {
    std::vector<std::int32_t> latest(sequence.groups, -1);
    sequence.each([&](std::size_t row, std::size_t g) {
      if (latest[g] >= 0) pair(static_cast<std::size_t>(latest[g]), row);
      latest[g] = static_cast<std::int32_t>(row);
    });
    return;
  }
  // The rows of each group in order, one group after the other.
  std::vector<std::size_t> start(sequence.groups + 1, 0);
  for (std::size_t i = 0; i < sequence.rows; ++i) ++start[sequence.group_of_row[i] + 1];
  for (std::size_t g = 0; g < sequence.groups; ++g) start[g + 1] += start[g];
  std::vector<std::size_t> next(start.begin(), start.end() - 1);
  RowVector<std::int32_t> together(sequence.rows);
  sequence.each([&](std::size_t row, std::size_t g) {
    if (next[g] - start[g] >= distance) pair(static_cast<std::size_t>(together[next[g] - distance]), row);
    together[next[g]++] = static_cast<std::int32_t>(row);
  });
}

void number_rows_of_groups(const Sequence& sequence, std::int32_t* numbers) {
  std::vector<std::int32_t> seen(sequence.groups, 0);
  sequence.each([&](std::size_t row, std::size_t g) { numbers[row] = ++seen[g]; });
}

}  // namespace rowanroot
