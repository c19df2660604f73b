#pragma once
// Rows in the order of their keys. Rows with equal keys stay in the order in which they came.

#include <cstddef>
#include <cstdint>
#include <functional>
#include <vector>

#include "memory.h"
#include "sort_keys.h"

namespace rowanroot {

struct KeyedRow {
  std::uint64_t key;
  std::uint32_t row;
  std::uint32_t group;  // where rows are of groups; else the bits of a key that follow on `key`
};

// What a row takes with it on the way to its group: short, since writing to addresses far apart is most of the work.
struct __attribute__((packed)) GroupedKey {
  std::uint64_t key;
  std::uint32_t group;
};

inline std::uint64_t key_of_row(const KeyedRow& row) { return row.key; }
inline std::uint64_t key_of_row(std::uint64_t key) { return key; }

// What follows is for rows, or for keys alone where it doesn't matter which rows they are of.

// Sorts by the key, and equal keys stay as they are; `spare` has room for as many.
template <class Row>
void sort_keyed_rows(Row* rows, Row* spare, std::size_t count);

// Rows shared out to buckets: those of bucket b lie from starts[b] to starts[b + 1], in the order in which they came.
template <class Row>
struct Buckets {
  Buckets(std::size_t rows, std::size_t buckets, int threads);

  Buffer<Row> rows;
  std::vector<std::size_t> starts;
  // The way of each row: its bucket, and for each stretch of rows where its first row of each bucket lies.
  Buffer<std::uint16_t> bucket_of;
  std::vector<std::vector<std::uint32_t>> places;

  std::size_t count() const { return starts.size() - 1; }
  std::size_t greatest() const;
  std::size_t stretches() const { return places.size(); }
  std::size_t edge(std::size_t stretch) const { return row_count * stretch / stretches(); }

  // Values that lie where the rows of the buckets do, back to where the rows came from. This reads and writes one place
  // after the other, which writing to the rows' own places from a bucket, all over the memory, does not.
  template <class T>
  void bring_back(const T* values, T* to, Workers threads) const {
    run_pieces(stretches(), threads, [&](int, std::size_t stretch) {
      std::vector<std::uint32_t> next = places[stretch];
      for (std::size_t i = edge(stretch); i < edge(stretch + 1); ++i) to[i] = values[next[bucket_of[i]]++];
    });
  }

  // The other way: values that lie where rows came from, to where these lie now.
  template <class T>
  void take_along(const T* values, T* to, Workers threads) const {
    run_pieces(stretches(), threads, [&](int, std::size_t stretch) {
      std::vector<std::uint32_t> next = places[stretch];
      for (std::size_t i = edge(stretch); i < edge(stretch + 1); ++i) to[next[bucket_of[i]]++] = values[i];
    });
  }

  const std::size_t row_count;
};

// `choose` gives the bucket of each row from first to last, `fill` gives these rows with their keys. At most 65,536
// buckets.
using ChooseBuckets = std::function<void(std::size_t first, std::size_t last, std::uint16_t* buckets)>;
template <class Row>
using FillRows = std::function<void(std::size_t first, std::size_t last, Row* rows)>;
template <class Row>
Buckets<Row> share_out(std::size_t rows, std::size_t buckets, Workers threads, const ChooseBuckets& choose,
                       const FillRows<Row>& fill);

// Rows shared out by their keys: the rows of a bucket come before those of the next, and equal keys are in one bucket.
// With one word of keys the rows have their whole keys.
template <class Row>
Buckets<Row> share_out_by_keys(const SortKeys& keys, std::size_t rows, Workers threads);

// Calls `done` for one bucket after the other, each sorted, possibly from several threads; the rows of a bucket come
// before those of the next, and equal keys are in one bucket. `start` is the place of its first row in the whole
// order. With one word of keys the rows have their whole keys.
using SortedBucket = std::function<void(const KeyedRow* rows, std::size_t count, std::size_t start)>;
void sort_in_buckets(const SortKeys& keys, std::size_t rows, Workers threads, const SortedBucket& done);

// The rows in their order, from 0.
void order_rows(const std::vector<SortColumn>& columns, std::size_t rows, Workers threads, std::int32_t* order);

}  // namespace rowanroot
