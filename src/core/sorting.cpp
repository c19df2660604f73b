#include "fast.h"

#include "sorting.h"

#include <algorithm>
#include <cmath>

#include "rounds.h"

namespace rowanroot {
namespace {

constexpr std::size_t block_rows = 2048;

constexpr std::size_t few = 24;

// `to` may be where they are.
template <class Row>
void sort_few(const Row* rows, std::size_t count, Row* to) {
  for (std::size_t i = 0; i < count; ++i) {
    const Row row = rows[i];
    std::size_t place = i;
    for (; place > 0 && key_of_row(to[place - 1]) > key_of_row(row); --place) to[place] = to[place - 1];
    to[place] = row;
  }
}

// A shift that leaves numbers up to `span` with at most so many bits.
int shift_to(std::uint64_t span, int bits) {
  const int width = span ? 64 - __builtin_clzll(span) : 0;
  return std::max(width - bits, 0);
}

}  // namespace

// By the highest bits in which the keys differ, as many as make buckets of a few rows; then each bucket by itself.
template <class Row>
void sort_keyed_rows(Row* rows, Row* spare, std::size_t count) {
  if (count <= few) return sort_few(rows, count, rows);
  std::uint64_t least = key_of_row(rows[0]), greatest = least;
  bool sorted = true;
  for (std::size_t i = 1; i < count; ++i) {
    sorted = sorted && key_of_row(rows[i]) >= key_of_row(rows[i - 1]);
    least = std::min(least, key_of_row(rows[i]));
    greatest = std::max(greatest, key_of_row(rows[i]));
  }
  if (sorted) return;
  int bits = 4;
  while (bits < 11 && (std::size_t(1) << bits) < count) ++bits;
  const int shift = shift_to(greatest - least, bits);
  const std::size_t buckets = static_cast<std::size_t>((greatest - least) >> shift) + 1;
  std::uint32_t starts[(1 << 11) + 1];
  std::fill_n(starts, buckets + 1, 0);
  for (std::size_t i = 0; i < count; ++i) ++starts[((key_of_row(rows[i]) - least) >> shift) + 1];
  for (std::size_t b = 0; b < buckets; ++b) starts[b + 1] += starts[b];
  for (std::size_t i = 0; i < count; ++i) spare[starts[(key_of_row(rows[i]) - least) >> shift]++] = rows[i];
  // Each start has moved on to its bucket's end. A few rows are put in order on their way back.
  for (std::size_t b = 0, first = 0; b < buckets; ++b) {
    const std::size_t size = starts[b] - first;
    if (size <= few) {
      sort_few(spare + first, size, rows + first);
    } else {
      std::copy(spare + first, spare + starts[b], rows + first);
      if (shift > 0) sort_keyed_rows(rows + first, spare + first, size);
    }
    first = starts[b];
  }
}

template <class Row>
std::size_t Buckets<Row>::greatest() const {
  std::size_t greatest = 0;
  for (std::size_t b = 0; b < count(); ++b) greatest = std::max(greatest, starts[b + 1] - starts[b]);
  return greatest;
}

template <class Row>
Buckets<Row>::Buckets(std::size_t rows, std::size_t buckets, int threads)
    : rows(rows),
      starts(buckets + 1, 0),
      bucket_of(rows),
      places(std::max(threads, 1), std::vector<std::uint32_t>(buckets, 0)),
      row_count(rows) {}

// So many buckets can be written to at once wherever they lie.
constexpr std::size_t few_buckets = 256;

// Rows for many buckets of a file that memory does not hold: those of a bucket are collected until they fill a page of
// it, so that each page is written to once or twice, and not once for each of its rows.
template <class Row>
class PageWriter {
 public:
  // `next` has the place of the next row of each bucket.
  PageWriter(std::size_t buckets, Row* to, std::uint32_t* next)
      : to_(to),
        next_(next),
        room_(std::min(page, most_collected / std::max<std::size_t>(buckets, 1)) / sizeof(Row)),
        collected_(buckets * room_),
        counts_(buckets, 0) {}

  void put(std::size_t bucket, const Row& row) {
    collected_[bucket * room_ + counts_[bucket]++] = row;
    const auto end = reinterpret_cast<std::uintptr_t>(to_ + next_[bucket] + counts_[bucket]);
    if (counts_[bucket] == room_ || end % page < sizeof(Row)) put_bucket(bucket);
  }

  void put_all() {
    for (std::size_t bucket = 0; bucket < counts_.size(); ++bucket) put_bucket(bucket);
  }

 private:
  static constexpr std::size_t page = 4096, most_collected = std::size_t(1) << 24;

  void put_bucket(std::size_t bucket) {
    std::copy_n(collected_.data() + bucket * room_, counts_[bucket], to_ + next_[bucket]);
    next_[bucket] += counts_[bucket];
    counts_[bucket] = 0;
  }

