#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <tuple>

#include "beyond.h"
#include "check.h"
#include "distribution.h"
#include "gather.h"
#include "moving.h"
#include "quantiles.h"
#include "ranks.h"
#include "recurrence.h"
#include "running.h"
#include "sorting.h"
#include "top.h"

using namespace rowanroot;

namespace {

struct Columns {
  std::vector<double> real;
  std::vector<std::int32_t> few, group, steps;
  std::vector<std::int64_t> big;
};

// Values far apart and close together, with ties and missing ones.
Columns random_columns(std::size_t rows, unsigned seed) {
  std::mt19937_64 random(seed);
  Columns all;
  for (std::size_t i = 0; i < rows; ++i) {
    const double value =
        i % 3 ? static_cast<double>(random() % 1000) / 7 - 20 : std::pow(10, static_cast<double>(random() % 600) - 300);
    all.real.push_back(random() % 20 == 0 ? missing_real() : value);
    all.few.push_back(random() % 9 == 0 ? missing_integer : static_cast<std::int32_t>(random() % 5) - 2);
    all.group.push_back(static_cast<std::int32_t>(random() % 300));
    all.steps.push_back(static_cast<std::int32_t>(random() % 12));
    all.big.push_back(static_cast<std::int64_t>(random()));
  }
  return all;
}

// Less in the order, what is missing last.
template <class T>
int compare(T a, T b, bool descending) {
  if (is_missing(a) || is_missing(b)) return static_cast<int>(is_missing(a)) - static_cast<int>(is_missing(b));
  return a == b ? 0 : (a < b) != descending ? -1 : 1;
}

std::vector<std::int32_t> counted_to(std::size_t rows) {
  std::vector<std::int32_t> all(rows);
  std::iota(all.begin(), all.end(), 0);
  return all;
}

}  // namespace

TEST("rows are in the order that a stable sort gives, for one column and several, with any number of threads") {
  within_and_beyond_memory([&] {
    for (std::size_t rows : {0, 1, 30, 20000}) {
      const Columns all = random_columns(rows, 1);
      for (int threads : {1, 3}) for (bool descending : {false, true}) {
        std::vector<std::int32_t> order(rows), expected = counted_to(rows);
        const SortColumn real{Type::real, all.real.data(), descending, false},
            few{Type::integer, all.few.data(), false, false},
            big{Type::long_integer, all.big.data(), descending, false};
        order_rows({few, real, big}, rows, threads, order.data());
        std::stable_sort(expected.begin(), expected.end(), [&](std::int32_t a, std::int32_t b) {
          int result = compare(all.few[a], all.few[b], false);
          if (result == 0) result = compare(all.real[a], all.real[b], descending);
          if (result == 0) result = compare(all.big[a], all.big[b], descending);
          return result < 0;
        });
        CHECK(order == expected);
        order_rows({real}, rows, threads, order.data());
        expected = counted_to(rows);
        std::stable_sort(expected.begin(), expected.end(), [&](std::int32_t a, std::int32_t b) {
          return compare(all.real[a], all.real[b], descending) < 0;
        });
        CHECK(order == expected);

        std::vector<double> gathered(rows);
        std::vector<std::int32_t> also(rows), third(rows);
        gather({{all.real.data(), gathered.data(), 8},
                {all.few.data(), also.data(), 4},
                {all.group.data(), third.data(), 4}},
               rows, order.data(), rows, threads);
        bool same = true;
        for (std::size_t i = 0; i < rows; ++i)
          same = same && compare(gathered[i], all.real[order[i]], false) == 0 && also[i] == all.few[order[i]];
        CHECK(same);
      }
    }
  });
}

TEST("ranks count the values that come before, in all and in groups") {
  const std::size_t rows = 9000;
  const Columns all = random_columns(rows, 2);
  for (bool grouped : {false, true}) for (int threads : {1, 2}) {
    RankOptions options;
    std::vector<std::int32_t> ranks(rows);
    const std::int32_t* groups = grouped ? all.group.data() : nullptr;
    rank_rows(Type::real, all.real.data(), rows, options, groups, 300, threads, ranks.data());
    bool same = true;
    for (std::size_t i = 0; i < rows; i += 37) {
      std::int32_t less = 0;
      for (std::size_t j = 0; j < rows; ++j)
        less += all.real[j] < all.real[i] && (!grouped || all.group[j] == all.group[i]);
      same = same && ranks[i] == (is_missing(all.real[i]) ? missing_integer : less + 1);
    }
    CHECK(same);
    const SortKeys keys({{Type::real, all.real.data(), true, false}}, rows, threads);
    for (std::int32_t row : top_rows(keys, rows, 2, false, {Type::integer, groups}, threads)) {
      int greater = 0;
      for (std::size_t j = 0; j < rows; ++j)
        greater += all.real[j] > all.real[row] && (!grouped || all.group[j] == all.group[row]);
      CHECK(greater < 2);
    }
  }
}

