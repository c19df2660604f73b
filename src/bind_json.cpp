// JSON lines as R vectors, and R vectors as JSON lines.

#include <charconv>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <memory>
#include <vector>

#include "bind.h"
#include "csv_values.h"
#include "input.h"
#include "json_lines.h"
#include "moments.h"
#include "new_texts.h"
#include "written_column.h"

namespace {

using namespace rowanroot;
using JsonPointer = Rcpp::XPtr<JsonLines>;

Rcpp::String utf8(std::string_view text) {
  return Rcpp::String(Rf_mkCharLenCE(text.data(), static_cast<int>(text.size()), CE_UTF8));
}

template <class T, class Work>
void fill(const JsonLines& lines, std::size_t column, T* to, T missing, Work work) {
  for (std::size_t row = 0; row < lines.rows(); ++row) to[row] = lines.kind(column, row) ? work(row) : missing;
}

double real_of(std::string_view text) {
  double value = 0;
  // What is too small for a double is nothing, with its sign.
  if (std::from_chars(text.data(), text.data() + text.size(), value).ec != std::errc())
    value = text[0] == '-' ? -0.0 : 0.0;
  return value;
}

std::int64_t long_of(std::string_view text) {
  std::int64_t value = 0;
  std::from_chars(text.data(), text.data() + text.size(), value);
  return value;
}

}  // namespace

// The file's lines as `lines`, the `names` of its columns, the bits of the `kinds` of values that each has, and how
// many `rows`; or the `problem`, in a word, with its `line` and a `value`.
// [[Rcpp::export]]
Rcpp::List json_open_cpp(std::string path) {
  const auto problem = [](const std::string& kind, double line, const std::string& value) {
    return Rcpp::List::create(Rcpp::Named("problem") = kind, Rcpp::Named("line") = line,
                              Rcpp::Named("value") = utf8(value));
  };
  try {
    JsonPointer lines(new JsonLines(*open_file(path)), true);
    Rcpp::CharacterVector names(lines->columns());
    Rcpp::IntegerVector kinds(lines->columns());
    for (std::size_t k = 0; k < lines->columns(); ++k) {
      names[static_cast<R_xlen_t>(k)] = utf8(lines->name(k));
      kinds[static_cast<R_xlen_t>(k)] = static_cast<int>(lines->kinds(k));
    }
    return Rcpp::List::create(Rcpp::Named("lines") = lines, Rcpp::Named("names") = names, Rcpp::Named("kinds") = kinds,
                              Rcpp::Named("rows") = static_cast<double>(lines->rows()));
  } catch (const JsonError& error) {
    return problem(error.kind, static_cast<double>(error.line), error.value);
  } catch (const InputError& error) {
    return problem("unreadable", 0, error.what());
  }
}

// The line on which a column, from 1, first has a value of this kind, and that value.
// [[Rcpp::export]]
Rcpp::List json_first_cpp(SEXP lines, int column, int kind) {
  const JsonLines& all = *JsonPointer(lines);
  const std::size_t k = static_cast<std::size_t>(column) - 1;
  return Rcpp::List::create(Rcpp::Named("line") = static_cast<double>(all.first_line(k, static_cast<unsigned>(kind))),
                            Rcpp::Named("value") = utf8(all.first_value(k, static_cast<unsigned>(kind))));
}

// The line, from 1, of a row, from 1.
// [[Rcpp::export]]
double json_line_cpp(SEXP lines, double row) {
  return static_cast<double>(JsonPointer(lines)->line_of_row(static_cast<std::size_t>(row) - 1));
}

namespace {

SEXP texts_of_json(const JsonLines& all, std::size_t column) {
  NewTexts texts(static_cast<R_xlen_t>(all.rows()));
  std::string space;
  for (std::size_t row = 0; row < all.rows(); ++row) {
    if (all.kind(column, row)) texts.add(all.text(column, row, &space));
    else texts.add_missing();
  }
  return texts.finish();
}

// The bits of a 64-bit integer, as R's vectors of them have these.
double bits_of_long(std::int64_t value) {
  double bits;
  std::memcpy(&bits, &value, sizeof bits);
  return bits;
}

double day_of(std::string_view text) {
  double day = 0;
  read_date(text, &day);
  return day;
}

double time_of(std::string_view text) {
  static const MomentReader iso("");
  Moment moment;
  iso.read(text, &moment);
  return moment.value;
}

SEXP reals_of_json(const JsonLines& all, std::size_t column, double missing, double (*read)(std::string_view)) {
  Rcpp::Shield<SEXP> values(new_vector(REALSXP, static_cast<R_xlen_t>(all.rows())));
  fill(all, column, REAL(values), missing, [&](std::size_t row) { return read(all.written(column, row)); });
  return values;
}

SEXP integers_of_json(const JsonLines& all, std::size_t column, SEXPTYPE type, std::int32_t (*read)(std::string_view)) {
  Rcpp::Shield<SEXP> values(new_vector(type, static_cast<R_xlen_t>(all.rows())));
  std::int32_t* const to = type == LGLSXP ? LOGICAL(values) : INTEGER(values);
  fill(all, column, to, missing_integer, [&](std::size_t row) { return read(all.written(column, row)); });
  return values;
}

}  // namespace

