#include "fast.h"

#include "moving.h"

#include <algorithm>
#include <numeric>
#include <vector>

#include "names.h"

namespace rowanroot {
namespace {

// Of two that are unknown, a missing one is stronger than NaN.
double unknown_of(double a, double b) {
  return is_missing_real(a) || is_missing_real(b) ? missing_real() : a != a ? a : b;
}

struct Sum {
  using Value = long double;
  static Value join(Value a, Value b) { return a + b; }
};
struct Least {
  using Value = double;
  static Value join(Value a, Value b) { return a != a || b != b ? unknown_of(a, b) : std::min(a, b); }
};
struct Greatest {
  using Value = double;
  static Value join(Value a, Value b) { return a != a || b != b ? unknown_of(a, b) : std::max(a, b); }
};

// The windows of one group: `at(i)` is the position of its i-th row. `ends` has room for a stretch.
template <class Word, class Place, class LookUp>
void windows(bool mean, std::size_t window, bool complete, const double* values, std::size_t rows, Place at,
             double* result, std::vector<typename Word::Value>& ends, LookUp look_up) {
  using Value = typename Word::Value;
  const auto put = [&](std::size_t i, Value value, std::size_t size) {
    const bool whole = size == window;
    result[at(i)] =
        complete && !whole ? missing_real() : static_cast<double>(mean ? value / static_cast<Value>(size) : value);
  };
  for (std::size_t start = 0; start < rows; start += window) {
    const std::size_t stop = std::min(start + window, rows);
    look_up(stop - start);
    Value beginning = 0;
    for (std::size_t i = start; i < stop; ++i) {
      const Value value = values[at(i)];
      beginning = i == start ? value : Word::join(beginning, value);
      const std::size_t from_before = window - (i - start) - 1;  // rows of the stretch before that are in the window
      if (start == 0) put(i, beginning, i + 1);
      else put(i, from_before ? Word::join(ends[window - from_before], beginning) : beginning, window);
    }
    if (stop == rows) break;
    // ends[k]: what the k-th row of this stretch and those after it come to.
    ends[window - 1] = values[at(stop - 1)];
    for (std::size_t k = window - 1; k-- > 0;)
      ends[k] = Word::join(static_cast<Value>(values[at(start + k)]), ends[k + 1]);
  }
}

template <class Word>
void each_group(bool mean, std::size_t window, bool complete, const double* values, const Sequence& sequence,
                double* result) {
  std::vector<typename Word::Value> ends(std::min(window, sequence.rows) + 1);
  window = std::max<std::size_t>(window, 1);
  std::size_t since = 0;
  const auto look_up = [&](std::size_t rows) {
    since += rows;
    if (since < (1 << 16) || !sequence.threads.look_up) return;
    since = 0;
    sequence.threads.look_up();
  };
  const auto run = [&](std::size_t rows, auto place) {
    // A window longer than the group is never whole; its stretch is the group.
    windows<Word>(mean, window, complete, values, rows, place, result, ends, look_up);
  };
  if (!sequence.group_of_row) {
    if (sequence.order) run(sequence.rows, [&](std::size_t i) { return static_cast<std::size_t>(sequence.order[i]); });
    else run(sequence.rows, [](std::size_t i) { return i; });
    return;
  }
  std::vector<std::size_t> next(sequence.groups + 1, 0);
  for (std::size_t i = 0; i < sequence.rows; ++i) ++next[sequence.group_of_row[i] + 1];
  std::partial_sum(next.begin(), next.end(), next.begin());
  const std::vector<std::size_t> start = next;
  std::vector<std::int32_t> together(sequence.rows);
  sequence.each([&](std::size_t row, std::size_t g) { together[next[g]++] = static_cast<std::int32_t>(row); });
  for (std::size_t g = 0; g < sequence.groups; ++g)
    run(start[g + 1] - start[g],
        [&, first = start[g]](std::size_t i) { return static_cast<std::size_t>(together[first + i]); });
}

}  // namespace

Moving moving_of_name(const std::string& name) {
  static const char* const names[] = {"total", "mean", "least", "greatest"};
  return kind_of_name<Moving>(names, name);
}

void moving(Moving what, std::size_t window, bool complete, const double* values, const Sequence& sequence,
            double* result) {
  switch (what) {
    case Moving::total: return each_group<Sum>(false, window, complete, values, sequence, result);
    case Moving::mean: return each_group<Sum>(true, window, complete, values, sequence, result);
    case Moving::least: return each_group<Least>(false, window, complete, values, sequence, result);
    case Moving::greatest: return each_group<Greatest>(false, window, complete, values, sequence, result);
  }
}

}  // namespace rowanroot
