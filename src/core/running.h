#pragma once
// Running words: for each row, what its group's rows up to it come to. Sums and products are kept in long double,
// as R's cumsum() does.

#include <algorithm>
#include <memory>
#include <string>
#include <vector>

#include "sequence.h"
#include "sort_keys.h"
#include "values.h"

namespace rowanroot {

enum class Running { total, mean, count, least, greatest, product };

// A row whose value is missing has a missing result and what follows goes on without it; or has the result so far;
// or all that follows is missing too.
enum class AtMissing { skip, carry, stop };

// Each throws std::invalid_argument for a name that there is not.
Running running_of_name(const std::string& name);
AtMissing at_missing_of_name(const std::string& name);

// What has come of each group so far, for when the rows come in several chunks.
class RunningState {
 public:
  template <class Group>
  std::vector<Group>& groups(std::size_t count, const Group& start) {
    if (!groups_) groups_ = std::make_shared<std::vector<Group>>();
    std::vector<Group>& groups = *static_cast<std::vector<Group>*>(groups_.get());
    if (groups.size() < count) groups.resize(count, start);
    return groups;
  }

 private:
  std::shared_ptr<void> groups_;
};

// A result of doubles: any but of whole numbers' least and greatest. The memory is of this word only.
void running(Running what, AtMissing at_missing, Type type, const void* values, const Sequence& sequence,
             RunningState& so_far, double* result);

// The least or the greatest so far of integers, a total of them, or a count. Gives the first row, in order, whose
// total did not fit, or the number of rows; from there on the group is missing.
template <class T>
std::size_t running_integers(Running what, AtMissing at_missing, const T* values, const Sequence& sequence,
                             RunningState& so_far, T* result);

// The row that comes `by` rows before each in its group (after it if `by` is negative), or -1.
void neighbours(const Sequence& sequence, std::int64_t by, std::int32_t* rows);

// For each row its own value if that is known, else the last one before it in its group that is. Backwards they are
// the next ones, in the order in which the rows lie.
template <class T>
void last_known(const T* values, bool backwards, const Sequence& sequence, T missing, T* result) {
  if (!sequence.order && !sequence.group_of_row) {
    T last = missing;
    for (std::size_t k = 0; k < sequence.rows; ++k) {
      const std::size_t i = backwards ? sequence.rows - 1 - k : k;
      result[i] = last = is_missing(values[i]) ? last : values[i];
    }
    return;
  }
  std::vector<T> last(std::max<std::size_t>(sequence.groups, 1), missing);
  const auto visit = [&](std::size_t, std::size_t group, T value, T& here) {
    if (!is_missing(value)) last[group] = value;
    here = last[group];
  };
  if (!backwards) return sequence.each_value(values, result, visit);
  for (std::size_t i = sequence.rows; i-- > 0;) visit(i, sequence.group_of(i), values[i], result[i]);
}

// The part, of so many equal ones of `count` ranks, that a rank falls into: those that are larger by one come first.
class PartsOfRanks {
 public:
  PartsOfRanks(std::int64_t count, std::int64_t parts)
      : size_(static_cast<std::uint32_t>(count / parts)),
        larger_(static_cast<std::uint32_t>(count % parts)),
        in_larger_(larger_ * (size_ + 1)) {}

  std::int32_t operator()(std::int32_t rank) const {
    if (rank == missing_integer) return missing_integer;
    const std::uint32_t before = static_cast<std::uint32_t>(rank) - 1;
    const std::uint32_t part = before < in_larger_ ? before / (size_ + 1) : larger_ + (before - in_larger_) / size_;
    return static_cast<std::int32_t>(part + 1);
  }

 private:
  std::uint32_t size_, larger_, in_larger_;
};

// The number of each row in its group, from 1, in order.
void number_rows_of_groups(const Sequence& sequence, std::int32_t* numbers);

}  // namespace rowanroot
