// Groups of rows, and one value of many.

#include <algorithm>

#include "aggregate.h"
#include "bind.h"
#include "deferred_strings.h"
#include "distribution.h"
#include "groups.h"
#include "numbering.h"
#include "quantiles.h"
#include "text_numbering.h"

using namespace rowanroot;

namespace {

template <class T>
void spread(const T* values, const Rcpp::IntegerVector& group_of_row, const Workers& workers, T* result) {
  const int* const group = group_of_row.begin();
  const std::size_t rows = static_cast<std::size_t>(group_of_row.size());
  constexpr std::size_t piece = 1 << 16;
  run_pieces((rows + piece - 1) / piece, workers, [&](int, std::size_t k) {
    for (std::size_t i = k * piece; i < std::min(rows, (k + 1) * piece); ++i) result[i] = values[group[i]];
  });
}

// A vector of what groups have, of which there may be as many as rows.
Rcpp::IntegerVector vector_of(const RowVector<std::int32_t>& values) {
  Rcpp::IntegerVector result(new_vector(INTSXP, static_cast<R_xlen_t>(values.size())));
  std::copy(values.begin(), values.end(), result.begin());
  return result;
}

Rcpp::NumericVector vector_of(const RowVector<double>& values) {
  Rcpp::NumericVector result(new_vector(REALSXP, static_cast<R_xlen_t>(values.size())));
  std::copy(values.begin(), values.end(), result.begin());
  return result;
}

Rcpp::IntegerVector rows_from_one(RowVector<std::int32_t> rows) {
  for (std::int32_t& row : rows) ++row;
  return vector_of(rows);
}

// The different texts of coded ones as groups: a text may have several codes, and what is missing one, too.
struct CodedGroups {
  explicit CodedGroups(const CodedTexts& coded) : codes(INTEGER_RO(coded.codes)) {
    const Rcpp::RObject texts = with_comparable_texts(coded.texts);
    of_text.resize(static_cast<std::size_t>(XLENGTH(texts)));
    count = group_by(Type::text, address_of(texts), of_text.size(), Workers(1), of_text.data());
    are_codes = count == of_text.size();
    missing = static_cast<std::int32_t>(count++);
    for (std::size_t k = 0; k < of_text.size(); ++k) {
      if (STRING_ELT(texts, static_cast<R_xlen_t>(k)) != NA_STRING) continue;
      missing = of_text[k];
      are_codes = false;
    }
  }

  void put(std::size_t rows, const Workers& workers, std::int32_t* group) const {
    constexpr std::size_t piece = 1 << 16;
    run_pieces((rows + piece - 1) / piece, workers, [&](int, std::size_t k) {
      for (std::size_t i = k * piece; i < std::min(rows, (k + 1) * piece); ++i)
        group[i] = codes[i] == NA_INTEGER ? missing : of_text[static_cast<std::size_t>(codes[i]) - 1];
    });
  }

  const std::int32_t* const codes;
  std::vector<std::int32_t> of_text;
  std::size_t count;
  std::int32_t missing;
  bool are_codes;  // each text has one code, and what is missing none
};

// A column to group by: texts that have codes by these, without a string for each row.
struct GroupColumn {
  GroupColumn(SEXP column, std::size_t rows, bool checked_later, const Workers& workers) {
    const CodedTexts coded = TYPEOF(column) == STRSXP ? coded_texts_of(column) : CodedTexts();
    if (!coded || static_cast<std::size_t>(XLENGTH(coded.texts)) > rows) {
      const bool is_comparable = checked_later || TYPEOF(column) != STRSXP;
      held = is_comparable ? Rcpp::RObject(column) : with_comparable_texts(column);
      type = type_of_column(held);
      values = address_of(held);
      return;
    }
    const CodedGroups groups(coded);
    type = Type::integer;
    if (groups.are_codes) {
      values = groups.codes;
      return;
    }
    held = new_vector(INTSXP, static_cast<R_xlen_t>(rows));
    groups.put(rows, workers, INTEGER(held));
    values = INTEGER(held);
  }

