// What hand-written C++ does for one task and no other: the yardstick of `make bench`. Compiled for this
// machine alone. Each has one loop over the rows, or two, and as many threads as asked.
// [[Rcpp::plugins(cpp17)]]
#include <Rcpp.h>
#include <sys/mman.h>

#include <cmath>
#include <thread>
#include <vector>

namespace {

SEXP new_vector(SEXPTYPE type, R_xlen_t n) {
  SEXP x = Rf_allocVector(type, n);
  if (type == STRSXP) return x;
  const std::uintptr_t page = 2u << 20, start = (reinterpret_cast<std::uintptr_t>(DATAPTR(x)) + page - 1) & ~(page - 1);
  const std::uintptr_t end = (reinterpret_cast<std::uintptr_t>(DATAPTR(x)) + n * (type == REALSXP ? 8 : 4)) & ~(page - 1);
  if (end > start) madvise(reinterpret_cast<void*>(start), end - start, MADV_HUGEPAGE);
  return x;
}

// Shares out the rows to threads: work(first, last, number of the thread).
template <class Work>
void share_out(R_xlen_t n, int threads, Work work) {
  std::vector<std::thread> team;
  for (int t = 1; t < threads; ++t) team.emplace_back([=] { work(n * t / threads, n * (t + 1) / threads, t); });
  work(0, n / threads, 0);
  for (auto& one : team) one.join();
}

}  // namespace

// [[Rcpp::export]]
Rcpp::List limit_arithmetic(Rcpp::NumericVector gross, Rcpp::NumericVector tare, Rcpp::IntegerVector frames, int threads) {
  const R_xlen_t n = gross.size();
  Rcpp::List result(4);
  double* out[4];
  for (int k = 0; k < 4; ++k) {
    result[k] = new_vector(REALSXP, n);
    out[k] = REAL(result[k]);
  }
  const double *g = gross.begin(), *t = tare.begin(), missing = NA_REAL;
  const int* f = frames.begin();
  share_out(n, threads, [=](R_xlen_t first, R_xlen_t last, int) {
    double *a = out[0], *b = out[1], *c = out[2], *d = out[3];
#pragma GCC ivdep
    for (R_xlen_t i = first; i < last; ++i) {
      const double net = g[i] - t[i], count = f[i] == NA_INTEGER ? missing : f[i];
      a[i] = net;
      b[i] = net / count;
      c[i] = net * 2.20462;
      d[i] = net * 0.9 + t[i] * t[i];
    }
  });
  return result;
}

// [[Rcpp::export]]
SEXP limit_labels(Rcpp::NumericVector net, int threads) {
  const R_xlen_t n = net.size();
  Rcpp::CharacterVector labels = {"light", "medium", "heavy"};
  const SEXP light = labels[0], medium = labels[1], heavy = labels[2], missing = NA_STRING;
  Rcpp::Shield<SEXP> result(new_vector(STRSXP, n));
  SEXP* out = const_cast<SEXP*>(STRING_PTR_RO(result));
  const double* x = net.begin();
  share_out(n, threads, [=](R_xlen_t first, R_xlen_t last, int) {
    for (R_xlen_t i = first; i < last; ++i) {
      SEXP label = x[i] <= 10 ? medium : heavy;
      label = x[i] <= 5 ? light : label;
      out[i] = x[i] == x[i] ? label : missing;
    }
  });
  return result;
}

// [[Rcpp::export]]
Rcpp::List limit_z_scores(Rcpp::List columns, int threads) {
  Rcpp::List result(columns.size());
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    const Rcpp::NumericVector column = columns[k];
    const R_xlen_t n = column.size();
    result[k] = new_vector(REALSXP, n);
    const double* x = column.begin();
    double* out = REAL(result[k]);
    std::vector<double> sums(16 * threads), counts(16 * threads);
    const auto add_up = [&](double shift, bool squares) {
      share_out(n, threads, [&, x](R_xlen_t first, R_xlen_t last, int thread) {
        double sum[8] = {0}, count[8] = {0};
        for (R_xlen_t i = first; i + 8 <= last; i += 8)
          for (int j = 0; j < 8; ++j) {
            const double value = x[i + j], d = value - shift;
            const bool known = value == value;
            sum[j] += known ? (squares ? d * d : d) : 0;
            count[j] += known;
          }
        for (R_xlen_t i = last - (last - first) % 8; i < last; ++i)
          if (x[i] == x[i]) {
            sum[0] += squares ? (x[i] - shift) * (x[i] - shift) : x[i] - shift;
            count[0] += 1;
          }
        sums[16 * thread] = counts[16 * thread] = 0;
        for (int j = 0; j < 8; ++j) {
          sums[16 * thread] += sum[j];
          counts[16 * thread] += count[j];
        }
      });
      double sum = 0, count = 0;
      for (int t = 0; t < threads; ++t) {
        sum += sums[16 * t];
        count += counts[16 * t];
      }
      return std::make_pair(sum, count);
    };
    const auto total = add_up(0, false);
    const double mean = total.first / total.second;
    const double sd = std::sqrt(add_up(mean, true).first / (total.second - 1));
    share_out(n, threads, [=](R_xlen_t first, R_xlen_t last, int) {
      for (R_xlen_t i = first; i < last; ++i) out[i] = (x[i] - mean) / sd;
    });
  }
  return result;
}

