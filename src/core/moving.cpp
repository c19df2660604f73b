#include "fast.h"

#include "moving.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <limits>
#include <numeric>
#include <vector>

#include "memory.h"
#include "names.h"

namespace rowanroot {
namespace {

// Of two that are unknown, a missing one is stronger than NaN.
double unknown_of(double a, double b) {
  return is_missing_real(a) || is_missing_real(b) ? missing_real() : a != a ? a : b;
}

// How parts of a window are joined, and what a value alone is.
struct Sum {
  using Value = long double;
  static Value of(double value) { return value; }
  static Value join(Value a, Value b) { return a + b; }
};
struct Least {
  using Value = double;
  static Value of(double value) { return value; }
  static Value join(Value a, Value b) { return a != a || b != b ? unknown_of(a, b) : std::min(a, b); }
};
struct Greatest {
  using Value = double;
  static Value of(double value) { return value; }
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

// Calls run(rows, place) for each group, where place(i) is the position of its i-th row.
template <class Run>
void each_group(const Sequence& sequence, Run run) {
  if (!sequence.group_of_row) {
    if (sequence.order) run(sequence.rows, [&](std::size_t i) { return static_cast<std::size_t>(sequence.order[i]); });
    else run(sequence.rows, [](std::size_t i) { return i; });
    return;
  }
  std::vector<std::size_t> next(sequence.groups + 1, 0);
  for (std::size_t i = 0; i < sequence.rows; ++i) ++next[sequence.group_of_row[i] + 1];
  std::partial_sum(next.begin(), next.end(), next.begin());
  const std::vector<std::size_t> start = next;
  RowVector<std::int32_t> together(sequence.rows);
  sequence.each([&](std::size_t row, std::size_t g) { together[next[g]++] = static_cast<std::int32_t>(row); });
  for (std::size_t g = 0; g < sequence.groups; ++g)
    run(start[g + 1] - start[g],
        [&, first = start[g]](std::size_t i) { return static_cast<std::size_t>(together[first + i]); });
}

// Looks up now and then.
class LookUp {
 public:
  explicit LookUp(const Sequence& sequence) : sequence_(sequence) {}
  void operator()(std::size_t rows) {
    since_ += rows;
    if (since_ < (1 << 16) || !sequence_.threads.look_up) return;
    since_ = 0;
    sequence_.threads.look_up();
  }

 private:
  const Sequence& sequence_;
  std::size_t since_ = 0;
};

// Windows of a row and those before it.
template <class Word>
void last_rows(bool mean, std::size_t window, bool complete, const double* values, const Sequence& sequence,
               double* result) {
  std::vector<typename Word::Value> ends(std::min(window, sequence.rows) + 1);
  LookUp look_up(sequence);
  each_group(sequence, [&](std::size_t rows, auto place) {
    // A window longer than the group is never whole; its stretch is the group.
    windows<Word>(mean, std::max<std::size_t>(window, 1), complete, values, rows, place, result, ends, look_up);
  });
}

// The places of a group's rows that are in the window of its i-th row: from `first` up to, but without, `last`.
struct Reach {
  std::size_t first = 0, last = 0;
  bool whole = true;
};

// The reaches of a group's rows, of which there are `rows`; they only go up.
template <class Place>
class Reaches {
 public:
  Reaches(const Window& window, std::size_t rows, Place at) : window_(window), rows_(rows), at_(at) {
    // Rows without a place are last.
    while (window.at && rows_ > 0 && !(place(rows_ - 1) == place(rows_ - 1))) --rows_;
  }

  // How many rows have a window.
  std::size_t rows() const { return rows_; }

  Reach of(std::size_t i) {
    if (!window_.at) {
      return {i - std::min(i, window_.before), std::min(i + window_.after + 1, rows_),
              i >= window_.before && i + window_.after < rows_};
    }
    const double from = window_.from[at_(i)], to = window_.to[at_(i)];
    first_ = is_new_ ? search(from) : first_;
    last_ = is_new_ ? search(to) : last_;
    is_new_ = false;
    while (first_ < rows_ && is_before(first_, from)) ++first_;
    while (last_ < rows_ && is_before(last_, to)) ++last_;
    return {first_, std::max(first_, last_), from >= place(0) - window_.step && to <= place(rows_ - 1) + window_.step};
  }