TEST("the first rows by several columns are those of the order by all of them") {
  constexpr std::size_t rows = 3000;
  std::vector<double> first(rows), second(rows), third(rows);
  std::mt19937_64 random(77);
  for (std::size_t i = 0; i < rows; ++i) {
    first[i] = static_cast<double>(random() % 2) / 3;
    second[i] = static_cast<double>(random() % 3) / 7;
    third[i] = static_cast<double>(random() % 1000) / 11;
  }
  for (bool descending : {false, true}) {
    const SortKeys keys({{Type::real, first.data(), false, false}, {Type::real, second.data(), descending, false},
                         {Type::real, third.data(), descending, false}}, rows, 2);
    std::vector<std::int32_t> order = counted_to(rows);
    std::stable_sort(order.begin(), order.end(), [&](std::int32_t a, std::int32_t b) {
      const auto key = [&](std::int32_t row) {
        const std::size_t i = static_cast<std::size_t>(row);
        return std::make_tuple(first[i], descending ? -second[i] : second[i], descending ? -third[i] : third[i]);
      };
      return key(a) < key(b);
    });
    for (std::size_t count : {1, 5, 40}) {
      const auto top = top_rows(keys, rows, count, false, {}, 2);
      CHECK(std::equal(top.begin(), top.end(), order.begin(), order.begin() + static_cast<std::ptrdiff_t>(count)));
    }
  }
}

TEST("the first rows of each group are those of the order, with ties or without, by groups of any type") {
  const std::size_t rows = 4000;
  const Columns all = random_columns(rows, 32);
  std::vector<double> real_groups(rows);
  std::vector<std::int64_t> big_groups(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    real_groups[i] = static_cast<double>(all.group[i]) / 4;
    big_groups[i] = (std::int64_t(1) << 40) + all.group[i];
  }
  const std::vector<GroupColumn> ways = {{Type::integer, all.group.data()}, {Type::real, real_groups.data()},
                                         {Type::long_integer, big_groups.data()}, {}};
  const auto check_top = [&](Type type, const auto& column, bool descending) {
    const SortKeys keys({{type, column.data(), descending, false}}, rows, 2);
    std::vector<std::int32_t> order = counted_to(rows);
    std::stable_sort(order.begin(), order.end(), [&](std::int32_t a, std::int32_t b) {
      return compare(column[static_cast<std::size_t>(a)], column[static_cast<std::size_t>(b)], descending) < 0;
    });
    for (const GroupColumn& way : ways) for (std::size_t count : {1, 2, 3}) for (bool ties : {false, true}) {
      const auto group_of = [&](std::int32_t row) {
        return way.values ? static_cast<std::size_t>(all.group[static_cast<std::size_t>(row)]) : 0;
      };
      std::vector<std::vector<std::int32_t>> of_group(300);
      for (std::int32_t row : order) {
        const auto value = column[static_cast<std::size_t>(row)];
        std::vector<std::int32_t>& top = of_group[group_of(row)];
        if (is_missing(value)) continue;
        if (top.size() < count || (ties && compare(value, column[static_cast<std::size_t>(top.back())], false) == 0))
          top.push_back(row);
      }
      std::vector<std::int32_t> expected;
      for (std::size_t i = 0; i < rows; ++i) {
        std::vector<std::int32_t>& top = of_group[group_of(static_cast<std::int32_t>(i))];
        expected.insert(expected.end(), top.begin(), top.end());
        top.clear();
      }
      CHECK(top_rows(keys, rows, count, ties, way, 2) == expected);
    }
  };
  check_top(Type::real, all.real, true);
  check_top(Type::real, all.real, false);
  check_top(Type::integer, all.few, true);
  check_top(Type::long_integer, all.big, false);
}

