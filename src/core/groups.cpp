#include "groups.h"

#include <algorithm>
#include <cmath>

#include "memory.h"

namespace rowanroot {
namespace {

// From 64-bit keys to numbers, by open addressing. Grows so that at most half of it is in use.
class Numbering {
 public:
  Numbering() : entries_(1024), mask_(1023) {}

  std::int32_t number(std::uint64_t key) {
    std::size_t place = spread(key) & mask_;
    while (entries_[place].number >= 0) {
      if (entries_[place].key == key) return entries_[place].number;
      place = (place + 1) & mask_;
    }
    entries_[place] = {key, count_};
    if (2 * static_cast<std::size_t>(++count_) > mask_) grow();
    return count_ - 1;
  }

  std::size_t count() const { return static_cast<std::size_t>(count_); }

 private:
  struct Entry {
    std::uint64_t key = 0;
    std::int32_t number = -1;
  };

  static std::size_t spread(std::uint64_t key) {
    key *= 0x9E3779B97F4A7C15ull;
    return static_cast<std::size_t>(key ^ (key >> 32));
  }

  void grow() {
    std::vector<Entry> old(entries_.size() * 4);
    old.swap(entries_);
    mask_ = entries_.size() - 1;
    for (const Entry& entry : old) {
      if (entry.number < 0) continue;
      std::size_t place = spread(entry.key) & mask_;
      while (entries_[place].number >= 0) place = (place + 1) & mask_;
      entries_[place] = entry;
    }
  }

  std::vector<Entry> entries_;
  std::size_t mask_;
  std::int32_t count_ = 0;
};

std::uint64_t key_of(std::int32_t value) { return static_cast<std::uint32_t>(value); }
std::uint64_t key_of(Text value) { return reinterpret_cast<std::uintptr_t>(value); }
std::uint64_t key_of(std::int64_t value) { return static_cast<std::uint64_t>(value); }
std::uint64_t key_of(double value) {
  if (value == 0) value = 0;  // -0 is 0
  std::uint64_t bits;
  std::memcpy(&bits, &value, sizeof bits);
  if (value != value) bits = static_cast<std::uint32_t>(bits) == 1954 ? 0x7FF00000000007A2ull : 0x7FF8000000000000ull;
  return bits;
}

template <class KeyOfRow>
std::size_t number_rows(std::size_t rows, KeyOfRow key_of_row, std::int32_t* of_row) {
  Numbering numbering;
  for (std::size_t i = 0; i < rows; ++i) of_row[i] = numbering.number(key_of_row(i));
  return numbering.count();
}

template <class T>
std::size_t number_values(const void* values, std::size_t rows, std::int32_t* of_row) {
  return number_rows(rows, [x = static_cast<const T*>(values)](std::size_t i) { return key_of(x[i]); }, of_row);
}

// Whole numbers that lie close together are looked up in a table; missing ones have the place before.
std::size_t group_integers(const std::int32_t* values, std::size_t rows, std::int32_t* of_row) {
  std::int32_t low = std::numeric_limits<std::int32_t>::max(), high = missing_integer;
  for (std::size_t i = 0; i < rows; ++i) {
    if (values[i] == missing_integer) continue;
    low = std::min(low, values[i]);
    high = std::max(high, values[i]);
  }
  const std::uint64_t range = high < low ? 0 : static_cast<std::uint64_t>(static_cast<std::int64_t>(high) - low) + 1;
  if (range > std::max<std::uint64_t>(rows, 4096)) return number_values<std::int32_t>(values, rows, of_row);
  std::vector<std::int32_t> number(range + 1, -1);
  std::int32_t count = 0;
  for (std::size_t i = 0; i < rows; ++i) {
    std::int32_t& known = number[values[i] == missing_integer ? 0 : static_cast<std::size_t>(static_cast<std::int64_t>(values[i]) - low) + 1];
    if (known < 0) known = count++;
    of_row[i] = known;
  }
  return static_cast<std::size_t>(count);
}

}  // namespace

std::size_t group_by(Type type, const void* column, std::size_t rows, std::int32_t* of_row) {
  switch (type) {
    case Type::real: return number_values<double>(column, rows, of_row);
    case Type::long_integer: return number_values<std::int64_t>(column, rows, of_row);
    case Type::text: return number_values<Text>(column, rows, of_row);
    default: return group_integers(static_cast<const std::int32_t*>(column), rows, of_row);
  }
}

std::size_t group_further(const std::int32_t* of_row, Type type, const void* column, std::size_t rows, std::int32_t* new_of_row) {
  Buffer<std::int32_t> other(rows);
  group_by(type, column, rows, other.data());
  return number_rows(rows, [&](std::size_t i) {
    return static_cast<std::uint64_t>(of_row[i]) << 32 | static_cast<std::uint32_t>(other[i]);
  }, new_of_row);
}

namespace {

bool is_unknown(Type type, const void* column, std::size_t row, Text missing_text) {
  switch (type) {
    case Type::real: return std::isnan(static_cast<const double*>(column)[row]);
    case Type::text: return static_cast<const Text*>(column)[row] == missing_text;
    case Type::long_integer: return static_cast<const std::int64_t*>(column)[row] == missing_long_integer;
    default: return static_cast<const std::int32_t*>(column)[row] == missing_integer;
  }
}

}  // namespace

std::vector<std::int32_t> count_distinct(const std::int32_t* group_of_row, std::size_t groups, Type type, const void* column,
                                         std::size_t rows, Text missing_text) {
  Buffer<std::int32_t> values(rows);
  const std::size_t different = group_further(group_of_row, type, column, rows, values.data());
  std::vector<std::int32_t> counts(groups, 0);
  for (std::int32_t row : first_rows(values.data(), rows, different))
    counts[group_of_row[row]] += !is_unknown(type, column, row, missing_text);
  return counts;
}

std::vector<std::int32_t> first_rows(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups) {
  std::vector<std::int32_t> first(groups, -1);
  for (std::size_t i = 0; i < rows; ++i)
    if (first[group_of_row[i]] < 0) first[group_of_row[i]] = static_cast<std::int32_t>(i);
  return first;
}

std::vector<std::int32_t> last_rows(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups) {
  std::vector<std::int32_t> last(groups, -1);
  for (std::size_t i = 0; i < rows; ++i) last[group_of_row[i]] = static_cast<std::int32_t>(i);
  return last;
}

}  // namespace rowanroot
