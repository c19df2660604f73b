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

// Where the rows of an order lie, for a column that does not fit in memory.
class FarOrder {
 public:
  // Steps are numbers of rows that rise along the order, below `count`; with them the order is made.
  FarOrder(const std::int32_t* order, const std::int32_t* step_of_row, std::size_t count, std::size_t rows,
           const Workers& threads);

  const std::int32_t* order() const { return order_; }
  // Values of `width` bytes, from their rows to their places in the order, and back.
  void fetch(const void* from, std::size_t width, void* to) const;
  void send(const void* from, std::size_t width, void* to) const;

 private:
  Buckets<std::uint32_t> by_step_;
  const std::int32_t* order_;
  FarRows far_;
};

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
  // some groups each. With more in use than fits in memory, values and results go there and back one stretch after the
  // other.
  template <class T, class Result, class Visit>
  void each_value(const T* values, Result* result, Visit visit) const {
    if (!order && !step_of_row) {
      each_place([&](std::size_t i) { visit(i, group_of(i), values[i], result[i]); });
      return;
    }
    if (!is_beyond_memory()) {
      const SharedOut shared = share_out_values({order, group_of_row, values, sizeof(T)});
      each_shared_out<T>(shared, result, static_cast<Result*>(nullptr), visit);
      return;
    }
    const FarOrder far(order, step_of_row, steps, rows, threads);
    Buffer<Result> results(rows);
    each_shared_out<T>(share_out_far(far, values, sizeof(T)), static_cast<Result*>(nullptr), results.data(), visit);
    far.send(results.data(), sizeof(Result), result);
  }

 private:
  // Values of `width` bytes and groups, at the rows of an order; null where they lie one after the other.
  struct Source {
    const std::int32_t *order, *group_of_row;
    const void* values;
    std::size_t width;
  };
  // Rows in parts that have some groups each, of so many buckets each.
  struct SharedOut {
    Buckets<KeyedRow> buckets;
    std::size_t parts, stretch;
  };

  SharedOut share_out_values(const Source& source) const;
  SharedOut share_out_far(const FarOrder& far, const void* values, std::size_t width) const;

  // Results are written where their rows lie, or else `in_order` and brought back to the places of the order.
  template <class T, class Result, class Visit>
  void each_shared_out(const SharedOut& shared, Result* result, Result* in_order, Visit visit) const {
    const Buckets<KeyedRow>& buckets = shared.buckets;
    Buffer<Result> shared_out(in_order ? rows : 0);
    run_pieces(shared.parts, threads, [&](int, std::size_t part) {
      constexpr std::size_t ahead = 24;
      const std::size_t last = buckets.starts[(part + 1) * shared.stretch];
      for (std::size_t i = buckets.starts[part * shared.stretch]; i < last; ++i) {
        if (result && i + ahead < last) __builtin_prefetch(result + buckets.rows[i + ahead].row, 1);
        const KeyedRow& one = buckets.rows[i];
        T value;
        std::memcpy(&value, &one.key, sizeof(T));
        visit(one.row, one.group, value, result ? result[one.row] : shared_out[i]);
      }
    });
    if (in_order) buckets.bring_back(shared_out.data(), in_order, threads);
  }

  int group_shift(std::size_t stretch) const;
};

}  // namespace rowanroot