  Rcpp::RObject held;
  Type type;
  const void* values;
};

}  // namespace

// The group of each row, from 0, and how many rows each group has.
// [[Rcpp::export]]
Rcpp::List group_rows_cpp(Rcpp::List columns, double rows, int threads) {
  const Workers workers = thread_count(static_cast<R_xlen_t>(rows), threads);
  const std::size_t size = static_cast<std::size_t>(rows);
  Rcpp::Shield<SEXP> of_row(new_vector(INTSXP, static_cast<R_xlen_t>(rows)));
  int* const group = INTEGER(of_row);
  std::size_t count = 0;
  bool is_text = false;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    const GroupColumn column(columns[k], size, columns.size() == 1, workers);
    is_text = column.type == Type::text;
    count = k == 0 ? group_by(column.type, column.values, size, workers, group)
                   : group_further(group, column.type, column.values, size, workers, group);
  }
  if (columns.size() == 1 && is_text) {
    // A text is looked at once a group.
    const SEXP* const texts = STRING_PTR_RO(columns[0]);
    const RowVector<std::int32_t> first = first_rows(group, size, count);
    if (!std::all_of(first.begin(), first.end(), [=](std::int32_t row) { return is_comparable(texts[row]); })) {
      const Rcpp::RObject values = with_comparable_texts(columns[0]);
      count = group_by(Type::text, address_of(values), size, workers, group);
    }
  }
  const RowVector<std::int32_t> sizes = group_sizes(group, size, count, workers);
  return Rcpp::List::create(Rcpp::Named("of_row") = static_cast<SEXP>(of_row),
                            Rcpp::Named("sizes") = vector_of(sizes));
}

namespace {

// The numbers that groups have in all chunks of a table, by the values of their columns.
struct GroupsSoFar {
  struct Column {
    TextNumbering texts;
    Numbering values;
    Numbering with_those_before;
  };
  std::vector<Column> columns;

  static std::uint64_t code_of(SEXP values, R_xlen_t i, Column& column) {
    switch (type_of_column(values)) {
      case Type::text: {
        SEXP const text = STRING_ELT(values, i);
        return text == NA_STRING ? 0 : static_cast<std::uint64_t>(column.texts.number(Rf_translateCharUTF8(text)));
      }
      case Type::real: return number_of(column, REAL_RO(values)[i]);
      case Type::long_integer: return number_of(column, static_cast<const std::int64_t*>(address_of(values))[i]);
      default: return number_of(column, static_cast<const std::int32_t*>(address_of(values))[i]);
    }
  }

 private:
  template <class T>
  static std::uint64_t number_of(Column& column, T value) {
    return static_cast<std::uint64_t>(column.values.number(key_of(value)));
  }
};

}  // namespace

// [[Rcpp::export]]
SEXP new_groups_so_far_cpp() { return Rcpp::XPtr<GroupsSoFar>(new GroupsSoFar, true); }

// The numbers, from 0, of these groups, of which the columns have the values; and how many groups there are so far.
// [[Rcpp::export]]
Rcpp::List groups_so_far_cpp(SEXP state, Rcpp::List columns) {
  GroupsSoFar& so_far = *Rcpp::XPtr<GroupsSoFar>(state);
  so_far.columns.resize(static_cast<std::size_t>(columns.size()));
  const R_xlen_t count = columns.size() ? Rf_xlength(columns[0]) : 0;
  Rcpp::IntegerVector number(count, 0);
  std::size_t groups = 0;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    GroupsSoFar::Column& column = so_far.columns[static_cast<std::size_t>(k)];
    SEXP const values = columns[k];
    for (R_xlen_t i = 0; i < count; ++i)
      number[i] = column.with_those_before.number(static_cast<std::uint64_t>(number[i]) << 32 |
                                                  GroupsSoFar::code_of(values, i, column));
    groups = column.with_those_before.keys().size();
  }
  return Rcpp::List::create(Rcpp::Named("number") = number, Rcpp::Named("groups") = static_cast<double>(groups));
}