namespace {

// The rank of a value among those of its group, which come in row order.
double slow_rank(const std::vector<double>& group, std::size_t at, const RankOptions& options) {
  std::vector<double> known;
  std::size_t missing = 0, missing_up_to = 0, same_up_to = 0, before = 0, same = 0;
  for (std::size_t k = 0; k < group.size(); ++k) {
    if (is_missing(group[k])) {
      ++missing;
      missing_up_to += k <= at;
      continue;
    }
    known.push_back(group[k]);
    if (is_missing(group[at])) continue;
    before += options.descending ? group[k] > group[at] : group[k] < group[at];
    same += group[k] == group[at];
    same_up_to += group[k] == group[at] && k <= at;
  }
  std::vector<double> different = known;
  std::sort(different.begin(), different.end());
  different.erase(std::unique(different.begin(), different.end()), different.end());
  const bool first = options.missing == MissingRank::first, dense = options.ties == Ties::dense;
  if (is_missing(group[at])) {
    if (options.missing == MissingRank::keep) return missing_real();
    return static_cast<double>(missing_up_to + (first ? 0 : dense ? different.size() : known.size()));
  }
  const double earlier = static_cast<double>(first ? missing : 0), count = static_cast<double>(same);
  switch (options.ties) {
    case Ties::least: return earlier + static_cast<double>(before) + 1;
    case Ties::greatest: return earlier + static_cast<double>(before) + count;
    case Ties::average: return earlier + static_cast<double>(before) + (count + 1) / 2;
    case Ties::first: return earlier + static_cast<double>(before + same_up_to);
    case Ties::last: return earlier + static_cast<double>(before + same - same_up_to + 1);
    case Ties::dense: break;
  }
  const auto place = std::lower_bound(different.begin(), different.end(), group[at]) - different.begin();
  return earlier + static_cast<double>(options.descending ? static_cast<std::ptrdiff_t>(different.size()) - place
                                                          : place + 1);
}

}  // namespace

TEST("ranks are those that one finds by looking at the whole group, with any ties and missing values") {
  std::mt19937 random(33);
  for (const std::size_t rows : {1, 60, 300}) for (bool with_missing : {false, true}) for (int groups : {0, 1, 7}) {
    std::vector<double> values(rows);
    std::vector<std::int32_t> group(rows, 0);
    for (std::size_t i = 0; i < rows; ++i) {
      values[i] = with_missing && random() % 6 == 0 ? missing_real() : static_cast<double>(random() % 90) / 8 - 5;
      if (groups) group[i] = static_cast<std::int32_t>(random() % static_cast<unsigned>(groups));
    }
    std::vector<std::vector<double>> members(8);
    std::vector<std::size_t> place(rows);
    for (std::size_t i = 0; i < rows; ++i) {
      std::vector<double>& of_group = members[static_cast<std::size_t>(group[i])];
      place[i] = of_group.size();
      of_group.push_back(values[i]);
    }
    for (bool descending : {false, true})
      for (Ties ties : {Ties::least, Ties::greatest, Ties::average, Ties::first, Ties::last, Ties::dense})
        for (MissingRank missing : {MissingRank::keep, MissingRank::first, MissingRank::last}) {
          RankOptions options;
          options.descending = descending;
          options.ties = ties;
          options.missing = missing;
          std::vector<double> ranks(rows);
          rank_rows(Type::real, values.data(), rows, options, groups ? group.data() : nullptr,
                    static_cast<std::size_t>(std::max(groups, 1)), 2, ranks.data());
          bool right = true;
          for (std::size_t i = 0; i < rows; ++i)
            right = right &&
                    compare(ranks[i], slow_rank(members[static_cast<std::size_t>(group[i])], place[i], options),
                            false) == 0;
          CHECK(right);
        }
  }
}

TEST("whole numbers that lie close together have a code each") {
  const std::vector<std::int32_t> few = {5, missing_integer, 8, 5, 12};
  std::vector<std::int32_t> codes(few.size(), -1);
  const SortColumn column{Type::integer, few.data(), false, false};
  CHECK(compact_codes(column, few.size(), 7, codes.data()) == 0);
  CHECK(compact_codes(column, few.size(), 8, codes.data()) == 9);
  CHECK(codes == (std::vector<std::int32_t>{0, 8, 3, 0, 7}));
}

