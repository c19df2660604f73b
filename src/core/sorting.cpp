#include "fast.h"

#include "sorting.h"

#include <algorithm>
#include <cmath>

#include "rounds.h"

namespace rowanroot {
namespace {

constexpr std::size_t block_rows = 4096;
constexpr std::size_t most_buckets = 4096;

void sort_few(KeyedRow* rows, std::size_t count) {
  for (std::size_t i = 1; i < count; ++i) {
    const KeyedRow row = rows[i];
    std::size_t place = i;
    for (; place > 0 && rows[place - 1].key > row.key; --place) rows[place] = rows[place - 1];
    rows[place] = row;
  }
}

// A shift that leaves numbers up to `span` with at most so many bits.
int shift_to(std::uint64_t span, int bits) {
  const int width = span ? 64 - __builtin_clzll(span) : 0;
  return std::max(width - bits, 0);
}

}  // namespace

// By the highest bits in which the keys differ, as many as make buckets of a few rows; then each bucket by itself.
void sort_keyed_rows(KeyedRow* rows, KeyedRow* spare, std::size_t count) {
  constexpr std::size_t few = 24;
  if (count <= few) return sort_few(rows, count);
  std::uint64_t least = rows[0].key, greatest = least;
  bool sorted = true;
  for (std::size_t i = 1; i < count; ++i) {
    sorted = sorted && rows[i].key >= rows[i - 1].key;
    least = std::min(least, rows[i].key);
    greatest = std::max(greatest, rows[i].key);
  }
  if (sorted) return;
  int bits = 4;
  while (bits < 11 && (std::size_t(1) << bits) * 4 < count) ++bits;
  const int shift = shift_to(greatest - least, bits);
  const std::size_t buckets = static_cast<std::size_t>((greatest - least) >> shift) + 1;
  std::uint32_t starts[(1 << 11) + 1];
  std::fill_n(starts, buckets + 1, 0);
  for (std::size_t i = 0; i < count; ++i) ++starts[((rows[i].key - least) >> shift) + 1];
  for (std::size_t b = 0; b < buckets; ++b) starts[b + 1] += starts[b];
  for (std::size_t i = 0; i < count; ++i) spare[starts[(rows[i].key - least) >> shift]++] = rows[i];
  std::copy(spare, spare + count, rows);
  if (shift == 0) return;
  // Each start has moved on to its bucket's end.
  for (std::size_t b = 0, first = 0; b < buckets; ++b) {
    if (starts[b] - first > 1) sort_keyed_rows(rows + first, spare + first, starts[b] - first);
    first = starts[b];
  }
}

std::size_t Buckets::greatest() const {
  std::size_t greatest = 0;
  for (std::size_t b = 0; b < count(); ++b) greatest = std::max(greatest, starts[b + 1] - starts[b]);
  return greatest;
}

// Each thread does one stretch of rows: it counts its rows of each bucket, then puts them behind those of the
// stretches before.
Buckets share_out(std::size_t rows, std::size_t buckets, int threads, const FillBuckets& fill) {
  const std::size_t stretches = static_cast<std::size_t>(std::max(threads, 1));
  const auto edge = [&](std::size_t stretch) { return rows * stretch / stretches; };
  std::vector<std::vector<std::uint32_t>> next(stretches, std::vector<std::uint32_t>(buckets, 0));
  const auto each_block = [&](std::size_t stretch, const auto& work) {
    std::uint64_t keys[block_rows];
    std::uint32_t bucket[block_rows];
    for (std::size_t first = edge(stretch); first < edge(stretch + 1); first += block_rows) {
      const std::size_t last = std::min(first + block_rows, edge(stretch + 1));
      fill(first, last, keys, bucket);
      work(first, last, keys, bucket);
    }
  };
  run_pieces(stretches, threads, [&](int, std::size_t stretch) {
    std::vector<std::uint32_t>& counts = next[stretch];
    each_block(stretch, [&](std::size_t first, std::size_t last, const std::uint64_t*, const std::uint32_t* bucket) {
      for (std::size_t i = 0; i < last - first; ++i) ++counts[bucket[i]];
    });
  });
  Buckets result{Buffer<KeyedRow>(rows), std::vector<std::size_t>(buckets + 1, 0)};
  std::uint32_t place = 0;
  for (std::size_t b = 0; b < buckets; ++b) {
    result.starts[b] = place;
    for (auto& counts : next) {
      const std::uint32_t count = counts[b];
      counts[b] = place;
      place += count;
    }
  }
  result.starts[buckets] = place;
  KeyedRow* const to = result.rows.data();
  run_pieces(stretches, threads, [&](int, std::size_t stretch) {
    std::vector<std::uint32_t>& places = next[stretch];
    each_block(stretch, [&](std::size_t first, std::size_t last, const std::uint64_t* keys, const std::uint32_t* bucket) {
      for (std::size_t i = 0; i < last - first; ++i) to[places[bucket[i]]++] = {keys[i], static_cast<std::uint32_t>(first + i)};
    });
  });
  return result;
}

namespace {

// How rows are shared out to buckets: by the highest bits of the first word of their key, or, for one column of
// doubles that this shares out more evenly, by their value.
struct Sharing {
  int shift = 0;
  std::size_t buckets = 1;
  bool by_value = false;
  double least = 0, scale = 0;
};

std::size_t fullest(std::vector<std::uint32_t>& buckets) {
  std::vector<std::size_t> counts(most_buckets + 2, 0);
  for (std::uint32_t bucket : buckets) ++counts[bucket];
  return *std::max_element(counts.begin(), counts.end());
}

std::uint32_t bucket_of_value(const Sharing& sharing, double value, bool descending) {
  const double place = (value - sharing.least) * sharing.scale;
  const double top = static_cast<double>(most_buckets - 1);
  const std::uint32_t bucket = place < 0 ? 0 : place > top ? most_buckets - 1 : static_cast<std::uint32_t>(place);
  return descending ? static_cast<std::uint32_t>(most_buckets) - 1 - bucket : bucket;
}

Sharing choose_sharing(const SortKeys& keys, std::size_t rows) {
  Sharing sharing;
  if (rows < 2 * block_rows || keys.words() == 0) return sharing;
  const std::size_t width = keys.words() > 1 ? 64 : keys.first_word_bits();
  sharing.shift = static_cast<int>(width > 12 ? width - 12 : 0);
  sharing.buckets = std::min(most_buckets, std::size_t(1) << std::min<std::size_t>(width, 12));
  const double* values = keys.only_reals();
  if (!values) return sharing;
  const std::size_t sample = 2048, step = rows / sample;
  std::vector<double> known;
  for (std::size_t i = 0; i < sample; ++i)
    if (std::isfinite(values[i * step])) known.push_back(values[i * step]);
  if (known.size() < sample / 2) return sharing;
  std::sort(known.begin(), known.end());
  Sharing by_value = sharing;
  by_value.by_value = true;
  by_value.buckets = most_buckets + 1;  // and one for what is missing
  by_value.least = known.front();
  by_value.scale = static_cast<double>(most_buckets) / (known.back() - known.front());
  if (!std::isfinite(by_value.scale)) return sharing;
  std::vector<std::uint32_t> in_bits, in_values;
  for (std::size_t i = 0; i < sample; ++i) {
    const double value = values[i * step];
    if (!std::isfinite(value)) continue;
    in_bits.push_back(static_cast<std::uint32_t>(keys.word(i * step, 0) >> sharing.shift));
    in_values.push_back(bucket_of_value(by_value, value, false));
  }
  return fullest(in_values) < fullest(in_bits) ? by_value : sharing;
}

// Rows that are equal in the words so far, by the words that follow.
void refine(const SortKeys& keys, KeyedRow* rows, KeyedRow* spare, std::size_t count, std::size_t number) {
  if (number >= keys.words()) return;
  for (std::size_t first = 0; first < count;) {
    std::size_t last = first + 1;
    while (last < count && rows[last].key == rows[first].key) ++last;
    if (last - first > 1) {
      for (std::size_t i = first; i < last; ++i) rows[i].key = keys.word(rows[i].row, number);
      sort_keyed_rows(rows + first, spare + first, last - first);
      refine(keys, rows + first, spare + first, last - first, number + 1);
    }
    first = last;
  }
}

}  // namespace

void sort_in_buckets(const SortKeys& keys, std::size_t rows, int threads, const SortedBucket& done) {
  const Sharing sharing = choose_sharing(keys, rows);
  const double* values = keys.only_reals();
  const bool descending = keys.first_is_descending();
  const bool missing_first = keys.missing_code() == 0 && keys.missing_rows() > 0;
  Buckets buckets = share_out(rows, sharing.buckets, threads, [&](std::size_t first, std::size_t last, std::uint64_t* words, std::uint32_t* bucket) {
    keys.first_words(first, last, words);
    if (sharing.by_value) {
      for (std::size_t i = first; i < last; ++i) {
        if (values[i] != values[i]) bucket[i - first] = missing_first ? 0 : static_cast<std::uint32_t>(most_buckets);
        else bucket[i - first] = bucket_of_value(sharing, values[i], descending) + missing_first;
      }
    } else {
      for (std::size_t i = 0; i < last - first; ++i) bucket[i] = static_cast<std::uint32_t>(sharing.buckets == 1 ? 0 : words[i] >> sharing.shift);
    }
  });
  const std::size_t spare_rows = buckets.greatest();
  std::vector<Buffer<KeyedRow>> spare;
  for (int worker = 0; worker < std::max(threads, 1); ++worker) spare.emplace_back(spare_rows);
  run_pieces(buckets.count(), threads, [&](int worker, std::size_t b) {
    KeyedRow* const first = buckets.rows.data() + buckets.starts[b];
    const std::size_t count = buckets.starts[b + 1] - buckets.starts[b];
    if (count == 0) return;
    sort_keyed_rows(first, spare[worker].data(), count);
    refine(keys, first, spare[worker].data(), count, 1);
    done(first, count, buckets.starts[b]);
  });
}

void order_rows(const std::vector<SortColumn>& columns, std::size_t rows, int threads, std::int32_t* order) {
  const SortKeys keys(columns, rows, threads);
  sort_in_buckets(keys, rows, threads, [&](const KeyedRow* sorted, std::size_t count, std::size_t start) {
    for (std::size_t i = 0; i < count; ++i) order[start + i] = static_cast<std::int32_t>(sorted[i].row);
  });
}

}  // namespace rowanroot
