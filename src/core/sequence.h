#pragma once
// Rows one after the other, group by group: the order in which they are visited, and the group that each is in.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>

#include "far_rows.h"
#include "memory.h"
#include "rounds.h"
#include "sorting.h"

namespace rowanroot {

struct Sequence {
  std::size_t rows = 0;
  const std::int32_t* order = nullptr;         // rows in their order; null if that is the one in which they lie
  const std::int32_t* group_of_row = nullptr;  // null for one group of all
  std::size_t groups = 1;
  // Instead of the order: numbers below `steps` that rise along it, as those of days do.
  const std::int32_t* step_of_row = nullptr;
  std::size_t steps = 0;
  Workers threads = 1;

  std::size_t group_of(std::size_t row) const { return group_of_row ? static_cast<std::size_t>(group_of_row[row]) : 0; }

  // Calls visit(row, group) for each row, in order.
  template <class Visit>
  void each(Visit visit) const {
    each_place([&](std::size_t i) {
      const std::size_t row = order ? static_cast<std::size_t>(order[i]) : i;
      visit(row, group_of(row));
    });
  }

  // Calls visit(i) for each position in the order, and looks up now and then.
  template <class Visit>
  void each_place(Visit visit) const {
    constexpr std::size_t block = 1 << 16;
    for (std::size_t first = 0; first < rows; first += block) {
      if (threads.look_up) threads.look_up();
      for (std::size_t i = first; i < std::min(first + block, rows); ++i) visit(i);
    }
  }

  // The same, group by group at least in order: visit(row, group, value of the row, result of the row). Where rows lie
  // far apart they are first brought together with their values, by groups and in order; so several threads can have
  // some groups each. With more in use than fits in memory, values and
  // results go there and back one stretch after the other.
  template <class T, class Result, class Visit>
  void each_value(const T* values, Result* result, Visit visit) const {
    if (!order && !step_of_row) {
      each_place([&](std::size_t i) { visit(i, group_of(i), values[i], result[i]); });
      return;
    }
    if (is_beyond_memory()) return step_of_row ? along_steps(values, result, visit) : from_afar(values, result, visit);
    const auto row_at = [this](std::size_t i) { return order ? static_cast<std::size_t>(order[i]) : i; };
    each_shared_out([&](std::size_t i) { return group_of(row_at(i)); },
                    [&](std::size_t i) { return values[row_at(i)]; }, result, false, visit);
  }

 private:
  // With more in use than fits in memory: values are fetched in order, and results sent back.
  template <class T, class Result, class Visit>
  void from_afar(const T* values, Result* result, Visit visit) const {
    const FarRows far(order, rows, rows, threads);
    Buffer<T> in_order(rows);
    Buffer<std::int32_t> group(group_of_row ? rows : 0);
    Buffer<Result> results(rows);
    far.fetch(values, in_order.data());
    if (group_of_row) far.fetch(group_of_row, group.data());
    each_shared_out([&](std::size_t i) { return group_of_row ? static_cast<std::size_t>(group[i]) : 0; },
                    [&](std::size_t i) { return in_order[i]; }, results.data(), true, visit);
    far.send(results.data(), result);
  }

  template <class T, class Result, class Visit>
  void along_steps(const T* values, Result* result, Visit visit) const {
    const auto by_step = share_out<std::uint32_t>(
        rows, steps, threads,
        [this](std::size_t first, std::size_t last, std::uint16_t* bucket) {
          std::copy(step_of_row + first, step_of_row + last, bucket);
        },
        [](std::size_t first, std::size_t last, std::uint32_t* filled) {
          for (std::size_t i = first; i < last; ++i) filled[i - first] = static_cast<std::uint32_t>(i);
        });
    Sequence ordered = *this;
    ordered.order = reinterpret_cast<const std::int32_t*>(by_step.rows.data());
    ordered.step_of_row = nullptr;
    ordered.from_afar(values, result, visit);
  }

  // Results are written where their rows lie, or else brought back to the places of the order.
  template <class GroupAt, class ValueAt, class Result, class Visit>
  void each_shared_out(GroupAt group_at, ValueAt value_at, Result* result, bool brings_back, Visit visit) const {
    using T = decltype(value_at(0));
    const std::size_t stretch = step_of_row ? steps : 1;
    const int shift = group_shift(stretch);
    const std::size_t parts = ((std::max<std::size_t>(groups, 1) - 1) >> shift) + 1;
    const auto choose = [&](std::size_t first, std::size_t last, std::uint16_t* bucket) {
      for (std::size_t i = first; i < last; ++i) {
        const std::size_t part = group_at(i) >> shift;
        bucket[i - first] =
            static_cast<std::uint16_t>(step_of_row ? part * steps + static_cast<std::size_t>(step_of_row[i]) : part);
      }
    };
    const auto fill = [&](std::size_t first, std::size_t last, KeyedRow* filled) {
      for (std::size_t i = first; i < last; ++i) {
        KeyedRow& one = filled[i - first];
        one.row = static_cast<std::uint32_t>(order ? order[i] : i);
        one.group = static_cast<std::uint32_t>(group_at(i));
        const T value = value_at(i);
        std::memcpy(&one.key, &value, sizeof(T));
      }
    };
    const auto buckets = share_out<KeyedRow>(rows, parts * stretch, threads, choose, fill);
    Buffer<Result> shared_out(brings_back ? rows : 0);
    run_pieces(parts, threads, [&](int, std::size_t part) {
      constexpr std::size_t ahead = 24;
      const std::size_t last = buckets.starts[(part + 1) * stretch];
      for (std::size_t i = buckets.starts[part * stretch]; i < last; ++i) {
        if (!brings_back && i + ahead < last) __builtin_prefetch(result + buckets.rows[i + ahead].row, 1);
        const KeyedRow& one = buckets.rows[i];
        T value;
        std::memcpy(&value, &one.key, sizeof(T));
        visit(one.row, one.group, value, brings_back ? shared_out[i] : result[one.row]);
      }
    });
    if (brings_back) buckets.bring_back(shared_out.data(), result, threads);
  }

  // Rows are shared out among parts whose groups have numbers that differ in this many bits only.
  int group_shift(std::size_t stretch) const {
    constexpr std::size_t most_buckets = 4096, groups_in_cache = 4096;
    const std::size_t for_cache = (groups + groups_in_cache - 1) / groups_in_cache;
    const std::size_t for_threads = static_cast<std::size_t>(std::max<int>(threads, 1));
    const std::size_t wanted = std::max<std::size_t>(
        std::min(std::max(for_cache, for_threads), most_buckets / stretch), 1);
    int shift = 0;
    while (((std::max<std::size_t>(groups, 1) - 1) >> shift) + 1 > wanted) ++shift;
    return shift;
  }
};

}  // namespace rowanroot