TEST("running totals along steps are those along the order that the steps give") {
  const std::size_t rows = 6000;
  const Columns all = random_columns(rows, 3);
  std::vector<std::int32_t> order(rows);
  order_rows({{Type::integer, all.steps.data(), false, false}}, rows, 2, order.data());
  Sequence sequence;
  sequence.rows = rows;
  sequence.group_of_row = all.group.data();
  sequence.groups = 300;
  std::vector<double> by_order(rows), by_steps(rows), windows(rows);
  for (const char* missing : {"skip", "carry", "stop"}) {
    sequence.threads = 3;
    sequence.order = order.data();
    sequence.step_of_row = nullptr;
    RunningState first, second;
    running(Running::total, at_missing_of_name(missing), Type::real, all.real.data(), sequence, first, by_order.data());
    sequence.order = nullptr;
    sequence.step_of_row = all.steps.data();
    sequence.steps = 12;
    within_and_beyond_memory([&] {
      second = RunningState();
      by_steps.assign(rows, 0);
      running(Running::total, at_missing_of_name(missing), Type::real, all.real.data(), sequence, second,
              by_steps.data());
      CHECK(std::memcmp(by_order.data(), by_steps.data(), rows * sizeof(double)) == 0);
    });
  }
  sequence.step_of_row = nullptr;
  sequence.order = order.data();
  for (std::size_t window : {1, 4, 6000}) {
    Window last;
    last.before = window - 1;
    last.complete = false;
    moving(Moving::least, last, all.real.data(), sequence, windows.data());
    last.complete = true;
    moving(Moving::total, last, all.real.data(), sequence, windows.data());
    bool own = true;
    for (std::size_t i = 0; i < rows; ++i) own = own && (window > 1 || compare(windows[i], all.real[i], false) == 0);
    CHECK(own);
  }
  const RowVector<double> middle = medians(Type::real, all.real.data(), rows, true, all.group.data(), 300);
  const RowVector<double> half = quantiles(0.5, Type::real, all.real.data(), rows, all.group.data(), 300);
  bool same = true;
  for (std::size_t g = 0; g < 300; ++g) same = same && std::fabs(middle[g] - half[g]) <= 1e-12 * std::fabs(half[g]);
  CHECK(same);
}

TEST("a recurrence gives the same as a chain and as a program") {
  const std::size_t rows = 500;
  const Columns all = random_columns(rows, 4);
  std::vector<double> x(all.real);
  for (double& value : x) value = is_missing(value) ? 1 : std::fmod(value, 100);
  Sequence sequence;
  sequence.rows = rows;
  sequence.group_of_row = all.group.data();
  sequence.groups = 300;
  std::vector<double> chain(rows), program(rows);
  for (bool is_chain : {true, false}) {
    Program one;
    const int above = one.add_input(Type::real), input = one.add_input(Type::real);
    const int keep = one.add_constant(Constant::of_real(0.99));
    int result = one.add_operation("add", {one.add_operation("multiply", {above, keep}), input});
    if (!is_chain) result = one.add_operation("copy", {result});
    const std::vector<Link> links = {
        {one.add_output(result), above, Constant::of_real(2), nullptr, (is_chain ? chain : program).data()}};
    run_recurrence(one, links, {nullptr, x.data()}, sequence, nullptr);
  }
  CHECK(chain == program);
  CHECK(chain[0] == 2 * 0.99 + x[0]);
}

