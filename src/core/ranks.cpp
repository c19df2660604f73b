#include "fast.h"

#include "ranks.h"

#include <algorithm>
#include <vector>

#include "groups.h"
#include "rounds.h"
#include "sorting.h"

namespace rowanroot {
namespace {

std::int32_t missing_rank(std::int32_t) { return missing_integer; }
double missing_rank(double) { return missing_real(); }

// The rank of a value among others, by the rule for ties: `less` are less, `at_most` with it and those equal to it are
// at most as great, and `different` is the number of different values up to it. Where those that come first or last
// count it is another matter.
template <class Rank>
Rank rank_of_equals(Ties ties, std::size_t less, std::size_t at_most, std::size_t different) {
  switch (ties) {
    case Ties::greatest: return static_cast<Rank>(at_most);
    case Ties::average: return static_cast<Rank>((static_cast<double>(less + at_most) + 1) / 2);
    case Ties::dense: return static_cast<Rank>(different);
    default: return static_cast<Rank>(less + 1);
  }
}

// Ranks of sorted rows, of which the first comes after `before` others of its group; dense ones need the whole group.
template <class Rank>
void rank_sorted(const KeyedRow* sorted, std::size_t count, std::size_t before, Ties ties, Rank* ranks) {
  if (ties == Ties::least) {
    std::size_t equal_from = 0;
    for (std::size_t i = 0; i < count; ++i) {
      equal_from = i > 0 && sorted[i].key == sorted[i - 1].key ? equal_from : i;
      ranks[sorted[i].row] = static_cast<Rank>(before + equal_from + 1);
    }
    return;
  }
  std::size_t dense = before;
  for (std::size_t first = 0; first < count;) {
    std::size_t last = first + 1;
    while (last < count && sorted[last].key == sorted[first].key) ++last;
    ++dense;
    const Rank of_all = rank_of_equals<Rank>(ties, before + first, before + last, dense);
    for (std::size_t i = first; i < last; ++i)
      ranks[sorted[i].row] = ties == Ties::first  ? static_cast<Rank>(before + i + 1)
                             : ties == Ties::last ? static_cast<Rank>(before + first + last - i)
                                                  : of_all;
    first = last;
  }
}

std::size_t count_different(const KeyedRow* sorted, std::size_t count) {
  std::size_t different = count > 0;
  for (std::size_t i = 1; i < count; ++i) different += sorted[i].key != sorted[i - 1].key;
  return different;
}

// Rows that are missing stand together, at one end of the order: how many of these rows are, and where the others
// begin.
struct MissingPart {
  std::size_t rows, first_known;
};

MissingPart missing_part(const KeyedRow* sorted, std::size_t count, std::uint64_t code, bool at_start) {
  std::size_t missing = 0;
  if (at_start) {
    while (missing < count && sorted[missing].key == code) ++missing;
    return {missing, missing};
  }
  while (missing < count && sorted[count - 1 - missing].key == code) ++missing;
  return {missing, 0};
}

template <class Rank>
class Ranking {
 public:
  Ranking(const SortKeys& keys, const RankOptions& options, Rank* ranks)
      : options_(options), ranks_(ranks), has_missing_(keys.missing_rows() > 0), code_(keys.missing_code()) {}

  // Some sorted rows of a group that come after `before` others.
  void rank(const KeyedRow* sorted, std::size_t count, std::size_t before) const {
    MissingPart missing = {0, 0};
    if (has_missing_) missing = missing_part(sorted, count, code_, options_.missing == MissingRank::first);
    rank_sorted(sorted + missing.first_known, count - missing.rows, before + missing.first_known, options_.ties,
                ranks_);
    const std::size_t first = missing.first_known ? 0 : count - missing.rows;
    const bool counts_different = options_.ties == Ties::dense && !missing.first_known;
    const std::size_t places =
        counts_different ? before + count_different(sorted, count - missing.rows) : before + first;
    for (std::size_t k = 0; k < missing.rows; ++k)
      ranks_[sorted[first + k].row] =
          options_.missing == MissingRank::keep ? missing_rank(Rank()) : static_cast<Rank>(places + k + 1);
  }

