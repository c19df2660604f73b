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

// Sorts by the key, and equal keys stay as they are; `spare` has room for as many.
void sort_keyed_rows(KeyedRow* rows, KeyedRow* spare, std::size_t count);

// Rows shared out to buckets: those of bucket b lie from starts[b] to starts[b + 1], in the order in which they came.
struct Buckets {
  Buffer<KeyedRow> rows;
  std::vector<std::size_t> starts;

  std::size_t count() const { return starts.size() - 1; }
  std::size_t greatest() const;
};

// `choose` says the bucket of each row from first to last, `fill` gives these rows with their keys. No more than 65,536
// buckets.
using ChooseBuckets = std::function<void(std::size_t first, std::size_t last, std::uint16_t* buckets)>;
using FillRows = std::function<void(std::size_t first, std::size_t last, KeyedRow* rows)>;
Buckets share_out(std::size_t rows, std::size_t buckets, Workers threads, const ChooseBuckets& choose, const FillRows& fill);

// Calls `done` for one bucket after the other, each sorted, possibly from several threads; the rows of a bucket come
// before those of the next, and equal keys are in one bucket. `start` is the place of its first row in the whole
// order. With one word of keys the rows have their whole keys.
using SortedBucket = std::function<void(const KeyedRow* rows, std::size_t count, std::size_t start)>;
void sort_in_buckets(const SortKeys& keys, std::size_t rows, Workers threads, const SortedBucket& done);

// The rows in their order, from 0.
void order_rows(const std::vector<SortColumn>& columns, std::size_t rows, Workers threads, std::int32_t* order);

}  // namespace rowanroot