TEST("the columns of a recurrence are those of the row above, by group, and begin with what each group has") {
  const std::size_t rows = 500, groups = 300;
  const Columns all = random_columns(rows, 4);
  Sequence sequence;
  sequence.rows = rows;
  sequence.group_of_row = all.group.data();
  sequence.groups = groups;
  std::vector<double> x(rows), first(rows), sum(rows), same(rows), starts(groups);
  std::vector<std::int32_t> count(rows);
  for (std::size_t i = 0; i < rows; ++i) x[i] = static_cast<double>(i % 7) - 3;
  for (std::size_t g = 0; g < groups; ++g) starts[g] = static_cast<double>(g);
  Program one;
  // first <- sum above, sum <- first above + x, the same again, count <- count above + 1
  const int first_above = one.add_input(Type::real), sum_above = one.add_input(Type::real);
  const int same_above = one.add_input(Type::real), count_above = one.add_input(Type::integer);
  const int input = one.add_input(Type::real), step = one.add_constant(Constant::of_integer(1));
  const int added = one.add_operation("add", {first_above, input});
  const Constant ten = Constant::of_real(10);
  const std::vector<Link> links = {
      {one.add_output(one.add_operation("copy", {sum_above})), first_above, ten, nullptr, first.data()},
      {one.add_output(added), sum_above, ten, starts.data(), sum.data()},
      {one.add_output(added), same_above, ten, nullptr, same.data()},
      {one.add_output(one.add_operation("add", {count_above, step})), count_above, Constant::of_integer(0), nullptr,
       count.data()}};
  run_recurrence(one, links, {nullptr, nullptr, nullptr, nullptr, x.data()}, sequence, nullptr);
  std::vector<double> last_first(groups, 10), last_sum(starts);
  std::vector<std::int32_t> last_count(groups, 0);
  bool right = true;
  for (std::size_t i = 0; i < rows; ++i) {
    const std::size_t g = static_cast<std::size_t>(all.group[i]);
    const double now_first = last_sum[g], now_sum = last_first[g] + x[i];
    right = right && first[i] == now_first && sum[i] == now_sum && same[i] == now_sum && count[i] == last_count[g] + 1;
    last_first[g] = now_first;
    last_sum[g] = now_sum;
    ++last_count[g];
  }
  CHECK(right);
}

TEST("a distribution is that of the sorted values") {
  for (const std::size_t rows : {0, 1, 2, 300, 20000, 200000}) {
    const Columns all = random_columns(rows, static_cast<unsigned>(rows) + 5);
    const std::vector<double> shares = {0, 0.25, 0.5, 0.9, 1};
    const auto is_right = [&](Type type, const auto& column) {
      auto known = column;
      known.erase(std::remove_if(known.begin(), known.end(), [](auto value) { return is_missing(value); }),
                  known.end());
      std::sort(known.begin(), known.end());
      const Distribution found = distribution(type, column.data(), rows, shares, 2);
      CHECK(found.known == known.size());
      CHECK(found.quantiles.size() == (known.empty() ? 0 : shares.size()));
      bool same = true;
      for (std::size_t k = 0; k < found.quantiles.size(); ++k) {
        const double place = static_cast<double>(known.size() - 1) * shares[k] + 1;
        const std::size_t lower = static_cast<std::size_t>(place) - 1, upper = std::min(lower + 1, known.size() - 1);
        same = same && found.quantiles[k] ==
                           between_two(static_cast<double>(known[lower]), static_cast<double>(known[upper]), place);
      }
      CHECK(same);
      known.erase(std::unique(known.begin(), known.end()), known.end());
      CHECK(found.different == known.size());
    };
    is_right(Type::real, all.real);
    is_right(Type::integer, all.few);
    is_right(Type::long_integer, all.big);
  }
}

TEST("keys of several words, and ones that all but the last bits share, sort as a stable sort does") {
  const std::size_t rows = 3000;
  std::mt19937_64 random(11);
  std::vector<std::vector<double>> columns(3, std::vector<double>(rows));
  for (auto& column : columns)
    for (double& value : column) {
      const int exponent = static_cast<int>(random() % 3) * 300 - 300;
      const double far = std::ldexp(1.0 + static_cast<double>(random() % 3) / 4, exponent);
      value = random() % 9 == 0 ? missing_real() : random() % 2 ? far : -far;
    }
  for (bool descending : {false, true}) for (bool missing_first : {false, true}) {
    std::vector<std::int32_t> order(rows), expected = counted_to(rows);
    std::vector<SortColumn> by;
    for (const auto& column : columns) by.push_back({Type::real, column.data(), descending, missing_first});
    order_rows(by, rows, 2, order.data());
    std::stable_sort(expected.begin(), expected.end(), [&](std::int32_t a, std::int32_t b) {
      for (const auto& column : columns) {
        int result = compare(column[a], column[b], descending);
        if (missing_first && is_missing(column[a]) != is_missing(column[b])) result = -result;
        if (result) return result < 0;
      }
      return false;
    });
    CHECK(order == expected);
  }
}

