#pragma once
// Rows one after the other, group by group: the order in which they are visited, and the group that each is in.

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <cstring>

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

  // The same, group by group at least in order: visit(row, group, value of the row). Where rows lie far apart they are
  // first brought together with their values, by groups and in order; so several threads can have some groups each.
  // `result` is where visit() writes, to have it at hand.
  template <class T, class Result, class Visit>
  void each_value(const T* values, const Result* result, Visit visit) const {
    if (!order && !step_of_row) {
      each_place([&](std::size_t i) { visit(i, group_of(i), values[i]); });
      return;
    }
    const std::size_t stretch = step_of_row ? steps : 1;
    const int shift = group_shift(stretch);
    const std::size_t parts = ((std::max<std::size_t>(groups, 1) - 1) >> shift) + 1;
    const auto choose = [&](std::size_t first, std::size_t last, std::uint16_t* bucket) {
      for (std::size_t i = first; i < last; ++i) {
        const std::size_t row = order ? static_cast<std::size_t>(order[i]) : i;
        const std::size_t part = group_of(row) >> shift;
        bucket[i - first] =
            static_cast<std::uint16_t>(step_of_row ? part * steps + static_cast<std::size_t>(step_of_row[row]) : part);
      }
    };
    const auto buckets = share_out<KeyedRow>(rows, parts * stretch, threads, choose,
                                             [&](std::size_t first, std::size_t last, KeyedRow* filled) {
                                               for (std::size_t i = first; i < last; ++i) {
                                                 const std::size_t row = order ? static_cast<std::size_t>(order[i]) : i;
                                                 KeyedRow& one = filled[i - first];
                                                 one.row = static_cast<std::uint32_t>(row);
                                                 one.group = static_cast<std::uint32_t>(group_of(row));
                                                 std::memcpy(&one.key, values + row, sizeof(T));
                                               }
                                             });
    run_pieces(parts, threads, [&](int, std::size_t part) {
      constexpr std::size_t ahead = 24;
      const std::size_t last = buckets.starts[(part + 1) * stretch];
      for (std::size_t i = buckets.starts[part * stretch]; i < last; ++i) {
        if (i + ahead < last) __builtin_prefetch(result + buckets.rows[i + ahead].row, 1);
        T value;
        std::memcpy(&value, &buckets.rows[i].key, sizeof(T));
        visit(buckets.rows[i].row, buckets.rows[i].group, value);
      }
    });
  }

 private:
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