// The group of each row, from 0, where that takes only a look at whole numbers, or at the numbers of texts, and how
// many groups there are at most: some may have no rows. Else NULL.
// [[Rcpp::export]]
SEXP group_by_value_cpp(SEXP column, double rows, int threads) {
  const std::size_t size = static_cast<std::size_t>(rows);
  const Workers workers = thread_count(static_cast<R_xlen_t>(rows), threads);
  const CodedTexts coded = coded_texts_of(column);
  if (coded ? static_cast<double>(XLENGTH(coded.texts)) > rows / 4
            : TYPEOF(column) != INTSXP && TYPEOF(column) != LGLSXP)
    return R_NilValue;
  const auto result = [](SEXP of_row, std::size_t count) {
    return Rcpp::List::create(Rcpp::Named("of_row") = of_row, Rcpp::Named("count") = static_cast<double>(count));
  };
  if (!coded) {
    const std::size_t most = size / 4 + 1;
    const std::int32_t* const values = static_cast<const std::int32_t*>(address_of(column));
    const Extent extent = extent_of(values, size, workers);
    if (extent.range() >= most) return R_NilValue;
    const bool is_plain = TYPEOF(column) == INTSXP && ATTRIB(column) == R_NilValue;
    if (is_plain && extent.are_groups() && static_cast<std::size_t>(extent.high) < most)
      return result(column, static_cast<std::size_t>(extent.high) + 1);
    Rcpp::Shield<SEXP> of_row(new_vector(INTSXP, static_cast<R_xlen_t>(rows)));
    group_by_value(values, size, extent, workers, INTEGER(of_row));
    return result(of_row, extent.range() + 1);
  }
  Rcpp::Shield<SEXP> of_row(new_vector(INTSXP, static_cast<R_xlen_t>(rows)));
  const CodedGroups groups(coded);
  groups.put(size, workers, INTEGER(of_row));
  return result(of_row, groups.count);
}

// [[Rcpp::export]]
double aggregate_cpp(std::string what, SEXP column, bool skip_missing, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  return aggregate(aggregate_of_name(what), type_of_vector(column), address_of(column), static_cast<std::size_t>(rows),
                   skip_missing, thread_count(rows, threads));
}

// The sum, the count and the sum of squares of distances from the mean, of the values that are numbers.
// [[Rcpp::export]]
Rcpp::NumericVector mean_and_variance_cpp(SEXP column, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  const MeanAndVariance found = mean_and_variance(type_of_vector(column), address_of(column),
                                                  static_cast<std::size_t>(rows), thread_count(rows, threads));
  return Rcpp::NumericVector::create(Rcpp::Named("sum") = found.sum, Rcpp::Named("mean") = found.mean,
                                     Rcpp::Named("known") = found.known, Rcpp::Named("squares") = found.squares);
}

// How many values are known, how many of those are different, their mean and variance, and those that the shares have
// below.
// [[Rcpp::export]]
Rcpp::List distribution_cpp(SEXP column, std::vector<double> shares, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  const Distribution found = distribution(type_of_column(column), address_of(column), static_cast<std::size_t>(rows),
                                          shares, thread_count(rows, threads));
  return Rcpp::List::create(Rcpp::Named("known") = static_cast<double>(found.known),
                            Rcpp::Named("different") = static_cast<double>(found.different),
                            Rcpp::Named("mean") = found.mean, Rcpp::Named("variance") = found.variance,
                            Rcpp::Named("quantiles") = Rcpp::wrap(found.quantiles));
}

// [[Rcpp::export]]
Rcpp::NumericVector aggregate_groups_cpp(std::string what, SEXP column, bool skip_missing,
                                         Rcpp::IntegerVector group_of_row, int groups, int threads) {
  const RowVector<double> values = aggregate_groups(
      aggregate_of_name(what), type_of_vector(column), address_of(column), static_cast<std::size_t>(Rf_xlength(column)),
      skip_missing, group_of_row.begin(), groups, thread_count(Rf_xlength(column), threads));
  return vector_of(values);
}

