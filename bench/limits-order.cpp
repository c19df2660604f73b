// What hand-written C++ does for one task of ranks and order, as limits.cpp does for formulas: it knows the types, the
// number of groups and days, and that nothing else will be asked.
// [[Rcpp::plugins(cpp17)]]
#include <Rcpp.h>
#include <sys/mman.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <cstring>
#include <thread>
#include <vector>

namespace {

using Key = std::uint64_t;
struct Pair {
  Key key;
  std::uint32_t row, more;
};

template <class T>
struct Buffer {
  T* p;
  explicit Buffer(std::size_t n) {
    const std::size_t bytes = n * sizeof(T) + 64;
    p = static_cast<T*>(std::aligned_alloc(2u << 20, (bytes + (2u << 20) - 1) & ~((std::size_t(2) << 20) - 1)));
    madvise(p, bytes, MADV_HUGEPAGE);
  }
  ~Buffer() { std::free(p); }
};

SEXP new_vector(SEXPTYPE type, R_xlen_t n) {
  SEXP x = Rf_allocVector(type, n);
  const std::uintptr_t page = 2u << 20, start = (reinterpret_cast<std::uintptr_t>(DATAPTR(x)) + page - 1) & ~(page - 1);
  const std::uintptr_t end = (reinterpret_cast<std::uintptr_t>(DATAPTR(x)) + n * (type == INTSXP ? 4 : 8)) & ~(page - 1);
  if (type != STRSXP && end > start) madvise(reinterpret_cast<void*>(start), end - start, MADV_HUGEPAGE);
  return x;
}

template <class Work>
void share_out(std::size_t n, int threads, Work work) {
  std::vector<std::thread> team;
  for (int t = 1; t < threads; ++t) team.emplace_back([=] { work(n * t / threads, n * (t + 1) / threads, t); });
  work(0, n / threads, 0);
  for (auto& one : team) one.join();
}

// Greater doubles have lesser keys.
Key descending_key(double x) {
  x += 0.0;
  std::int64_t bits;
  std::memcpy(&bits, &x, 8);
  return ~(static_cast<Key>(bits) ^ (static_cast<Key>(bits >> 63) | (Key(1) << 63)));
}

// Rows into buckets, each thread's behind those of the threads before: starts of the buckets.
template <class Bucket, class Make>
std::vector<std::size_t> partition(std::size_t n, int buckets, int threads, Pair* to, Bucket bucket, Make make) {
  std::vector<std::vector<std::uint32_t>> next(threads, std::vector<std::uint32_t>(buckets, 0));
  share_out(n, threads, [&](std::size_t a, std::size_t b, int t) {
    for (std::size_t i = a; i < b; ++i) ++next[t][bucket(i)];
  });
  std::vector<std::size_t> starts(buckets + 1, 0);
  std::uint32_t place = 0;
  for (int k = 0; k < buckets; ++k) {
    starts[k] = place;
    for (auto& one : next) {
      const std::uint32_t count = one[k];
      one[k] = place;
      place += count;
    }
  }
  starts[buckets] = place;
  share_out(n, threads, [&](std::size_t a, std::size_t b, int t) {
    for (std::size_t i = a; i < b; ++i) to[next[t][bucket(i)]++] = make(i);
  });
  return starts;
}

// By eight bits after eight bits from the highest in which the keys differ; few by insertion.
void sort_pairs(Pair* a, Pair* spare, std::size_t n) {
  if (n <= 32) {
    for (std::size_t i = 1; i < n; ++i) {
      const Pair one = a[i];
      std::size_t j = i;
      for (; j > 0 && a[j - 1].key > one.key; --j) a[j] = a[j - 1];
      a[j] = one;
    }
    return;
  }
  Key all = ~Key(0), any = 0;
  for (std::size_t i = 0; i < n; ++i) {
    all &= a[i].key;
    any |= a[i].key;
  }
  const Key differs = all ^ any;
  if (!differs) return;
  const int shift = std::max(56 - __builtin_clzll(differs), 0);
  std::uint32_t ends[257] = {0};
  for (std::size_t i = 0; i < n; ++i) ++ends[(a[i].key >> shift & 255) + 1];
  for (int k = 0; k < 256; ++k) ends[k + 1] += ends[k];
  for (std::size_t i = 0; i < n; ++i) spare[ends[a[i].key >> shift & 255]++] = a[i];
  std::memcpy(a, spare, n * sizeof(Pair));
  if (!shift) return;
  for (std::size_t k = 0, first = 0; k < 256; first = ends[k++])
    if (ends[k] - first > 1) sort_pairs(a + first, spare + first, ends[k] - first);
}

struct Linear {
  double least, scale, top;
  Linear(const double* x, std::size_t n, int threads, int parts) {
    std::vector<double> low(threads, INFINITY), high(threads, -INFINITY);
    share_out(n, threads, [&](std::size_t a, std::size_t b, int t) {
      double l = INFINITY, h = -INFINITY;
      for (std::size_t i = a; i < b; ++i) {
        l = x[i] < l ? x[i] : l;
        h = x[i] > h ? x[i] : h;
      }
      low[t] = l;
      high[t] = h;
    });
    least = *std::min_element(low.begin(), low.end());
    const double greatest = *std::max_element(high.begin(), high.end());
    scale = parts / (greatest - least);
    top = parts - 1;
  }
  // The greatest first, and what is missing last of all.
  int operator()(double x) const {
    const double place = (x - least) * scale;
    return x == x ? static_cast<int>(top - (place > top ? top : place)) : static_cast<int>(top) + 1;
  }
};

template <class Work>
void each_bucket(const std::vector<std::size_t>& starts, int threads, Work work) {
  std::size_t most = 1;
  for (std::size_t k = 0; k + 1 < starts.size(); ++k) most = std::max(most, starts[k + 1] - starts[k]);
  std::atomic<std::size_t> next{0};
  share_out(threads, threads, [&](std::size_t, std::size_t, int) {
    Buffer<Pair> spare(most);
    for (std::size_t k; (k = next++) + 1 < starts.size();)
      if (starts[k + 1] > starts[k]) work(k, spare.p);
  });
}

}  // namespace

