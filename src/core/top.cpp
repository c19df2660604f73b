#include "fast.h"

#include "top.h"

#include <algorithm>
#include <functional>

#include "numbering.h"
#include "rounds.h"

namespace rowanroot {
namespace {

// Rows that are looked at together, between which the job can be stopped.
constexpr std::size_t block_rows = 65536;

struct Candidate {
  std::uint64_t key;
  std::int32_t row;
};

int compare(const SortKeys& keys, const Candidate& a, const Candidate& b) {
  if (a.key != b.key) return a.key < b.key ? -1 : 1;
  for (std::size_t word = 1; word < keys.words(); ++word) {
    const std::uint64_t of_a = keys.word(static_cast<std::size_t>(a.row), word),
                        of_b = keys.word(static_cast<std::size_t>(b.row), word);
    if (of_a != of_b) return of_a < of_b ? -1 : 1;
  }
  return 0;
}

bool before(const SortKeys& keys, const Candidate& a, const Candidate& b) {
  const int order = compare(keys, a, b);
  return order != 0 ? order < 0 : a.row < b.row;
}

// The rows of each group, the first of them first.
std::vector<std::int32_t> rows_in_order(const SortKeys& keys, std::vector<std::vector<Candidate>>& groups) {
  std::vector<std::int32_t> rows;
  for (auto& group : groups) {
    std::sort(group.begin(), group.end(), [&](const Candidate& a, const Candidate& b) { return before(keys, a, b); });
    for (const Candidate& candidate : group) rows.push_back(candidate.row);
  }
  return rows;
}

// All rows as one group.
class OneGroup {
 public:
  std::int32_t number(std::uint64_t) { return 0; }
  std::int32_t find(std::uint64_t) const { return 0; }
  template <class KeyAt, class Added, class Visit>
  void visit_each(std::size_t first, std::size_t last, KeyAt, Added added, Visit visit) {
    added(1);
    for (std::size_t i = first; i < last; ++i) visit(i, 0);
  }
  const RowVector<std::uint64_t>& keys() const { return keys_; }

 private:
  RowVector<std::uint64_t> keys_ = {0};
};

// What is known of each group: its first rows so far, the last of them first to go. Whether a row can be one of them is
// told by its value in the first column, mostly.
template <class T, class Numbers>
class Heaps {
 public:
  Heaps(const SortKeys& keys, std::size_t count)
      : keys_(keys), values_(static_cast<const T*>(keys.column(0).values)), descending_(keys.column(0).descending),
        alone_(keys.columns() == 1), count_(count) {}

  // Rows come one after the other: one that is equal to the last of its group comes too late, unless later columns say
  // otherwise.
  template <class GroupKey>
  void look_at(std::size_t first, std::size_t last, GroupKey group_key) {
    if (alone_ && descending_) look_at_better(first, last, group_key, std::greater<T>());
    else if (alone_) look_at_better(first, last, group_key, std::less<T>());
    else if (descending_) look_at_better(first, last, group_key, std::greater_equal<T>());
    else look_at_better(first, last, group_key, std::less_equal<T>());
  }

  void take_in(const Heaps& later) {
    for (std::size_t g = 0; g < later.heaps_.size(); ++g) {
      const std::size_t group = static_cast<std::size_t>(groups_.number(later.groups_.keys()[g]));
      if (group == heaps_.size()) heaps_.emplace_back(), ends_.emplace_back();
      for (const Candidate& candidate : later.heaps_[g]) add(group, candidate);
    }
  }

  // The number of the group if the row is equal to the group's last one, and came too late; else less than 0.
  std::int32_t came_too_late(std::size_t row, std::uint64_t group_key) const {
    const std::int32_t group = groups_.find(group_key);
    const End& end = ends_[static_cast<std::size_t>(group)];
    if (!end.full || !(values_[row] == end.value)) return -1;
    const Candidate candidate = {keys_.word(row, 0), static_cast<std::int32_t>(row)};
    const Candidate& last = heaps_[static_cast<std::size_t>(group)].front();
    return last.row < candidate.row && compare(keys_, last, candidate) == 0 ? group : -1;
  }

  std::vector<std::vector<Candidate>>& rows() { return heaps_; }

 private:
  struct End {
    T value = 0;
    bool full = false;
  };