// net > 1.1 * tare, of columns of doubles, integers and texts.
// [[Rcpp::export]]
Rcpp::List limit_keep_rows(Rcpp::List columns, Rcpp::NumericVector net, Rcpp::NumericVector tare, int threads) {
  const R_xlen_t n = net.size();
  const double *x = net.begin(), *t = tare.begin();
  std::vector<std::uint8_t> keep(n + 64);
  std::vector<R_xlen_t> kept(threads + 1, 0);
  share_out(n, threads, [&](R_xlen_t first, R_xlen_t last, int thread) {
    R_xlen_t count = 0;
    for (R_xlen_t i = first; i < last; ++i) {
      keep[i] = x[i] > 1.1 * t[i];
      count += keep[i];
    }
    kept[thread + 1] = count;
  });
  for (int k = 0; k < threads; ++k) kept[k + 1] += kept[k];
  Rcpp::List result(columns.size());
  for (R_xlen_t k = 0; k < columns.size(); ++k) result[k] = new_vector(TYPEOF(columns[k]), kept[threads]);
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    const auto close_up = [&](auto* out, const auto* in) {
      share_out(n, threads, [&, in, out](R_xlen_t first, R_xlen_t last, int thread) {
        auto* to = out + kept[thread];
        auto* const end = out + kept[thread + 1];
        for (R_xlen_t i = first; to < end; ++i) {
          *to = in[i];
          to += keep[i];
        }
      });
    };
    SEXP from = columns[k], to = result[k];
    if (TYPEOF(from) == REALSXP) close_up(REAL(to), REAL(from));
    else if (TYPEOF(from) == INTSXP) close_up(INTEGER(to), INTEGER(from));
    else close_up(const_cast<SEXP*>(STRING_PTR_RO(to)), STRING_PTR_RO(from));
  }
  return result;
}

// The mean of each group, for each row; groups are numbered from 1.
// [[Rcpp::export]]
Rcpp::NumericVector limit_group_mean(Rcpp::NumericVector net, Rcpp::IntegerVector group, int groups) {
  const R_xlen_t n = net.size();
  std::vector<double> sum(groups + 1), count(groups + 1);
  for (R_xlen_t i = 0; i < n; ++i)
    if (net[i] == net[i]) {
      sum[group[i]] += net[i];
      count[group[i]] += 1;
    }
  for (int g = 0; g <= groups; ++g) sum[g] /= count[g];
  Rcpp::NumericVector result(Rcpp::no_init(n));
  for (R_xlen_t i = 0; i < n; ++i) result[i] = sum[group[i]];
  return result;
}

// Mean, sum and count of each group; groups are numbered from 1 and have at least one row.
// [[Rcpp::export]]
Rcpp::DataFrame limit_group_rows(Rcpp::NumericVector net, Rcpp::IntegerVector group, int groups, int threads) {
  struct Group {
    double sum = 0;
    int known = 0, rows = 0;
  };
  const R_xlen_t n = net.size();
  std::vector<std::vector<Group>> parts(threads, std::vector<Group>(groups + 1));
  std::vector<std::thread> team;
  for (int t = 0; t < threads; ++t)
    team.emplace_back([&, t] {
      Group* const own = parts[t].data();
      const double* x = net.begin();
      const int* g = group.begin();
      for (R_xlen_t i = n * t / threads; i < n * (t + 1) / threads; ++i) {
        Group& one = own[g[i]];
        ++one.rows;
        if (x[i] == x[i]) {
          one.sum += x[i];
          ++one.known;
        }
      }
    });
  for (auto& thread : team) thread.join();
  Rcpp::IntegerVector hive(groups), rows(groups);
  Rcpp::NumericVector mean(groups), sum(groups);
  for (int k = 0; k < groups; ++k) {
    Group all;
    for (const auto& part : parts) {
      all.sum += part[k + 1].sum;
      all.known += part[k + 1].known;
      all.rows += part[k + 1].rows;
    }
    hive[k] = k + 1;
    mean[k] = all.sum / all.known;
    sum[k] = all.sum;
    rows[k] = all.rows;
  }
  return Rcpp::DataFrame::create(Rcpp::Named("hive") = hive, Rcpp::Named("m") = mean, Rcpp::Named("s") = sum, Rcpp::Named("n") = rows);
}