// Places, 1 for the greatest, equal ones the least of theirs.
// [[Rcpp::export]]
SEXP limit_rank(Rcpp::NumericVector values, int threads) {
  const std::size_t n = values.size();
  const double* x = values.begin();
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, n));
  int* out = INTEGER(result);
  const Linear linear(x, n, threads, 4095);
  Buffer<Pair> pairs(n);
  const auto starts = partition(n, 4096, threads, pairs.p, [&](std::size_t i) { return linear(x[i]); },
                                [&](std::size_t i) { return Pair{descending_key(x[i]), static_cast<std::uint32_t>(i), 0}; });
  each_bucket(starts, threads, [&](std::size_t k, Pair* spare) {
    Pair* a = pairs.p + starts[k];
    const std::size_t count = starts[k + 1] - starts[k];
    if (k == 4095) {
      for (std::size_t i = 0; i < count; ++i) out[a[i].row] = NA_INTEGER;
      return;
    }
    sort_pairs(a, spare, count);
    int rank = 0;
    for (std::size_t i = 0; i < count; ++i) {
      if (i == 0 || a[i].key != a[i - 1].key) rank = static_cast<int>(starts[k] + i) + 1;
      out[a[i].row] = rank;
    }
  });
  return result;
}

// The same in each group; groups are numbered from 1.
// [[Rcpp::export]]
SEXP limit_rank_groups(Rcpp::NumericVector values, Rcpp::IntegerVector group, int groups, int threads) {
  const std::size_t n = values.size();
  const double* x = values.begin();
  const int* g = group.begin();
  Rcpp::Shield<SEXP> result(new_vector(INTSXP, n));
  int* out = INTEGER(result);
  int shift = 0;
  while (groups >> shift > 512) ++shift;
  const std::size_t together = std::size_t(1) << shift;
  Buffer<Pair> pairs(n);
  const auto starts = partition(n, (groups >> shift) + 1, threads, pairs.p, [&](std::size_t i) { return g[i] >> shift; }, [&](std::size_t i) {
    Pair one{0, static_cast<std::uint32_t>(i), static_cast<std::uint32_t>(g[i] & (together - 1))};
    std::memcpy(&one.key, x + i, 8);
    return one;
  });
  each_bucket(starts, threads, [&](std::size_t k, Pair* spare) {
    const Pair* a = pairs.p + starts[k];
    const std::size_t count = starts[k + 1] - starts[k];
    std::vector<std::uint32_t> ends(together + 1, 0);
    for (std::size_t i = 0; i < count; ++i) ++ends[a[i].more + 1];
    for (std::size_t c = 0; c < together; ++c) ends[c + 1] += ends[c];
    for (std::size_t i = 0; i < count; ++i) spare[ends[a[i].more]++] = a[i];
    std::vector<double> own;
    for (std::size_t c = 0, first = 0; c < together; first = ends[c++]) {
      const std::size_t size = ends[c] - first;
      own.resize(size);
      for (std::size_t i = 0; i < size; ++i) std::memcpy(&own[i], &spare[first + i].key, 8);
      for (std::size_t i = 0; i < size; ++i) {
        int greater = 0;
        for (std::size_t j = 0; j < size; ++j) greater += own[j] > own[i];
        out[spare[first + i].row] = own[i] == own[i] ? greater + 1 : NA_INTEGER;
      }
    }
  });
  return result;
}