  template <class GroupKey, class Better>
  void look_at_better(std::size_t first, std::size_t last, GroupKey group_key, Better better) {
    const End* ends = ends_.data();
    const T* const values = values_;
    const auto added = [&](std::size_t groups) {
      heaps_.resize(groups);
      ends_.resize(groups);
      ends = ends_.data();
    };
    groups_.visit_each(first, last, group_key, added, [&](std::size_t row, std::int32_t group) {
      const End& end = ends[group];
      if (!better(values[row], end.value) & end.full || is_missing(values[row])) return;
      add(static_cast<std::size_t>(group), {keys_.word(row, 0), static_cast<std::int32_t>(row)});
    });
  }

  void add(std::size_t group, const Candidate& candidate) {
    std::vector<Candidate>& heap = heaps_[group];
    const auto less = [this](const Candidate& a, const Candidate& b) { return before(keys_, a, b); };
    if (heap.size() == count_) {
      if (!less(candidate, heap.front())) return;
      std::pop_heap(heap.begin(), heap.end(), less);
      heap.back() = candidate;
    } else {
      heap.push_back(candidate);
    }
    std::push_heap(heap.begin(), heap.end(), less);
    if (heap.size() == count_) ends_[group] = {values_[heap.front().row], true};
  }

  const SortKeys& keys_;
  const T* const values_;
  const bool descending_, alone_;
  const std::size_t count_;
  Numbers groups_;
  std::vector<std::vector<Candidate>> heaps_;
  std::vector<End> ends_;
};

template <class T, class Numbers, class GroupKey>
std::vector<std::int32_t> find_top(const SortKeys& keys, std::size_t rows, std::size_t count, bool ties,
                                   Workers threads, GroupKey group_key) {
  const std::size_t stretches = static_cast<std::size_t>(std::max<int>(threads, 1));
  const auto each_block = [&](const auto& work) {
    run_pieces(stretches, threads, [&](int, std::size_t stretch) {
      const std::size_t end = rows * (stretch + 1) / stretches;
      for (std::size_t first = rows * stretch / stretches; first < end; first += block_rows)
        work(stretch, first, std::min(first + block_rows, end));
    });
  };
  std::vector<Heaps<T, Numbers>> heaps(stretches, Heaps<T, Numbers>(keys, count));
  each_block([&](std::size_t stretch, std::size_t first, std::size_t last) {
    heaps[stretch].look_at(first, last, group_key);
  });
  for (std::size_t k = 1; k < stretches; ++k) heaps[0].take_in(heaps[k]);
  std::vector<std::vector<Candidate>>& found = heaps[0].rows();
  if (ties) {
    std::vector<std::vector<std::pair<std::size_t, Candidate>>> late(stretches);
    each_block([&](std::size_t stretch, std::size_t first, std::size_t last) {
      for (std::size_t row = first; row < last; ++row) {
        const std::int32_t group = heaps[0].came_too_late(row, group_key(row));
        if (group >= 0)
          late[stretch].push_back(
              {static_cast<std::size_t>(group), {keys.word(row, 0), static_cast<std::int32_t>(row)}});
      }
    });
    for (const auto& part : late)
      for (const auto& one : part) found[one.first].push_back(one.second);
  }
  return rows_in_order(keys, found);
}

template <class T>
std::vector<std::int32_t> find_top(const SortKeys& keys, std::size_t rows, std::size_t count, bool ties,
                                   const GroupColumn& groups, Workers threads) {
  const auto by = [&](const auto* values) {
    return find_top<T, Numbering>(keys, rows, count, ties, threads,
                                  [values](std::size_t row) { return key_of(values[row]); });
  };
  if (!groups.values)
    return find_top<T, OneGroup>(keys, rows, count, ties, threads, [](std::size_t) { return std::uint64_t(0); });
  switch (groups.type) {
    case Type::real: return by(static_cast<const double*>(groups.values));
    case Type::long_integer: return by(static_cast<const std::int64_t*>(groups.values));
    case Type::text: return by(static_cast<const Text*>(groups.values));
    default: return by(static_cast<const std::int32_t*>(groups.values));
  }
}

}  // namespace

std::vector<std::int32_t> top_rows(const SortKeys& keys, std::size_t rows, std::size_t count, bool ties,
                                   const GroupColumn& groups, Workers threads) {
  if (count == 0 || rows == 0) return {};
  switch (keys.column(0).type) {
    case Type::real: return find_top<double>(keys, rows, count, ties, groups, threads);
    case Type::long_integer: return find_top<std::int64_t>(keys, rows, count, ties, groups, threads);
    default: return find_top<std::int32_t>(keys, rows, count, ties, groups, threads);
  }
}

}  // namespace rowanroot