  Row* const to_;
  std::uint32_t* const next_;
  const std::size_t room_;
  std::vector<Row> collected_;
  std::vector<std::uint32_t> counts_;
};

// Each thread does one stretch of rows: it counts its rows of each bucket, then puts them behind those of the
// stretches before.
template <class Row>
Buckets<Row> share_out(std::size_t rows, std::size_t buckets, Workers threads, const ChooseBuckets& choose,
                       const FillRows<Row>& fill) {
  Buckets<Row> result(rows, buckets, threads);
  const auto each_block = [&](std::size_t stretch, const auto& work) {
    const std::size_t end = result.edge(stretch + 1);
    for (std::size_t first = result.edge(stretch); first < end; first += block_rows)
      work(first, std::min(first + block_rows, end));
  };
  std::uint16_t* const bucket_of = result.bucket_of.data();
  run_pieces(result.stretches(), threads, [&](int, std::size_t stretch) {
    std::uint32_t* const counts = result.places[stretch].data();
    each_block(stretch, [&](std::size_t first, std::size_t last) {
      choose(first, last, bucket_of + first);
      for (std::size_t i = first; i < last; ++i) ++counts[bucket_of[i]];
    });
  });
  std::uint32_t place = 0;
  for (std::size_t b = 0; b < buckets; ++b) {
    result.starts[b] = place;
    for (auto& counts : result.places) {
      const std::uint32_t count = counts[b];
      counts[b] = place;
      place += count;
    }
  }
  result.starts[buckets] = place;
  Row* const to = result.rows.data();
  const bool by_pages = buckets > few_buckets && is_beyond_memory();
  run_pieces(result.stretches(), threads, [&](int, std::size_t stretch) {
    std::vector<std::uint32_t> next = result.places[stretch];
    std::vector<Row> filled(block_rows);
    PageWriter<Row> pages(by_pages ? buckets : 0, to, next.data());
    each_block(stretch, [&](std::size_t first, std::size_t last) {
      fill(first, last, filled.data());
      if (by_pages) for (std::size_t i = first; i < last; ++i) pages.put(bucket_of[i], filled[i - first]);
      else for (std::size_t i = first; i < last; ++i) to[next[bucket_of[i]]++] = filled[i - first];
    });
    pages.put_all();
  });
  return result;
}

namespace {

// How rows are shared out to buckets: by the highest bits of the first word of their key, or, where there are doubles
// that this shares out more evenly, by the bits before them and their value.
struct Sharing {
  std::size_t buckets = 1;
  int shift = 0;
  SortKeys::Reals reals;  // with no values: by bits
  std::uint32_t parts = 1;  // for each code of the bits before
  double least = 0, scale = 0;

  bool needs_words() const { return reals.values ? reals.bits_before > 0 : buckets > 1; }

  std::uint16_t bucket(std::uint64_t word, std::size_t row) const {
    if (!reals.values) return buckets == 1 ? 0 : static_cast<std::uint16_t>(word >> shift);
    return static_cast<std::uint16_t>((reals.bits_before ? static_cast<std::uint32_t>(word >> shift) : 0) * parts +
                                      part(reals.values[row]));
  }