TEST("numbers behind a key of two values sort as a stable sort does") {
  const std::size_t rows = 60000;
  std::mt19937_64 random(21);
  std::vector<std::int32_t> flags(rows);
  std::vector<double> values(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    flags[i] = static_cast<std::int32_t>(random() % 2);
    values[i] = static_cast<double>(random() % 1000000) / 1e6;
  }
  within_and_beyond_memory([&] {
    for (bool descending : {false, true}) {
      std::vector<std::int32_t> order(rows), expected = counted_to(rows);
      order_rows({{Type::logical, flags.data(), descending, false}, {Type::real, values.data(), false, false}}, rows, 2,
                 order.data());
      std::stable_sort(expected.begin(), expected.end(), [&](std::int32_t a, std::int32_t b) {
        if (flags[a] != flags[b]) return (flags[a] < flags[b]) != descending;
        return values[a] < values[b];
      });
      CHECK(order == expected);
    }
  });
}

TEST("the last known value, and the next, are those that one finds row by row") {
  const std::size_t rows = 4000;
  const Columns all = random_columns(rows, 12);
  std::vector<std::int32_t> order = counted_to(rows);
  std::shuffle(order.begin(), order.end(), std::mt19937(3));
  for (bool grouped : {false, true}) for (bool ordered : {false, true}) for (bool backwards : {false, true}) {
    if (ordered && backwards) continue;
    Sequence sequence;
    sequence.rows = rows;
    if (ordered) sequence.order = order.data();
    if (grouped) sequence.group_of_row = all.group.data(), sequence.groups = 300;
    std::vector<double> found(rows), expected(rows), last(300, missing_real());
    within_and_beyond_memory(
        [&] { last_known(all.real.data(), backwards, sequence, missing_real(), found.data()); });
    for (std::size_t k = 0; k < rows; ++k) {
      const std::size_t at = backwards ? rows - 1 - k : k, row = ordered ? static_cast<std::size_t>(order[at]) : at;
      double& of_group = last[grouped ? static_cast<std::size_t>(all.group[row]) : 0];
      if (!is_missing(all.real[row])) of_group = all.real[row];
      expected[row] = of_group;
    }
    bool same = true;
    for (std::size_t i = 0; i < rows; ++i) same = same && compare(found[i], expected[i], false) == 0;
    CHECK(same);
  }
  for (std::int64_t count : {1, 7, 12}) for (std::int64_t parts : {1, 3, 12, 20}) {
    std::vector<std::int64_t> sizes(static_cast<std::size_t>(parts), 0);
    for (std::int32_t rank = 1; rank <= count; ++rank)
      ++sizes[static_cast<std::size_t>(PartsOfRanks(count, parts)(rank) - 1)];
    for (std::size_t k = 0; k < sizes.size(); ++k)
      CHECK(sizes[k] == count / parts + (static_cast<std::int64_t>(k) < count % parts));
  }
}

TEST("a recurrence of one operation is that operation, row after row") {
  const std::vector<double> x = {3, -2, 0.5, 4, 1.25};
  const auto run = [&](const char* name, bool left) {
    Program one;
    const int above = one.add_input(Type::real), input = one.add_input(Type::real);
    const int output =
        one.add_output(one.add_operation(name, left ? std::vector<int>{above, input} : std::vector<int>{input, above}));
    Sequence sequence;
    sequence.rows = x.size();
    std::vector<double> result(x.size());
    run_recurrence(one, {{output, above, Constant::of_real(2), nullptr, result.data()}}, {nullptr, x.data()}, sequence,
                   nullptr);
    return result;
  };
  const auto slowly = [&](const std::function<double(double, double)>& f) {
    std::vector<double> result;
    double above = 2;
    for (double value : x) result.push_back(above = f(above, value));
    return result;
  };
  CHECK(run("add", true) == slowly([](double a, double b) { return a + b; }));
  CHECK(run("multiply", false) == slowly([](double a, double b) { return a * b; }));
  CHECK(run("subtract", true) == slowly([](double a, double b) { return a - b; }));
  CHECK(run("subtract", false) == slowly([](double a, double b) { return b - a; }));
  CHECK(run("divide", true) == slowly([](double a, double b) { return a / b; }));
  CHECK(run("divide", false) == slowly([](double a, double b) { return b / a; }));
  CHECK(run("lesser_of", true) == slowly([](double a, double b) { return b < a ? b : a; }));
}