 private:
  // Whether a row lies before an end of a window: one that is at it does where windows have their later end.
  bool is_before(std::size_t i, double end) const { return window_.with_to ? place(i) <= end : place(i) < end; }

  // The first row that does not. Who begins in the middle does not go through all rows before.
  std::size_t search(double end) const {
    std::size_t first = 0, count = rows_;
    while (count > 0) {
      const std::size_t half = count / 2;
      if (is_before(first + half, end)) first += half + 1, count -= half + 1;
      else count = half;
    }
    return first;
  }

  double place(std::size_t i) const { return window_.at[at_(i)]; }

  const Window& window_;
  std::size_t rows_;
  Place at_;
  std::size_t first_ = 0, last_ = 0;
  bool is_new_ = true;
};

// What there is of each sort in the window that moves along a group.
struct Counts {
  std::size_t known = 0, missing = 0, not_a_number = 0;
  void add(double value, std::size_t by) {
    (value == value ? known : is_missing_real(value) ? missing : not_a_number) += by;
  }
  void remove(double value) { add(value, static_cast<std::size_t>(-1)); }
};

// Calls value(first, last, known) for the windows of rows `from` up to `to` that have a value, and looks after those
// that are missing: those without known values, unless `of_none`.
template <class Place, class Value>
void each_window(const Window& window, const double* values, std::size_t rows, std::size_t from, std::size_t to,
                 Place at, double* result, Value value, bool of_none = false) {
  Reaches<Place> reaches(window, rows, at);
  Counts counts;
  std::size_t first = 0, last = 0;
  for (std::size_t i = from; i < to; ++i) {
    result[at(i)] = missing_real();
    if (i >= reaches.rows()) continue;
    const Reach reach = reaches.of(i);
    if (i == from) first = last = reach.first;
    for (; last < reach.last; ++last) counts.add(values[at(last)], 1);
    for (; first < reach.first; ++first) counts.remove(values[at(first)]);
    if (window.complete && !reach.whole) continue;
    if (!window.skip && counts.missing) continue;
    if (!window.skip && counts.not_a_number) result[at(i)] = std::numeric_limits<double>::quiet_NaN();
    else if (counts.known || of_none) result[at(i)] = value(reach.first, reach.last, counts.known);
  }
}

// How many values, their mean and the sum of squares around it (Chan, Golub and LeVeque, 1983).
struct Spread {
  struct Value {
    long double count, mean, squares;
  };
  static Value of(double value) { return {1, value, 0}; }
  static Value join(const Value& a, const Value& b) {
    const long double count = a.count + b.count, apart = b.mean - a.mean;
    return {count, a.mean + apart * b.count / count,
            a.squares + b.squares + apart * apart * a.count * b.count / count};
  }
};

// The known values of a window whose ends only go up, in two parts: what is behind `middle` is joined as it comes, and
// what is before it has been joined from the end.
template <class Word, class Place>
class Joined {
 public:
  Joined(const double* values, Place at) : values_(values), at_(at) {}

  typename Word::Value of(std::size_t first, std::size_t last) {
    if (last_ < first) last_ = middle_ = first;
    for (; last_ < last; ++last_) {
      const double value = values_[at_(last_)];
      if (value == value) take_in(behind_, value);
    }
    if (first >= middle_) begin_again(first);
    const Part& before = ends_[first - begin_];
    if (!before.any) return behind_.value;
    return behind_.any ? Word::join(before.value, behind_.value) : before.value;
  }

 private:
  struct Part {
    typename Word::Value value;
    bool any = false;
  };

  static void take_in(Part& part, double value) {
    part.value = part.any ? Word::join(part.value, Word::of(value)) : Word::of(value);
    part.any = true;
  }

  void begin_again(std::size_t first) {
    begin_ = first;
    middle_ = last_;
    ends_.assign(middle_ - begin_ + 1, Part());
    for (std::size_t k = middle_ - begin_; k-- > 0;) {
      const double value = values_[at_(begin_ + k)];
      ends_[k] = ends_[k + 1];
      if (!(value == value)) continue;
      ends_[k].value = ends_[k].any ? Word::join(Word::of(value), ends_[k].value) : Word::of(value);
      ends_[k].any = true;
    }
    behind_ = Part();
  }