 private:
  // What is missing has a part of its own.
  std::uint32_t part(double value) const {
    if (value != value) return reals.missing_first ? 0 : parts - 1;
    const double place = (value - least) * scale, last = static_cast<double>(parts - 2);
    const std::uint32_t known = place < 0 ? 0 : place > last ? parts - 2 : static_cast<std::uint32_t>(place);
    return (reals.descending ? parts - 2 - known : known) + reals.missing_first;
  }
};

std::size_t fullest(const SortKeys& keys, const Sharing& sharing, std::size_t sample, std::size_t step) {
  std::vector<std::size_t> counts(sharing.buckets, 0);
  for (std::size_t i = 0; i < sample; ++i) ++counts[sharing.bucket(keys.word(i * step, 0), i * step)];
  return *std::max_element(counts.begin(), counts.end());
}

Sharing choose_sharing(const SortKeys& keys, std::size_t rows) {
  Sharing by_bits;
  if (rows < 2 * block_rows || keys.words() == 0) return by_bits;
  const std::size_t width = keys.first_word_bits(), most_bits = 11;
  by_bits.shift = static_cast<int>(width > most_bits ? width - most_bits : 0);
  by_bits.buckets = std::size_t(1) << std::min(width, most_bits);
  Sharing by_value;
  by_value.reals = keys.reals(8);
  if (!by_value.reals.values) return by_bits;
  const std::size_t sample = 2048, step = rows / sample;
  std::vector<double> known;
  for (std::size_t i = 0; i < sample; ++i)
    if (std::isfinite(by_value.reals.values[i * step])) known.push_back(by_value.reals.values[i * step]);
  if (known.size() < sample / 2) return by_bits;
  std::sort(known.begin(), known.end());
  by_value.parts = static_cast<std::uint32_t>((std::size_t(1) << most_bits) >> by_value.reals.bits_before);
  by_value.buckets = static_cast<std::size_t>(by_value.parts) << by_value.reals.bits_before;
  by_value.shift = static_cast<int>(width - by_value.reals.bits_before);
  by_value.least = known.front();
  by_value.scale = static_cast<double>(by_value.parts - 1) / (known.back() - known.front());
  if (!std::isfinite(by_value.scale)) return by_bits;
  return fullest(keys, by_value, sample, step) < fullest(keys, by_bits, sample, step) ? by_value : by_bits;
}

// Runs of rows with equal keys: sort_run(first, count).
template <class SortRun>
void each_run(KeyedRow* rows, std::size_t count, SortRun sort_run) {
  for (std::size_t first = 0; first < count;) {
    std::size_t last = first + 1;
    while (last < count && rows[last].key == rows[first].key) ++last;
    if (last - first > 1) sort_run(rows + first, last - first);
    first = last;
  }
}

// Rows that are equal in the words so far, by the words that follow.
void refine(const SortKeys& keys, KeyedRow* rows, KeyedRow* spare, std::size_t count, std::size_t number) {
  if (number >= keys.words()) return;
  each_run(rows, count, [&](KeyedRow* first, std::size_t size) {
    for (std::size_t i = 0; i < size; ++i) first[i].key = keys.word(first[i].row, number);
    sort_keyed_rows(first, spare, size);
    refine(keys, first, spare, size, number + 1);
  });
}

// The same with the part of the second word that rows have with them; the word itself has to be fetched only for those
// that are equal in that too.
void refine_sorted(const SortKeys& keys, KeyedRow* rows, KeyedRow* spare, std::size_t count) {
  if (keys.words() < 2) return;
  each_run(rows, count, [&](KeyedRow* first, std::size_t size) {
    for (std::size_t i = 0; i < size; ++i) first[i].key = first[i].group;
    sort_keyed_rows(first, spare, size);
    if (!keys.first_words_are_all()) refine(keys, first, spare, size, 1);
  });
}

}  // namespace

namespace {

KeyedRow row_of(std::uint64_t word, std::size_t row, std::uint32_t more, KeyedRow) {
  return {word, static_cast<std::uint32_t>(row), more};
}
std::uint64_t row_of(std::uint64_t word, std::size_t, std::uint32_t, std::uint64_t) { return word; }

}  // namespace

template <class Row>
Buckets<Row> share_out_by_keys(const SortKeys& keys, std::size_t rows, Workers threads) {
  const Sharing sharing = choose_sharing(keys, rows);
  const auto choose = [&](std::size_t first, std::size_t last, std::uint16_t* bucket) {
    if (!sharing.needs_words()) {
      for (std::size_t i = first; i < last; ++i) bucket[i - first] = sharing.bucket(0, i);
      return;
    }
    keys.first_words(first, last, [=, &sharing](std::size_t i, std::uint64_t word, std::uint32_t) {
      bucket[i - first] = sharing.bucket(word, i);
    });
  };
  return share_out<Row>(rows, sharing.buckets, threads, choose, [&](std::size_t first, std::size_t last, Row* filled) {
    keys.first_words(first, last, [=](std::size_t i, std::uint64_t word, std::uint32_t more) {
      filled[i - first] = row_of(word, i, more, Row());
    });
  });
}

void sort_in_buckets(const SortKeys& keys, std::size_t rows, Workers threads, const SortedBucket& done) {
  auto buckets = share_out_by_keys<KeyedRow>(keys, rows, threads);
  const std::size_t spare_rows = buckets.greatest();
  std::vector<Buffer<KeyedRow>> spare;
  for (int worker = 0; worker < std::max<int>(threads, 1); ++worker) spare.emplace_back(spare_rows);
  run_pieces(buckets.count(), threads, [&](int worker, std::size_t b) {
    KeyedRow* const first = buckets.rows.data() + buckets.starts[b];
    const std::size_t count = buckets.starts[b + 1] - buckets.starts[b];
    if (count == 0) return;
    sort_keyed_rows(first, spare[worker].data(), count);
    refine_sorted(keys, first, spare[worker].data(), count);
    done(first, count, buckets.starts[b]);
  });
}

#define ROWANROOT_SHARED_OUT(Row) \
  template struct Buckets<Row>;   \
  template Buckets<Row> share_out(std::size_t, std::size_t, Workers, const ChooseBuckets&, const FillRows<Row>&)
#define ROWANROOT_SORTED(Row)                             \
  ROWANROOT_SHARED_OUT(Row);                              \
  template void sort_keyed_rows(Row*, Row*, std::size_t); \
  template Buckets<Row> share_out_by_keys(const SortKeys&, std::size_t, Workers)
ROWANROOT_SHARED_OUT(GroupedKey);
ROWANROOT_SHARED_OUT(std::uint32_t);
ROWANROOT_SORTED(KeyedRow);
ROWANROOT_SORTED(std::uint64_t);
#undef ROWANROOT_SORTED
#undef ROWANROOT_SHARED_OUT

void order_rows(const std::vector<SortColumn>& columns, std::size_t rows, Workers threads, std::int32_t* order) {
  const SortKeys keys(columns, rows, threads);
  sort_in_buckets(keys, rows, threads, [&](const KeyedRow* sorted, std::size_t count, std::size_t start) {
    for (std::size_t i = 0; i < count; ++i) order[start + i] = static_cast<std::int32_t>(sorted[i].row);
  });
}

}  // namespace rowanroot