// [[Rcpp::export]]
Rcpp::List group_sums_cpp(SEXP column, bool skip_missing, Rcpp::IntegerVector group_of_row, int groups, int threads) {
  const R_xlen_t rows = Rf_xlength(column);
  const GroupSums found =
      sums_of_groups(type_of_vector(column), address_of(column), static_cast<std::size_t>(rows), skip_missing,
                     group_of_row.begin(), groups, thread_count(rows, threads));
  return Rcpp::List::create(Rcpp::Named("sum") = vector_of(found.sum), Rcpp::Named("mean") = vector_of(found.mean),
                            Rcpp::Named("unknown") = vector_of(found.unknown));
}

// Sums or means of groups: what is not known of those that have it, where it is not 0.
// [[Rcpp::export]]
SEXP complete_sums_cpp(Rcpp::NumericVector values, Rcpp::NumericVector unknown) {
  if (std::all_of(unknown.begin(), unknown.end(), [](double value) { return value == 0; })) return values;
  Rcpp::Shield<SEXP> result(new_vector(REALSXP, values.size()));
  double* const to = REAL(result);
  for (R_xlen_t k = 0; k < values.size(); ++k) to[k] = unknown[k] != 0 ? unknown[k] : values[k];
  return result;
}

// The value of its group for each row.
// [[Rcpp::export]]
SEXP spread_groups_cpp(SEXP values, Rcpp::IntegerVector group_of_row, int threads) {
  const Workers workers = thread_count(group_of_row.size(), threads);
  Rcpp::Shield<SEXP> result(new_vector(TYPEOF(values), group_of_row.size()));
  switch (TYPEOF(values)) {
    case REALSXP: spread(REAL(values), group_of_row, workers, REAL(result)); break;
    case INTSXP: spread(INTEGER(values), group_of_row, workers, INTEGER(result)); break;
    case LGLSXP: spread(LOGICAL(values), group_of_row, workers, LOGICAL(result)); break;
    default: Rcpp::stop("the engine has no type for this vector");
  }
  return result;
}

// The first row of each group, from 1, or its last.
// [[Rcpp::export]]
Rcpp::IntegerVector group_edges_cpp(Rcpp::IntegerVector group_of_row, int groups, bool last) {
  const std::size_t rows = static_cast<std::size_t>(group_of_row.size());
  return rows_from_one(last ? last_rows(group_of_row.begin(), rows, groups)
                            : first_rows(group_of_row.begin(), rows, groups));
}

// Of groups of which some have no rows, those that have, in the order of their first rows: the `place` of each among
// all, its first row, both from 1, and how many rows it has.
// [[Rcpp::export]]
Rcpp::List present_groups_cpp(Rcpp::IntegerVector group_of_row, double groups, int threads) {
  const std::size_t rows = static_cast<std::size_t>(group_of_row.size()), count = static_cast<std::size_t>(groups);
  const PresentGroups found =
      present_groups(group_of_row.begin(), rows, count, thread_count(group_of_row.size(), threads));
  return Rcpp::List::create(Rcpp::Named("place") = rows_from_one(found.place),
                            Rcpp::Named("first") = rows_from_one(found.first),
                            Rcpp::Named("sizes") = vector_of(found.sizes));
}

// [[Rcpp::export]]
Rcpp::IntegerVector count_distinct_cpp(SEXP column, Rcpp::IntegerVector group_of_row, int groups) {
  const Rcpp::RObject values = TYPEOF(column) == STRSXP ? with_comparable_texts(column) : Rcpp::RObject(column);
  const RowVector<std::int32_t> counts =
      count_distinct(group_of_row.begin(), groups, type_of_column(values), address_of(values),
                     static_cast<std::size_t>(group_of_row.size()), NA_STRING, thread_count(group_of_row.size(), 0));
  return vector_of(counts);
}

// The median of each group if `share` is missing, else the quantile.
// [[Rcpp::export]]
Rcpp::NumericVector quantiles_cpp(SEXP column, double share, bool skip_missing, Rcpp::IntegerVector group_of_row,
                                  int groups) {
  const std::size_t rows = static_cast<std::size_t>(group_of_row.size());
  const RowVector<double> values =
      share == share
          ? quantiles(share, type_of_vector(column), address_of(column), rows, group_of_row.begin(), groups)
          : medians(type_of_vector(column), address_of(column), rows, skip_missing, group_of_row.begin(), groups);
  return vector_of(values);
}