  const double* values_;
  Place at_;
  std::size_t begin_ = 0, middle_ = 0, last_ = 0;
  std::vector<Part> ends_;
  Part behind_;
};

// Calls work(rows, from, to, place) for the rows of each group, so many at a time by any thread: always the same ones,
// so that sums do not depend on the number of threads.
template <class Work>
void each_piece(const Sequence& sequence, Work work) {
  constexpr std::size_t piece = 1 << 16;
  LookUp look_up(sequence);
  each_group(sequence, [&](std::size_t rows, auto place) {
    if (rows <= piece) {
      work(rows, 0, rows, place);
      look_up(rows);
      return;
    }
    run_pieces((rows + piece - 1) / piece, sequence.threads, [&](int, std::size_t p) {
      work(rows, p * piece, std::min(rows, (p + 1) * piece), place);
    });
  });
}

template <class Word, class Finish>
void joined(const Window& window, const double* values, const Sequence& sequence, double* result, Finish finish) {
  each_piece(sequence, [&](std::size_t rows, std::size_t from, std::size_t to, auto place) {
    Joined<Word, decltype(place)> parts(values, place);
    each_window(window, values, rows, from, to, place, result,
                [&](std::size_t first, std::size_t last, std::size_t known) {
                  return static_cast<double>(finish(parts.of(first, last), known));
                });
  });
}

// The known values of a stretch of rows in their order, with a bit for each that is in the window: from one row to the
// next the middle moves by a bit or two.
template <class Place>
class Medians {
 public:
  Medians(const double* values, std::size_t rows, Place at) : values_(values), rows_(rows), at_(at) {}

  double of(std::size_t first, std::size_t last, std::size_t known) {
    if (last > end_) begin_again(first, last);
    for (; last_ < last; ++last_) add(last_);
    for (; first_ < first; ++first_) remove(first_);
    move_to(known / 2);
    const double upper = sorted_[middle_].value;
    if (known % 2) return upper;
    return static_cast<double>((static_cast<long double>(sorted_[one_before(middle_)].value) + upper) / 2);
  }

 private:
  struct Entry {
    double value;
    std::uint32_t row;
  };

  // What has been sorted before stays so.
  void begin_again(std::size_t first, std::size_t last) {
    const std::size_t old_end = std::max(end_, first);
    end_ = std::min(rows_, std::max(last + (last - first), first + 64));
    const auto moved = static_cast<std::uint32_t>(first - begin_);
    kept_.clear();
    for (const Entry& one : sorted_)
      if (one.row >= moved) kept_.push_back({one.value, one.row - moved});
    begin_ = first_ = last_ = first;
    fresh_.clear();
    for (std::size_t i = old_end; i < end_; ++i) {
      const double value = values_[at_(i)];
      if (value == value) fresh_.push_back({value, static_cast<std::uint32_t>(i - begin_)});
    }
    const auto less = [](const Entry& a, const Entry& b) { return a.value < b.value; };
    std::sort(fresh_.begin(), fresh_.end(), less);
    sorted_.resize(kept_.size() + fresh_.size());
    std::merge(kept_.begin(), kept_.end(), fresh_.begin(), fresh_.end(), sorted_.begin(), less);
    place_.assign(end_ - begin_, none);
    for (std::size_t k = 0; k < sorted_.size(); ++k) place_[sorted_[k].row] = static_cast<std::uint32_t>(k);
    bits_.assign(sorted_.size() / 64 + 1, 0);
    middle_ = below_ = 0;
  }

  void add(std::size_t row) {
    const std::uint32_t k = place_[row - begin_];
    if (k == none) return;
    bits_[k / 64] |= std::uint64_t(1) << (k % 64);
    below_ += k < middle_;
  }

  void remove(std::size_t row) {
    const std::uint32_t k = place_[row - begin_];
    if (k == none) return;
    bits_[k / 64] &= ~(std::uint64_t(1) << (k % 64));
    below_ -= k < middle_;
  }