// A column, from 1, as a vector of this type, of which all its values are. What is not text may be had as text, as it
// is written.
// [[Rcpp::export]]
SEXP json_column_cpp(SEXP lines, int column, std::string type) {
  const JsonLines& all = *JsonPointer(lines);
  const std::size_t k = static_cast<std::size_t>(column) - 1;
  if (type == "text") return texts_of_json(all, k);
  if (type == "logical")
    return integers_of_json(all, k, LGLSXP, [](std::string_view text) { return std::int32_t(text == "true"); });
  if (type == "integer")
    return integers_of_json(all, k, INTSXP, [](std::string_view text) { return std::int32_t(long_of(text)); });
  if (type == "integer64")
    return reals_of_json(all, k, bits_of_long(missing_long_integer),
                         [](std::string_view text) { return bits_of_long(long_of(text)); });
  if (type == "date") return reals_of_json(all, k, missing_real(), day_of);
  if (type == "time") return reals_of_json(all, k, missing_real(), time_of);
  return reals_of_json(all, k, missing_real(), [](std::string_view text) { return real_of(text); });
}

namespace {

// Gives what the system said if the rows can't be written, or an empty text.
class JsonWriter {
 public:
  JsonWriter(const Rcpp::List& table, const Rcpp::CharacterVector& names) {
    for (R_xlen_t k = 0; k < table.size(); ++k) {
      SEXP values = table[k];
      Column column(values);
      if (Rf_inherits(values, "integer64")) column.type = 0;
      column.is_date = Rf_inherits(values, "Date");
      column.key = k ? "," : "{";
      write_json_text(std::string_view(names[k]), &column.key);
      column.key.push_back(':');
      columns_.push_back(std::move(column));
    }
  }

  void write(R_xlen_t first, R_xlen_t count, std::string* to) {
    for (Column& column : columns_) column.read(first, count);
    for (R_xlen_t row = 0; row < count; ++row) {
      for (const Column& column : columns_) {
        to->append(column.key);
        write_value(column, first, row, to);
      }
      to->append(columns_.empty() ? "{}\n" : "}\n");
    }
  }

 private:
  struct Column : WrittenColumn {
    using WrittenColumn::WrittenColumn;
    std::string key;
    bool is_date = false;
  };

  static void write_value(const Column& column, R_xlen_t first, R_xlen_t row, std::string* to) {
    switch (column.type) {
      case STRSXP: {
        const TextBytes& text = column.texts[static_cast<std::size_t>(row)];
        if (text.bytes) write_json_text({text.bytes, static_cast<std::size_t>(text.size)}, to);
        else to->append("null");
        return;
      }
      case 0:
        return write_whole(static_cast<const std::int64_t*>(column.values)[first + row], missing_long_integer, to);
      case INTSXP:
        return write_whole(static_cast<const std::int32_t*>(column.values)[first + row], missing_integer, to);
      case LGLSXP: {
        const std::int32_t value = static_cast<const std::int32_t*>(column.values)[first + row];
        return void(to->append(value == missing_integer ? "null" : value ? "true" : "false"));
      }
      default: {
        const double value = static_cast<const double*>(column.values)[first + row];
        if (value != value) to->append("null");
        else if (column.is_date) write_day_text(value, to);
        else write_real(value, to);
      }
    }
  }

  static void write_day_text(double value, std::string* to) {
    to->push_back('"');
    write_day(value, to);
    to->push_back('"');
  }

  template <class T>
  static void write_whole(T value, T missing, std::string* to) {
    char buffer[24];
    if (value == missing) to->append("null");
    else to->append(buffer, std::to_chars(buffer, buffer + sizeof buffer, value).ptr);
  }

  std::vector<Column> columns_;
};

}  // namespace

// Texts must be UTF-8, numbers finite or missing, dates of the years 0 to 9999.
// [[Rcpp::export]]
std::string json_write_cpp(Rcpp::List columns, Rcpp::CharacterVector names, double rows, std::string path) {
  std::unique_ptr<std::FILE, int (*)(std::FILE*)> file(std::fopen(path.c_str(), "wb"), std::fclose);
  if (!file) return std::strerror(errno);
  JsonWriter writer(columns, names);
  const R_xlen_t all = static_cast<R_xlen_t>(rows);
  std::string text;
  for (R_xlen_t first = 0; first < all; first += text_batch) {
    writer.write(first, std::min(text_batch, all - first), &text);
    if (text.size() < (1 << 20) && first + text_batch < all) continue;
    if (std::fwrite(text.data(), 1, text.size(), file.get()) != text.size()) return std::strerror(errno);
    text.clear();
    Rcpp::checkUserInterrupt();
  }
  return std::fflush(file.get()) != 0 ? std::strerror(errno) : "";
}

// Numbers in the shortest form that reads back as the same; integer64 too.
// [[Rcpp::export]]
Rcpp::CharacterVector shortest_texts_cpp(SEXP numbers) {
  const bool is_long = Rf_inherits(numbers, "integer64");
  const R_xlen_t n = Rf_xlength(numbers);
  const double* values = REAL(numbers);
  Rcpp::CharacterVector texts(n);
  std::string text;
  for (R_xlen_t k = 0; k < n; ++k) {
    text.clear();
    if (is_long) {
      std::int64_t value;
      std::memcpy(&value, values + k, sizeof value);
      if (value != missing_long_integer) text = std::to_string(value);
    } else if (values[k] == values[k]) {
      write_real(values[k], &text);
    }
    texts[k] = text.empty() ? Rcpp::String(NA_STRING) : Rcpp::String(text);
  }
  return texts;
}