namespace {

// As seem_few() has it, but without making strings that are yet to be made.
bool texts_seem_few(SEXP column, std::size_t most) {
  const std::size_t rows = static_cast<std::size_t>(XLENGTH(column));
  if (!are_deferred(column)) return seem_few(Type::text, address_of(column), rows, most);
  const auto reader = new_text_reader(column);
  TextNumbering numbers;
  const auto number = [&](std::size_t row) -> std::uint64_t {
    TextBytes text;
    reader->read(static_cast<R_xlen_t>(row), 1, &text);
    return text.bytes ? numbers.number({text.bytes, static_cast<std::size_t>(text.size)}) : 0;
  };
  return seem_few(number, rows, most);
}

Rcpp::List texts_of_rows(SEXP texts, SEXP of_row) {
  return Rcpp::List::create(Rcpp::Named("texts") = texts, Rcpp::Named("of_row") = of_row);
}

// Without the texts that only rows had which are no longer there.
Rcpp::List texts_in_use(const CodedTexts& coded) {
  const R_xlen_t count = XLENGTH(coded.texts), rows = XLENGTH(coded.codes);
  const int* const codes = INTEGER_RO(coded.codes);
  std::vector<int> number(static_cast<std::size_t>(count)), first;
  for (R_xlen_t i = 0; i < rows && static_cast<R_xlen_t>(first.size()) < count; ++i) {
    if (codes[i] == NA_INTEGER || number[static_cast<std::size_t>(codes[i]) - 1] > 0) continue;
    first.push_back(codes[i] - 1);
    number[static_cast<std::size_t>(codes[i]) - 1] = static_cast<int>(first.size());
  }
  if (static_cast<R_xlen_t>(first.size()) == count) return texts_of_rows(coded.texts, coded.codes);
  Rcpp::CharacterVector texts(static_cast<R_xlen_t>(first.size()));
  for (std::size_t k = 0; k < first.size(); ++k)
    texts[static_cast<R_xlen_t>(k)] = STRING_ELT(coded.texts, first[k]);
  Rcpp::Shield<SEXP> of_row(new_vector(INTSXP, rows));
  int* const to = INTEGER(of_row);
  for (R_xlen_t i = 0; i < rows; ++i)
    to[i] = codes[i] == NA_INTEGER ? NA_INTEGER : number[static_cast<std::size_t>(codes[i]) - 1];
  return texts_of_rows(texts, of_row);
}

}  // namespace

// The different texts of a column and, from 1, which of them each row has: NA for none. NULL if that is not worth
// while: few rows, or most of them different.
// [[Rcpp::export]]
SEXP different_texts_cpp(Rcpp::CharacterVector column) {
  constexpr R_xlen_t least_rows = 1000;
  const R_xlen_t rows = column.size();
  if (rows < least_rows) return R_NilValue;
  const CodedTexts coded = coded_texts_of(column);  // of an earlier step
  if (coded && XLENGTH(coded.texts) <= rows / 2) return texts_in_use(coded);
  Rcpp::Shield<SEXP> of_row(new_vector(INTSXP, rows));
  int* const group = INTEGER(of_row);
  const std::size_t most = static_cast<std::size_t>(rows) / 2;
  if (rows > 50000 && !texts_seem_few(column, most / 2)) return R_NilValue;
  const std::size_t different =
      group_few(Type::text, address_of(column), static_cast<std::size_t>(rows), most, thread_count(rows, 0), group);
  if (different == 0) return R_NilValue;
  Rcpp::CharacterVector texts(different);
  const RowVector<std::int32_t> first = first_rows(group, static_cast<std::size_t>(rows), different);
  for (std::size_t k = 0; k < different; ++k) texts[k] = STRING_ELT(column, first[k]);
  for (R_xlen_t i = 0; i < rows; ++i) ++group[i];
  return texts_of_rows(texts, of_row);
}