// Running totals along days from 1, in groups from 1.
// [[Rcpp::export]]
SEXP limit_running(Rcpp::NumericVector values, Rcpp::IntegerVector group, Rcpp::IntegerVector day, int groups, int days, int threads) {
  const std::size_t n = values.size();
  const double* x = values.begin();
  const int *g = group.begin(), *d = day.begin();
  Rcpp::Shield<SEXP> result(new_vector(REALSXP, n));
  double* out = REAL(result);
  share_out(threads, threads, [&](std::size_t, std::size_t, int t) {
    const int low = static_cast<int>(static_cast<long>(groups) * t / threads), high = static_cast<int>(static_cast<long>(groups) * (t + 1) / threads);
    std::vector<std::uint32_t> next(days + 2, 0);
    for (std::size_t i = 0; i < n; ++i) next[d[i] + 1] += static_cast<unsigned>(g[i] - 1 - low) < static_cast<unsigned>(high - low);
    for (int k = 0; k <= days; ++k) next[k + 1] += next[k];
    const std::size_t mine = next[days + 1];
    Buffer<Pair> pairs(mine);
    for (std::size_t i = 0; i < n; ++i) {
      const std::uint32_t own = static_cast<std::uint32_t>(g[i] - 1 - low);
      if (own >= static_cast<std::uint32_t>(high - low)) continue;
      Pair one{0, static_cast<std::uint32_t>(i), own};
      std::memcpy(&one.key, x + i, 8);
      pairs.p[next[d[i]]++] = one;
    }
    std::vector<long double> total(high - low, 0);
    for (std::size_t i = 0; i < mine; ++i) {
      double value;
      std::memcpy(&value, &pairs.p[i].key, 8);
      if (value == value) value = static_cast<double>(total[pairs.p[i].more] += value);
      out[pairs.p[i].row] = value;
    }
  });
  return result;
}

// [[Rcpp::export]]
Rcpp::NumericVector limit_recurrence(Rcpp::NumericVector x, double keep) {
  SEXP result = new_vector(REALSXP, x.size());
  double above = 0, *out = REAL(result);
  for (R_xlen_t i = 0; i < x.size(); ++i) out[i] = above = above * keep + x[i];
  return result;
}

namespace {

// Numbers of texts in the order of their bytes, by address.
std::vector<std::uint32_t> codes_of(Rcpp::CharacterVector texts, int* count) {
  struct Slot { SEXP text = nullptr; std::uint32_t code = 0; };
  std::vector<Slot> table(4096);  // enough for the few that there are
  const SEXP* x = STRING_PTR_RO(texts);
  std::vector<std::uint32_t> codes(texts.size());
  std::vector<SEXP> different;
  for (R_xlen_t i = 0; i < texts.size(); ++i) {
    std::size_t place = (reinterpret_cast<std::uintptr_t>(x[i]) >> 3) * 0x9E3779B97F4A7C15ull >> 52;
    while (table[place].text && table[place].text != x[i]) place = (place + 1) & 4095;
    if (!table[place].text) {
      table[place] = {x[i], static_cast<std::uint32_t>(different.size())};
      different.push_back(x[i]);
    }
    codes[i] = table[place].code;
  }
  std::vector<std::uint32_t> order(different.size()), rank(different.size());
  for (std::size_t k = 0; k < order.size(); ++k) order[k] = static_cast<std::uint32_t>(k);
  std::sort(order.begin(), order.end(), [&](auto a, auto b) { return std::strcmp(CHAR(different[a]), CHAR(different[b])) < 0; });
  for (std::size_t k = 0; k < order.size(); ++k) rank[order[k]] = static_cast<std::uint32_t>(k);
  for (auto& code : codes) code = rank[code];
  *count = static_cast<int>(different.size());
  return codes;
}

}  // namespace

