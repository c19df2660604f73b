#pragma once
// JSON lines: an object of single values on each line, as columns. Types are JSON's own: a number is never a text, nor
// a text a number.

#include <cstdint>
#include <stdexcept>
#include <string>
#include <string_view>
#include <unordered_map>
#include <vector>

#include "input.h"
#include "memory.h"

namespace rowanroot {

// What a value is, a bit for each, so that a column knows which it has. Texts are told apart by whether they are ISO
// 8601.
enum JsonKind : unsigned {
  json_logical = 1,
  json_integer = 2,
  json_long = 4,
  json_longer = 8,
  json_real = 16,
  json_too_large = 32,  // see kind_of_number()
  json_text = 64,
  json_date = 128,
  json_moment = 256,
  json_clock = 512
};
constexpr unsigned json_kinds = 10;

// What is wrong with a line, counted from 1, in a word that the caller has a sentence for.
struct JsonError : std::runtime_error {
  JsonError(std::string kind, std::size_t line, std::string value = "")
      : std::runtime_error(kind), kind(kind), line(line), value(value) {}
  std::string kind;
  std::size_t line;
  std::string value;
};

class JsonLines {
 public:
  // Both throw JsonError, and the second InputError.
  explicit JsonLines(std::string_view bytes);
  explicit JsonLines(const Input& input);

  std::size_t rows() const { return lines_.size(); }
  std::size_t line_of_row(std::size_t row) const { return lines_[row]; }
  std::size_t columns() const { return columns_.size(); }
  const std::string& name(std::size_t column) const { return columns_[column].name; }
  unsigned kinds(std::size_t column) const { return columns_[column].kinds; }
  // The line on which a value of this kind is first, and the value as it is written.
  std::size_t first_line(std::size_t column, unsigned kind) const {
    return columns_[column].first[place_of(kind)].line;
  }
  std::string first_value(std::size_t column, unsigned kind) const;

  // The value in this row: of no kind, where it is missing.
  unsigned kind(std::size_t column, std::size_t row) const { return columns_[column].values[row].kind; }
  // A number, a logical, or a text without escapes, as it is written.
  std::string_view written(std::size_t column, std::size_t row) const;
  // A text, with its escapes made out in `space` if there are any.
  std::string_view text(std::size_t column, std::size_t row, std::string* space) const;

 private:
  struct Value {
    std::uint64_t at = 0;
    std::uint32_t size = 0;
    std::uint16_t kind = 0;
    bool has_escapes = false;
  };
  struct First {
    std::size_t line = 0;
    Value value;
  };
  struct Column {
    std::string name;
    RowVector<Value> values;
    unsigned kinds = 0;
    First first[json_kinds];
  };
  static unsigned place_of(unsigned kind);

  void read_lines();
  void read_line(std::size_t first, std::size_t end);
  // A name and its value, likely those of this column; gives the column.
  std::size_t read_member(std::size_t row, std::size_t likely);
  void skip_blanks();
  [[noreturn]] void fail(const char* kind, std::string value = "") const { throw JsonError(kind, line_, value); }
  bool take(char c);
  Value read_text();
  Value read_value();
  Value read_word(std::string_view word, unsigned kind);
  Value read_number();
  std::size_t column_of(std::string_view key, std::size_t likely);

  RowBytes bytes_;
  std::size_t at_ = 0, end_ = 0, line_ = 0;
  std::vector<Column> columns_;
  std::unordered_map<std::string, std::size_t> by_name_;
  RowVector<std::size_t> lines_;
};

// A text in quotes, with what must be escaped.
void write_json_text(std::string_view text, std::string* to);

}  // namespace rowanroot
