// Keeps the values of plain vectors where a condition is TRUE.

#include "bind.h"
#include "filter.h"
#include "deferred_strings.h"

using namespace rowanroot;

static std::vector<std::int32_t> rows_where(const Rcpp::LogicalVector& condition) {
  std::vector<std::int32_t> rows;
  for (R_xlen_t i = 0; i < condition.size(); ++i)
    if (condition[i] == TRUE) rows.push_back(static_cast<std::int32_t>(i));
  return rows;
}

// The kept values of each column that the engine has a type for, with what makes them dates and the like, NULL for the
// others; and their number.
// [[Rcpp::export]]
Rcpp::List keep_where_cpp(Rcpp::List columns, Rcpp::LogicalVector is_plain, Rcpp::LogicalVector condition,
                          int threads) {
  const R_xlen_t rows = condition.size();
  const Filter filter(condition.begin(), static_cast<std::size_t>(rows), thread_count(rows, threads));
  Rcpp::List kept(columns.size());
  std::vector<std::int32_t> kept_rows;
  for (R_xlen_t k = 0; k < columns.size(); ++k) {
    if (!is_plain[k]) continue;
    SEXP column = columns[k];
    if (Rf_xlength(column) != rows) Rcpp::stop("a condition has a value for each row");
    const auto keep = [&](SEXP values) {
      Rcpp::Shield<SEXP> result(new_vector(TYPEOF(values), static_cast<R_xlen_t>(filter.kept())));
      filter.keep(type_of_vector(values), address_of(values), writable_address(result));
      return static_cast<SEXP>(result);
    };
    if (are_deferred(column)) {
      if (kept_rows.empty()) kept_rows = rows_where(condition);
      kept[k] = texts_in_rows(column, kept_rows.data(), static_cast<R_xlen_t>(kept_rows.size()), threads);
      if (kept[k] != R_NilValue) continue;
    }
    const CodedTexts coded = coded_texts_of(column);
    kept[k] = coded ? new_coded_texts(Rcpp::Shield<SEXP>(keep(coded.codes)), coded.texts) : keep(column);
    Rcpp::checkUserInterrupt();
  }
  give_attributes(columns, is_plain, kept);
  return Rcpp::List::create(Rcpp::Named("columns") = kept, Rcpp::Named("rows") = static_cast<double>(filter.kept()));
}