// A table by a text and a number from the greatest down; rows are packed so that each is fetched once.
// [[Rcpp::export]]
Rcpp::List limit_sort(Rcpp::List columns, Rcpp::CharacterVector text, Rcpp::NumericVector number, int threads) {
  const std::size_t n = number.size();
  const double* x = number.begin();
  int texts;
  const auto codes = codes_of(text, &texts);
  int parts = 64;
  while (parts * texts > 8192 && parts > 2) parts /= 2;
  const Linear linear(x, n, threads, parts - 1);
  Buffer<Pair> pairs(n);
  const auto starts = partition(n, texts * parts, threads, pairs.p, [&](std::size_t i) { return static_cast<int>(codes[i]) * parts + linear(x[i]); },
                                [&](std::size_t i) { return Pair{x[i] == x[i] ? descending_key(x[i]) : ~Key(0), static_cast<std::uint32_t>(i), 0}; });
  each_bucket(starts, threads, [&](std::size_t k, Pair* spare) { sort_pairs(pairs.p + starts[k], spare, starts[k + 1] - starts[k]); });
  Rcpp::List result(columns.size());
  std::vector<int> wide, narrow;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    result[k] = new_vector(TYPEOF(columns[k]), n);
    (TYPEOF(columns[k]) == INTSXP ? narrow : wide).push_back(static_cast<int>(k));
  }
  for (std::size_t w = 0, s = 0; w < wide.size() || s < narrow.size();) {
    struct Place { const char* from; char* to; int size, at; };
    std::vector<Place> places;
    int at = 0;
    const auto add = [&](int column, int size) {
      places.push_back({static_cast<const char*>(DATAPTR(columns[column])), static_cast<char*>(DATAPTR(result[column])), size, at});
      at += size;
    };
    while (w < wide.size() && at + 8 <= 64) add(wide[w++], 8);
    while (s < narrow.size() && at + 4 <= 64) add(narrow[s++], 4);
    const std::size_t width = at > 32 ? 64 : 32;
    Buffer<char> rows(n * width);
    share_out(n, threads, [&](std::size_t a, std::size_t b, int) {
      for (std::size_t f = a; f < b; f += 256)
        for (const Place& one : places)
          for (std::size_t i = f; i < std::min(b, f + 256); ++i) std::memcpy(rows.p + i * width + one.at, one.from + i * one.size, one.size);
    });
    share_out(n, threads, [&](std::size_t a, std::size_t b, int) {
      std::vector<char> here(256 * width);
      for (std::size_t f = a; f < b; f += 256) {
        const std::size_t l = std::min(b, f + 256);
        for (std::size_t i = f; i < l; ++i) {
          __builtin_prefetch(rows.p + pairs.p[std::min(i + 24, b - 1)].row * width);
          std::memcpy(here.data() + (i - f) * width, rows.p + pairs.p[i].row * width, width);
        }
        for (const Place& one : places)
          for (std::size_t i = f; i < l; ++i) std::memcpy(one.to + i * one.size, here.data() + (i - f) * width + one.at, one.size);
      }
    });
  }
  return result;
}

// The rows, from 1, of the three greatest numbers of each text, by text.
// [[Rcpp::export]]
Rcpp::IntegerVector limit_top(Rcpp::CharacterVector text, Rcpp::NumericVector number, int threads) {
  struct Three { double value[3] = {-INFINITY, -INFINITY, -INFINITY}; int row[3] = {-1, -1, -1}; };
  const SEXP* t = STRING_PTR_RO(text);
  const double* x = number.begin();
  struct Slot { SEXP text = nullptr; Three best; };
  std::vector<std::vector<Slot>> tables(threads, std::vector<Slot>(1024));
  const auto find = [](std::vector<Slot>& table, SEXP one) -> Three& {
    std::size_t place = (reinterpret_cast<std::uintptr_t>(one) >> 3) * 0x9E3779B97F4A7C15ull >> 54;
    while (table[place].text && table[place].text != one) place = (place + 1) & 1023;
    table[place].text = one;
    return table[place].best;
  };
  const auto push = [](Three& best, double value, int row) {
    if (!(value > best.value[2])) return;
    int k = 2;
    for (; k > 0 && value > best.value[k - 1]; --k) {
      best.value[k] = best.value[k - 1];
      best.row[k] = best.row[k - 1];
    }
    best.value[k] = value;
    best.row[k] = row;
  };
  share_out(number.size(), threads, [&](std::size_t a, std::size_t b, int thread) {
    for (std::size_t i = a; i < b; ++i) push(find(tables[thread], t[i]), x[i], static_cast<int>(i) + 1);
  });
  for (int k = 1; k < threads; ++k)
    for (Slot& slot : tables[k])
      for (int j = 0; j < 3 && slot.text; ++j)
        if (slot.best.row[j] > 0) push(find(tables[0], slot.text), slot.best.value[j], slot.best.row[j]);
  std::vector<std::pair<std::string, Three>> sorted;
  for (Slot& slot : tables[0])
    if (slot.text) sorted.push_back({CHAR(slot.text), slot.best});
  std::sort(sorted.begin(), sorted.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  Rcpp::IntegerVector rows;
  for (const auto& one : sorted)
    for (int row : one.second.row) rows.push_back(row);
  return rows;
}