 private:
  const RankOptions options_;
  Rank* const ranks_;
  const bool has_missing_;
  const std::uint64_t code_;
};

// In a small group it is quicker to count the lesser values than to sort. They are counted by the 31 highest bits in
// which they differ, many at a time; those that are equal in these are few, and compared whole.
constexpr std::size_t small = 256, at_once = 16;

ROWANROOT_WIDEST void count_less(const std::int32_t* places, std::size_t count, std::int32_t* less) {
  for (std::size_t first = 0; first < count; first += at_once) {
    std::int32_t than[at_once], sums[at_once];
    for (std::size_t k = 0; k < at_once; ++k) {
      than[k] = places[first + k];
      sums[k] = 0;
    }
    for (std::size_t j = 0; j < count; ++j)
      for (std::size_t k = 0; k < at_once; ++k) sums[k] += places[j] < than[k];
    for (std::size_t k = 0; k < at_once; ++k) less[first + k] = sums[k];
  }
}

// Room for a small group, up to a multiple of `at_once`.
struct SmallGroup {
  std::uint64_t keys[small];
  std::uint32_t rows[small];
  std::int32_t places[small] = {}, less[small];
  // Members with the same rank, as a chain: the last for each count of lesser ones, and the one before each.
  std::int32_t last[small], before[small];
};

template <class Rank>
void rank_small(SmallGroup& group, std::size_t count, Ties ties, Rank* ranks) {
  std::uint64_t least = ~std::uint64_t(0), greatest = 0;
  for (std::size_t i = 0; i < count; ++i) {
    least = std::min(least, group.keys[i]);
    greatest = std::max(greatest, group.keys[i]);
  }
  const int width = greatest > least ? 64 - __builtin_clzll(greatest - least) : 0, shift = std::max(width - 31, 0);
  for (std::size_t i = 0; i < count; ++i) group.places[i] = static_cast<std::int32_t>((group.keys[i] - least) >> shift);
  count_less(group.places, count, group.less);
  std::fill_n(group.last, count, -1);
  for (std::size_t i = 0; i < count; ++i) {
    std::int32_t& last = group.last[group.less[i]];
    group.before[i] = last;
    last = static_cast<std::int32_t>(i);
  }
  for (std::size_t i = 0; i < count; ++i) {
    std::size_t less = static_cast<std::size_t>(group.less[i]), at_most = less;
    for (std::int32_t k = group.last[group.less[i]]; k >= 0; k = group.before[k]) {
      less += group.keys[k] < group.keys[i];
      at_most += group.keys[k] <= group.keys[i];
    }
    ranks[group.rows[i]] = rank_of_equals<Rank>(ties, less, at_most, 0);
  }
}

// The ranks of one group, whose rows lie together.
template <class Rank>
void rank_group(const SortKeys& keys, const Ranking<Rank>& ranking, const RankOptions& options, KeyedRow* rows,
                std::size_t count, KeyedRow* spare, SmallGroup& small_group, Rank* ranks) {
  const bool by_counting =
      options.ties == Ties::least || options.ties == Ties::greatest || options.ties == Ties::average;
  if (!by_counting || count > small || options.missing != MissingRank::keep) {
    sort_keyed_rows(rows, spare, count);
    ranking.rank(rows, count, 0);
    return;
  }
  std::size_t known = 0;
  for (std::size_t i = 0; i < count; ++i) {
    if (keys.missing_rows() && rows[i].key == keys.missing_code()) {
      ranks[rows[i].row] = missing_rank(Rank());
      continue;
    }
    small_group.keys[known] = rows[i].key;
    small_group.rows[known++] = rows[i].row;
  }
  rank_small(small_group, known, options.ties, ranks);
}

// Rows in buckets of 2^shift groups each.
Buckets<GroupedKey> share_out_groups(const SortKeys& keys, std::size_t rows, const std::int32_t* group_of_row,
                                     std::size_t groups, int shift, Workers threads) {
  const auto choose = [=](std::size_t first, std::size_t last, std::uint16_t* bucket) {
    for (std::size_t i = first; i < last; ++i) bucket[i - first] = static_cast<std::uint16_t>(group_of_row[i] >> shift);
  };
  return share_out<GroupedKey>(
      rows, (groups >> shift) + 1, threads, choose, [&](std::size_t first, std::size_t last, GroupedKey* filled) {
        keys.first_words(first, last, [=](std::size_t i, std::uint64_t word, std::uint32_t) {
          filled[i - first] = {word, static_cast<std::uint32_t>(group_of_row[i])};
        });
      });
}

// The rows of a bucket, group by group; gives where each group ends. Their numbers are positions in the bucket.
std::vector<std::uint32_t> set_apart(const GroupedKey* bucket, std::size_t count, std::size_t first_place,
                                     std::size_t first_group, std::size_t groups, KeyedRow* to) {
  std::vector<std::uint32_t> ends(groups + 1, 0);
  for (std::size_t i = 0; i < count; ++i) ++ends[bucket[i].group - first_group + 1];
  for (std::size_t k = 0; k < groups; ++k) ends[k + 1] += ends[k];
  for (std::size_t i = 0; i < count; ++i)
    to[ends[bucket[i].group - first_group]++] = {bucket[i].key, static_cast<std::uint32_t>(first_place + i), 0};
  return ends;
}

// Rows go to buckets of several groups first, since a processor can't write to very many addresses in turn; then, in
// the bucket, to their groups.
template <class Rank>
void rank_groups(const SortKeys& keys, std::size_t rows, const RankOptions& options, const std::int32_t* group_of_row,
                 std::size_t groups, Workers threads, Rank* ranks) {
  constexpr std::size_t most_buckets = 1024;
  int shift = 0;
  while (groups >> shift > most_buckets) ++shift;
  const std::size_t together = std::size_t(1) << shift;
  const auto buckets = share_out_groups(keys, rows, group_of_row, groups, shift, threads);
  const std::size_t most = buckets.greatest();
  std::vector<Buffer<KeyedRow>> apart, spare;
  for (int worker = 0; worker < std::max<int>(threads, 1); ++worker) {
    apart.emplace_back(most);
    spare.emplace_back(most);
  }
  std::vector<SmallGroup> small_groups(std::max<int>(threads, 1));
  Buffer<Rank> at_places(rows);
  const Ranking<Rank> ranking(keys, options, at_places.data());
  run_pieces(buckets.count(), threads, [&](int worker, std::size_t b) {
    const std::size_t start = buckets.starts[b];
    KeyedRow* const to = apart[worker].data();
    const std::vector<std::uint32_t> ends =
        set_apart(buckets.rows.data() + start, buckets.starts[b + 1] - start, start, b * together, together, to);
    for (std::size_t k = 0, first = 0; k < together; first = ends[k++])
      rank_group(keys, ranking, options, to + first, ends[k] - first, spare[worker].data(), small_groups[worker],
                 at_places.data());
  });
  buckets.bring_back(at_places.data(), ranks, threads);
}

template <class Rank>
void rank_all(const SortKeys& keys, std::size_t rows, const RankOptions& options, Workers threads, Rank* ranks) {
  auto buckets = share_out_by_keys<KeyedRow>(keys, rows, threads);
  const std::size_t most = buckets.greatest();
  std::vector<Buffer<KeyedRow>> spare;
  for (int worker = 0; worker < std::max<int>(threads, 1); ++worker) spare.emplace_back(most);
  Buffer<Rank> at_places(rows);
  const Ranking<Rank> ranking(keys, options, at_places.data());
  run_pieces(buckets.count(), threads, [&](int worker, std::size_t b) {
    KeyedRow* const first = buckets.rows.data() + buckets.starts[b];
    const std::size_t start = buckets.starts[b], count = buckets.starts[b + 1] - start;
    for (std::size_t i = 0; i < count; ++i) first[i].row = static_cast<std::uint32_t>(start + i);
    sort_keyed_rows(first, spare[worker].data(), count);
    if (options.ties != Ties::dense) ranking.rank(first, count, start);
  });
  // How many different values come before a bucket is known only when all are sorted.
  if (options.ties == Ties::dense) ranking.rank(buckets.rows.data(), rows, 0);
  buckets.bring_back(at_places.data(), ranks, threads);
}

// Where the different values are few, only these are put in order, and each row has its value's rank. Says whether it
// did.
template <class Rank>
bool rank_few_values(const SortKeys& keys, Type type, const void* values, std::size_t rows, const RankOptions& options,
                     Workers threads, Rank* ranks) {
  constexpr std::size_t few = 65536;
  const bool by_row = options.ties == Ties::first || options.ties == Ties::last;
  if (by_row || (keys.missing_rows() > 0 && options.missing != MissingRank::keep) || !seem_few(type, values, rows, few))
    return false;
  Buffer<std::int32_t> value_of_row(rows);
  const std::size_t different = group_few(type, values, rows, few, threads, value_of_row.data());
  if (different == 0) return false;
  const RowVector<std::int32_t> counts = group_sizes(value_of_row.data(), rows, different, threads);
  const RowVector<std::int32_t> first = first_rows(value_of_row.data(), rows, different);
  struct Value {
    std::uint64_t key;
    std::size_t number;
  };
  std::vector<Value> sorted;
  for (std::size_t k = 0; k < different; ++k) sorted.push_back({keys.word(static_cast<std::size_t>(first[k]), 0), k});
  std::sort(sorted.begin(), sorted.end(), [](const Value& a, const Value& b) { return a.key < b.key; });
  std::vector<Rank> rank_of_value(different);
  std::size_t before = 0, dense = 0;
  for (const Value& value : sorted) {
    const std::size_t count = static_cast<std::size_t>(counts[value.number]);
    ++dense;
    const bool is_missing = keys.missing_rows() > 0 && value.key == keys.missing_code();
    rank_of_value[value.number] =
        is_missing ? missing_rank(Rank()) : rank_of_equals<Rank>(options.ties, before, before + count, dense);
    before += count;
  }
  constexpr std::size_t piece = 1 << 16;
  run_pieces((rows + piece - 1) / piece, threads, [&](int, std::size_t k) {
    for (std::size_t i = k * piece; i < std::min(rows, (k + 1) * piece); ++i) ranks[i] = rank_of_value[value_of_row[i]];
  });
  return true;
}

template <class Rank>
void rank_values(Type type, const void* values, std::size_t rows, const RankOptions& options,
                 const std::int32_t* group_of_row, std::size_t groups, Workers threads, Rank* ranks) {
  SortColumn column{type, values, options.descending, options.missing == MissingRank::first};
  const SortKeys keys({column}, rows, threads, group_of_row == nullptr);
  if (group_of_row) rank_groups(keys, rows, options, group_of_row, groups, threads, ranks);
  else if (!rank_few_values(keys, type, values, rows, options, threads, ranks))
    rank_all(keys, rows, options, threads, ranks);
}

}  // namespace

void rank_rows(Type type, const void* values, std::size_t rows, const RankOptions& options,
               const std::int32_t* group_of_row, std::size_t groups, Workers threads, std::int32_t* ranks) {
  rank_values(type, values, rows, options, group_of_row, groups, threads, ranks);
}

void rank_rows(Type type, const void* values, std::size_t rows, const RankOptions& options,
               const std::int32_t* group_of_row, std::size_t groups, Workers threads, double* ranks) {
  rank_values(type, values, rows, options, group_of_row, groups, threads, ranks);
}

}  // namespace rowanroot
