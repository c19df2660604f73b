#include "fast.h"

#include "groups.h"

#include <algorithm>
#include <cmath>

#include "memory.h"
#include "numbering.h"
#include "rounds.h"

namespace rowanroot {
namespace {

constexpr std::size_t any_number = std::numeric_limits<std::size_t>::max();

// Each thread numbers the keys of a stretch of rows; then those of later stretches get the numbers that they have, or
// come to have, in the first. Gives up, with 0, where there are more than `most`.
template <class Numbers, class KeyOfRow>
std::size_t number_rows(std::size_t rows, Workers threads, const Numbers& none, KeyOfRow key_of_row, std::size_t most,
                        std::int32_t* of_row) {
  const std::size_t stretches = static_cast<std::size_t>(std::max<int>(threads, 1));
  std::vector<Numbers> parts(stretches, none);
  const auto each_block = [&](std::size_t stretch, auto work) {
    constexpr std::size_t block = 4096;
    const std::size_t end = rows * (stretch + 1) / stretches;
    for (std::size_t first = rows * stretch / stretches; first < end && parts[stretch].keys().size() <= most;
         first += block)
      work(first, std::min(first + block, end));
  };
  run_pieces(stretches, threads, [&](int, std::size_t stretch) {
    each_block(stretch, [&](std::size_t first, std::size_t last) {
      parts[stretch].number_each(first, last, key_of_row, of_row + first);
    });
  });
  std::vector<RowVector<std::int32_t>> number(stretches);
  for (std::size_t stretch = 1; stretch < stretches; ++stretch)
    for (std::uint64_t key : parts[stretch].keys()) number[stretch].push_back(parts[0].number(key));
  for (const Numbers& part : parts)
    if (part.keys().size() > most) return 0;
  run_pieces(stretches - 1, threads, [&](int, std::size_t piece) {
    const std::int32_t* const now = number[piece + 1].data();
    each_block(piece + 1, [&](std::size_t first, std::size_t last) {
      for (std::size_t i = first; i < last; ++i) of_row[i] = now[of_row[i]];
    });
  });
  return parts[0].keys().size();
}

template <class T>
std::size_t number_values(const void* values, std::size_t rows, Workers threads, std::size_t most,
                          std::int32_t* of_row) {
  return number_rows(
      rows, threads, Numbering(), [x = static_cast<const T*>(values)](std::size_t i) { return key_of(x[i]); }, most,
      of_row);
}

// One less than a missing number is, by going round, the greatest: so that what is least needs no look at each.
ROWANROOT_WIDE Extent extent_of(const std::int32_t* values, std::size_t rows) {
  std::int32_t least = std::numeric_limits<std::int32_t>::max(), below_low = least, high = missing_integer;
  for (std::size_t i = 0; i < rows; ++i) {
    const std::int32_t below = static_cast<std::int32_t>(static_cast<std::uint32_t>(values[i]) - 1);
    least = values[i] < least ? values[i] : least;
    below_low = below < below_low ? below : below_low;
    high = values[i] > high ? values[i] : high;
  }
  const bool none = below_low == std::numeric_limits<std::int32_t>::max();
  return {none ? below_low : below_low + 1, high, rows && least == missing_integer};
}

}  // namespace

Extent extent_of(const std::int32_t* values, std::size_t rows, Workers threads) {
  constexpr std::size_t piece = 1 << 16;
  std::vector<Extent> pieces((rows + piece - 1) / piece);
  run_pieces(pieces.size(), threads,
             [&](int, std::size_t k) { pieces[k] = extent_of(values + k * piece, std::min(piece, rows - k * piece)); });
  Extent all;
  for (const Extent& one : pieces)
    all = {std::min(all.low, one.low), std::max(all.high, one.high), all.has_missing || one.has_missing};
  return all;
}

namespace {

// Where the first rows have all keys, these are numbered first, and then rows by them. Says whether they have.
template <class KeyOfRow>
bool number_few_keys(std::size_t keys, std::size_t different, std::size_t rows, Workers threads, KeyOfRow key_of_row,
                     std::int32_t* of_row) {
  SmallNumbering numbers(keys);
  constexpr std::size_t block = 1 << 10, piece = 1 << 16;
  for (std::size_t first = 0; first < rows / 4 && numbers.keys().size() < different; first += block)
    for (std::size_t i = first; i < std::min(rows, first + block); ++i) numbers.number(key_of_row(i));
  if (numbers.keys().size() < different) return false;
  run_pieces((rows + piece - 1) / piece, threads, [&](int, std::size_t k) {
    for (std::size_t i = k * piece; i < std::min(rows, (k + 1) * piece); ++i) of_row[i] = numbers.find(key_of_row(i));
  });
  return true;
}

// Whole numbers that lie close together are looked up in a table; missing ones are the first entry.
std::size_t number_integers(const std::int32_t* values, std::size_t rows, Workers threads, std::size_t most,
                            std::int32_t* of_row) {
  const Extent extent = extent_of(values, rows, threads);
  const std::int32_t low = extent.low;
  const std::size_t range = extent.range();
  if (range > std::max<std::size_t>(rows, 4096))
    return number_values<std::int32_t>(values, rows, threads, most, of_row);
  const auto key = [=](std::size_t i) {
    return values[i] == missing_integer ? 0
                                        : static_cast<std::uint64_t>(static_cast<std::int64_t>(values[i]) - low) + 1;
  };
  const std::size_t different = range + extent.has_missing;
  if (different <= std::min(rows / 16, most))
    if (number_few_keys(range + 1, different, rows, threads, key, of_row)) return different;
  return number_rows(rows, threads, SmallNumbering(range + 1), key, most, of_row);
}

}  // namespace

std::size_t group_by(Type type, const void* column, std::size_t rows, Workers threads, std::int32_t* of_row) {
  return group_few(type, column, rows, any_number, threads, of_row);
}

std::size_t group_few(Type type, const void* column, std::size_t rows, std::size_t most, Workers threads,
                      std::int32_t* of_row) {
  switch (type) {
    case Type::real: return number_values<double>(column, rows, threads, most, of_row);
    case Type::long_integer: return number_values<std::int64_t>(column, rows, threads, most, of_row);
    case Type::text: return number_values<Text>(column, rows, threads, most, of_row);
    default: return number_integers(static_cast<const std::int32_t*>(column), rows, threads, most, of_row);
  }
}

void group_by_value(const std::int32_t* values, std::size_t rows, const Extent& extent, Workers threads,
                    std::int32_t* of_row) {
  constexpr std::size_t piece = 1 << 16;
  const std::int32_t low = extent.range() ? extent.low : 0, last = static_cast<std::int32_t>(extent.range());
  run_pieces((rows + piece - 1) / piece, threads, [&](int, std::size_t k) {
    for (std::size_t i = k * piece; i < std::min(rows, (k + 1) * piece); ++i)
      of_row[i] = values[i] == missing_integer ? last : values[i] - low;
  });
}

// Of n rows drawn from d equally frequent values, about n * n / 2d are equal to one drawn before.
bool seem_few(Type type, const void* column, std::size_t rows, std::size_t most) {
  const auto by = [&](const auto* values) {
    return seem_few([=](std::size_t row) { return key_of(values[row]); }, rows, most);
  };
  switch (type) {
    case Type::real: return by(static_cast<const double*>(column));
    case Type::long_integer: return by(static_cast<const std::int64_t*>(column));
    case Type::text: return by(static_cast<const Text*>(column));
    default: return by(static_cast<const std::int32_t*>(column));
  }
}

bool seem_few(const std::function<std::uint64_t(std::size_t row)>& key_of_row, std::size_t rows, std::size_t most) {
  constexpr std::size_t sample = 4096;
  if (rows < 4 * sample) return false;
  const std::size_t step = rows / sample;
  Numbering seen;
  for (std::size_t k = 0; k < sample; ++k) seen.number(key_of_row(k * step));
  const std::size_t equal = sample - seen.keys().size();
  return 2 * equal * most > sample * sample;
}

std::size_t group_further(const std::int32_t* of_row, Type type, const void* column, std::size_t rows, Workers threads,
                          std::int32_t* new_of_row) {
  Buffer<std::int32_t> other(rows);
  group_by(type, column, rows, threads, other.data());
  return number_rows(rows, threads, Numbering(), [&](std::size_t i) {
    return static_cast<std::uint64_t>(of_row[i]) << 32 | static_cast<std::uint32_t>(other[i]);
  }, any_number, new_of_row);
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

namespace {

template <class Numbers, class KeyOfRow, class KeyOfPlace>
void look_up(Numbers members, std::size_t rows, KeyOfRow key_of_row, std::size_t size, KeyOfPlace key_of_place,
             const Workers& threads, std::int32_t* places) {
  RowVector<std::int32_t> first;
  for (std::size_t k = 0; k < size; ++k)
    if (static_cast<std::size_t>(members.number(key_of_place(k))) == first.size())
      first.push_back(static_cast<std::int32_t>(k) + 1);
  constexpr std::size_t piece = 1 << 16;
  run_pieces((rows + piece - 1) / piece, threads, [&](int, std::size_t k) {
    const std::int32_t* const place = first.data();
    for (std::size_t i = k * piece; i < std::min(rows, (k + 1) * piece); ++i) {
      const std::int32_t number = members.find(key_of_row(i));
      places[i] = number < 0 ? missing_integer : place[number];
    }
  });
}

template <class T>
void look_up_values(const void* column, std::size_t rows, const void* table, std::size_t size, const Workers& threads,
                    std::int32_t* places) {
  const T* values = static_cast<const T*>(column);
  const T* keys = static_cast<const T*>(table);
  look_up(
      Numbering(), rows, [=](std::size_t i) { return key_of(values[i]); }, size,
      [=](std::size_t k) { return key_of(keys[k]); }, threads, places);
}

// In a table of whole numbers that lie close together, each number's entry is found by it.
void look_up_integers(const std::int32_t* values, std::size_t rows, const std::int32_t* keys, std::size_t size,
                      const Workers& threads, std::int32_t* places) {
  const Extent extent = extent_of(keys, size, threads);
  const std::int32_t low = extent.low, high = extent.high;
  const std::size_t range = extent.range();
  if (range > 16 * size + 4096)
    return look_up_values<std::int32_t>(values, rows, keys, size, threads, places);
  // Missing ones have the first key, and what lies outside the last.
  const auto key = [=](std::int32_t value) -> std::uint64_t {
    if (value == missing_integer) return 0;
    return value < low || value > high ? range + 1
                                       : static_cast<std::uint64_t>(static_cast<std::int64_t>(value) - low) + 1;
  };
  look_up(
      SmallNumbering(range + 2), rows, [=](std::size_t i) { return key(values[i]); }, size,
      [=](std::size_t k) { return key(keys[k]); }, threads, places);
}

}  // namespace

void find_places(Type type, const void* column, std::size_t rows, const void* table, std::size_t size, Workers threads,
                 std::int32_t* places) {
  switch (type) {
    case Type::real: return look_up_values<double>(column, rows, table, size, threads, places);
    case Type::text: return look_up_values<Text>(column, rows, table, size, threads, places);
    case Type::long_integer: return look_up_values<std::int64_t>(column, rows, table, size, threads, places);
    default:
      return look_up_integers(static_cast<const std::int32_t*>(column), rows, static_cast<const std::int32_t*>(table),
                              size, threads, places);
  }
}

RowVector<std::int32_t> count_distinct(const std::int32_t* group_of_row, std::size_t groups, Type type,
                                       const void* column, std::size_t rows, Text missing_text, Workers threads) {
  Buffer<std::int32_t> values(rows);
  const std::size_t different = group_further(group_of_row, type, column, rows, threads, values.data());
  RowVector<std::int32_t> counts(groups, 0);
  for (std::int32_t row : first_rows(values.data(), rows, different))
    counts[group_of_row[row]] += !is_unknown(type, column, row, missing_text);
  return counts;
}

RowVector<std::int32_t> group_sizes(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups,
                                    Workers threads) {
  const std::size_t stretches = static_cast<std::size_t>(std::max<int>(threads, 1));
  std::vector<RowVector<std::int32_t>> sizes(stretches, RowVector<std::int32_t>(groups, 0));
  run_pieces(stretches, threads, [&](int, std::size_t stretch) {
    std::int32_t* const size = sizes[stretch].data();
    const std::size_t end = rows * (stretch + 1) / stretches;
    for (std::size_t i = rows * stretch / stretches; i < end; ++i) ++size[group_of_row[i]];
  });
  for (std::size_t stretch = 1; stretch < stretches; ++stretch)
    for (std::size_t g = 0; g < groups; ++g) sizes[0][g] += sizes[stretch][g];
  return sizes[0];
}

PresentGroups present_groups(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups, Workers threads) {
  RowVector<std::int32_t> sizes = group_sizes(group_of_row, rows, groups, threads);
  PresentGroups result;
  std::size_t present = 0;
  for (std::int32_t size : sizes) present += size > 0;
  result.place.reserve(present);
  result.first.reserve(present);
  result.sizes.reserve(present);
  for (std::size_t i = 0; i < rows && result.place.size() < present; ++i) {
    std::int32_t& size = sizes[group_of_row[i]];
    if (!size) continue;
    result.place.push_back(group_of_row[i]);
    result.first.push_back(static_cast<std::int32_t>(i));
    result.sizes.push_back(size);
    size = 0;
  }
  return result;
}

RowVector<std::int32_t> first_rows(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups) {
  RowVector<std::int32_t> first(groups, -1);
  for (std::size_t i = 0, found = 0; i < rows && found < groups; ++i) {
    if (first[group_of_row[i]] >= 0) continue;
    first[group_of_row[i]] = static_cast<std::int32_t>(i);
    ++found;
  }
  return first;
}

RowVector<std::int32_t> last_rows(const std::int32_t* group_of_row, std::size_t rows, std::size_t groups) {
  RowVector<std::int32_t> last(groups, -1);
  for (std::size_t i = 0; i < rows; ++i) last[group_of_row[i]] = static_cast<std::int32_t>(i);
  return last;
}

}  // namespace rowanroot