  // To the n-th of the window's values, from 0.
  void move_to(std::size_t n) {
    for (; below_ > n; --below_) middle_ = one_before(middle_);
    middle_ = one_from(middle_);
    for (; below_ < n; ++below_) middle_ = one_from(middle_ + 1);
  }

  // The nearest place in the window at or after k, and that before k; there is one.
  std::size_t one_from(std::size_t k) const {
    std::size_t word = k / 64;
    std::uint64_t bits = bits_[word] & (~std::uint64_t(0) << (k % 64));
    while (!bits) bits = bits_[++word];
    return word * 64 + static_cast<std::size_t>(__builtin_ctzll(bits));
  }
  std::size_t one_before(std::size_t k) const {
    std::size_t word = k / 64;
    std::uint64_t bits = bits_[word] & ((std::uint64_t(1) << (k % 64)) - 1);
    while (!bits) bits = bits_[--word];
    return word * 64 + 63 - static_cast<std::size_t>(__builtin_clzll(bits));
  }

  static constexpr std::uint32_t none = 0xFFFFFFFF;
  const double* values_;
  std::size_t rows_;
  Place at_;
  std::size_t begin_ = 0, end_ = 0, first_ = 0, last_ = 0;
  std::vector<Entry> sorted_, kept_, fresh_;
  std::vector<std::uint32_t> place_;
  std::vector<std::uint64_t> bits_;
  // A place among the sorted values, and how many of the window's are before it.
  std::size_t middle_ = 0, below_ = 0;
};

void medians(const Window& window, const double* values, const Sequence& sequence, double* result) {
  each_piece(sequence, [&](std::size_t rows, std::size_t from, std::size_t to, auto place) {
    Medians<decltype(place)> found(values, rows, place);
    each_window(window, values, rows, from, to, place, result,
                [&](std::size_t first, std::size_t last, std::size_t known) { return found.of(first, last, known); });
  });
}

// Here windows without known values have a value too.
void counts(Window window, const double* values, const Sequence& sequence, double* result) {
  window.skip = true;
  each_piece(sequence, [&](std::size_t rows, std::size_t from, std::size_t to, auto place) {
    each_window(window, values, rows, from, to, place, result,
                [](std::size_t, std::size_t, std::size_t known) { return static_cast<double>(known); }, true);
  });
}

long double deviation_of(const Spread::Value& spread, std::size_t) {
  if (spread.count < 2) return missing_real();
  if (!std::isfinite(spread.mean)) return std::numeric_limits<double>::quiet_NaN();
  return std::sqrt(spread.squares / (spread.count - 1));
}

}  // namespace

Moving moving_of_name(const std::string& name) {
  static const char* const names[] = {"total", "mean", "least", "greatest", "deviation", "median", "count"};
  return kind_of_name<Moving>(names, name);
}

void moving(Moving what, const Window& window, const double* values, const Sequence& sequence, double* result) {
  const bool is_last_rows = !window.at && !window.after && !window.skip;
  const std::size_t size = window.before + 1;
  const auto itself = [](const auto& value, std::size_t) { return value; };
  switch (what) {
    case Moving::total:
      if (is_last_rows) return last_rows<Sum>(false, size, window.complete, values, sequence, result);
      return joined<Sum>(window, values, sequence, result, itself);
    case Moving::mean:
      if (is_last_rows) return last_rows<Sum>(true, size, window.complete, values, sequence, result);
      return joined<Sum>(window, values, sequence, result,
                           [](long double sum, std::size_t known) { return sum / static_cast<long double>(known); });
    case Moving::least:
      if (is_last_rows) return last_rows<Least>(false, size, window.complete, values, sequence, result);
      return joined<Least>(window, values, sequence, result, itself);
    case Moving::greatest:
      if (is_last_rows) return last_rows<Greatest>(false, size, window.complete, values, sequence, result);
      return joined<Greatest>(window, values, sequence, result, itself);
    case Moving::deviation: return joined<Spread>(window, values, sequence, result, deviation_of);
    case Moving::median: return medians(window, values, sequence, result);
    case Moving::count: return counts(window, values, sequence, result);
  }
}

}  // namespace rowanroot
