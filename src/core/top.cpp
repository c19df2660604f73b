#include "fast.h"

#include "top.h"

#include <algorithm>

#include "rounds.h"

namespace rowanroot {
namespace {

struct Candidate {
  std::uint64_t key;
  std::int32_t row;
};

bool before(const SortKeys& keys, const Candidate& a, const Candidate& b) {
  if (a.key != b.key) return a.key < b.key;
  for (std::size_t word = 1; word < keys.words(); ++word) {
    const std::uint64_t of_a = keys.word(static_cast<std::size_t>(a.row), word), of_b = keys.word(static_cast<std::size_t>(b.row), word);
    if (of_a != of_b) return of_a < of_b;
  }
  return a.row < b.row;
}

bool equal(const SortKeys& keys, const Candidate& a, const Candidate& b) {
  if (a.key != b.key) return false;
  for (std::size_t word = 1; word < keys.words(); ++word)
    if (keys.word(static_cast<std::size_t>(a.row), word) != keys.word(static_cast<std::size_t>(b.row), word)) return false;
  return true;
}

// What one thread knows of each group: its first rows so far, the last of them first to go. A key above `limit` is none.
class Heaps {
 public:
  Heaps(const SortKeys& keys, std::size_t count, std::size_t groups) : keys_(keys), count_(count), heaps_(groups), limits_(groups, ~std::uint64_t(0)) {}

  std::uint64_t limit(std::size_t group) const { return limits_[group]; }
  const std::vector<Candidate>& rows(std::size_t group) const { return heaps_[group]; }

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
    if (heap.size() == count_) limits_[group] = heap.front().key;
  }

 private:
  const SortKeys& keys_;
  const std::size_t count_;
  std::vector<std::vector<Candidate>> heaps_;
  std::vector<std::uint64_t> limits_;
};

// Calls work(stretch, row, key, group) for each row whose first column is known, by one thread a stretch.
template <class Work>
void each_known(const SortKeys& keys, std::size_t rows, const std::int32_t* group_of_row, Workers threads, Work work) {
  const std::size_t stretches = static_cast<std::size_t>(std::max<int>(threads, 1));
  run_pieces(stretches, threads, [&](int, std::size_t stretch) {
    keys.first_words(rows * stretch / stretches, rows * (stretch + 1) / stretches, [&](std::size_t row, std::uint64_t key, std::uint32_t) {
      work(stretch, row, key, group_of_row ? static_cast<std::size_t>(group_of_row[row]) : 0);
    });
  });
}

}  // namespace

std::vector<std::int32_t> top_rows(const SortKeys& keys, std::size_t rows, std::size_t count, bool ties, const std::int32_t* group_of_row,
                                   std::size_t groups, Workers threads) {
  if (count == 0) return {};
  const std::size_t stretches = static_cast<std::size_t>(std::max<int>(threads, 1));
  std::vector<Heaps> heaps;
  for (std::size_t k = 0; k < stretches; ++k) heaps.emplace_back(keys, count, groups);
  each_known(keys, rows, group_of_row, threads, [&](std::size_t stretch, std::size_t row, std::uint64_t key, std::size_t group) {
    if (key <= heaps[stretch].limit(group) && !keys.first_is_missing(row)) heaps[stretch].add(group, {key, static_cast<std::int32_t>(row)});
  });
  for (std::size_t k = 1; k < stretches; ++k)
    for (std::size_t g = 0; g < groups; ++g)
      for (const Candidate& candidate : heaps[k].rows(g)) heaps[0].add(g, candidate);
  std::vector<std::vector<Candidate>> found(groups);
  for (std::size_t g = 0; g < groups; ++g) found[g] = heaps[0].rows(g);
  if (ties) {
    // Rows that are equal to a full group's last one, and came too late.
    std::vector<std::vector<std::pair<std::size_t, Candidate>>> late(stretches);
    each_known(keys, rows, group_of_row, threads, [&](std::size_t stretch, std::size_t row, std::uint64_t key, std::size_t group) {
      if (key != heaps[0].limit(group) || heaps[0].rows(group).size() < count) return;
      const Candidate candidate = {key, static_cast<std::int32_t>(row)}, last = heaps[0].rows(group).front();
      if (before(keys, last, candidate) && equal(keys, last, candidate)) late[stretch].push_back({group, candidate});
    });
    for (const auto& part : late)
      for (const auto& one : part) found[one.first].push_back(one.second);
  }
  std::vector<std::int32_t> result;
  for (auto& group : found) {
    std::sort(group.begin(), group.end(), [&](const Candidate& a, const Candidate& b) { return before(keys, a, b); });
    for (const Candidate& candidate : group) result.push_back(candidate.row);
  }
  return result;
}

}  // namespace rowanroot
