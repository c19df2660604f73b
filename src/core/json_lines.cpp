#include "json_lines.h"

#include <charconv>
#include <cmath>

#include "csv_values.h"
#include "digits.h"
#include "moments.h"
#include "utf8.h"

namespace rowanroot {
namespace {

// How much of a value an error shows.
constexpr std::size_t longest_shown = 60;

// A whole number fits 32 bits, or is exact as a double too, or fits 64 bits; a larger one is real only if a double has
// all its digits.
unsigned kind_of_number(std::string_view text, bool is_whole) {
  if (is_whole && text != "-0") {
    std::int64_t value;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (problem == std::errc() && value != INT64_MIN) {
      if (value > INT32_MIN && value <= INT32_MAX) return json_integer;
      return value <= (std::int64_t(1) << 53) && value >= -(std::int64_t(1) << 53) ? json_long : json_longer;
    }
  }
  double real;
  const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), real);
  if (problem == std::errc::result_out_of_range) {
    // Too small for a double is next to nothing; what is too large is not a number here.
    return std::fabs(std::strtod(std::string(text).c_str(), nullptr)) < 1 ? json_real : json_too_large;
  }
  if (!is_whole || text == "-0") return json_real;
  char digits[400];
  const auto exact = std::to_chars(digits, digits + sizeof digits, real, std::chars_format::fixed);
  return std::string_view(digits, static_cast<std::size_t>(exact.ptr - digits)) == text ? json_real : json_too_large;
}

unsigned kind_of_text(std::string_view text) {
  static const MomentReader iso("");
  if (text.size() < 10 || text[4] != '-') return json_text;
  double day;
  if (read_date(text, &day)) return json_date;
  Moment moment;
  if (text.size() > 10 && iso.read(text, &moment)) return moment.is_universal ? json_moment : json_clock;
  return json_text;
}

// Four hexadecimal digits, or a number that no code has.
unsigned code_at(std::string_view text, std::size_t at) {
  unsigned code = 0;
  if (at + 4 > text.size()) return 0x110000;
  const auto [end, problem] = std::from_chars(text.data() + at, text.data() + at + 4, code, 16);
  return problem == std::errc() && end == text.data() + at + 4 ? code : 0x110000;
}

// Makes out the escapes of a text. Gives a word on what is wrong, or null.
const char* make_out(std::string_view text, std::string* to) {
  to->clear();
  for (std::size_t i = 0; i < text.size(); ++i) {
    if (text[i] != '\\') {
      to->push_back(text[i]);
      continue;
    }
    switch (text[++i]) {
      case '"': case '\\': case '/': to->push_back(text[i]); break;
      case 'b': to->push_back('\b'); break;
      case 'f': to->push_back('\f'); break;
      case 'n': to->push_back('\n'); break;
      case 'r': to->push_back('\r'); break;
      case 't': to->push_back('\t'); break;
      case 'u': {
        unsigned code = code_at(text, i + 1);
        i += 4;
        if (code == 0) return "nul";
        if (code >= 0xD800 && code < 0xDC00) {
          const unsigned low = text.substr(std::min(i + 1, text.size()), 2) == "\\u" ? code_at(text, i + 3) : 0;
          if (low < 0xDC00 || low > 0xDFFF) return "half_character";
          code = 0x10000 + ((code - 0xD800) << 10) + (low - 0xDC00);
          i += 6;
        } else if (code >= 0xDC00 && code < 0xE000) {
          return "half_character";
        }
        if (code > 0x10FFFF) return "syntax";
        append_utf8(code, to);
        break;
      }
      default: return "syntax";
    }
  }
  return nullptr;
}

}  // namespace

unsigned JsonLines::place_of(unsigned kind) {
  unsigned place = 0;
  while (kind >>= 1) ++place;
  return place;
}

JsonLines::JsonLines(std::string_view bytes) : bytes_(bytes) { read_lines(); }

JsonLines::JsonLines(const Input& input) : bytes_(static_cast<std::size_t>(input.size()), '\0') {
  input.read(0, bytes_.size(), &bytes_[0]);
  read_lines();
}

void JsonLines::read_lines() {
  std::size_t first = bytes_.compare(0, 3, "\xEF\xBB\xBF") == 0 ? 3 : 0;
  while (first < bytes_.size()) {
    std::size_t end = bytes_.find('\n', first);
    if (end == RowBytes::npos) end = bytes_.size();
    ++line_;
    read_line(first, end);
    first = end + 1;
  }
  for (Column& column : columns_) column.values.resize(rows());
}

void JsonLines::read_line(std::size_t first, std::size_t end) {
  const std::string_view line(bytes_.data() + first, end - first);
  if (valid_utf8_prefix(line) != line.size()) fail("not_utf8");
  at_ = first, end_ = end;
  skip_blanks();
  if (at_ == end_) return;
  if (!take('{')) fail("no_object");
  const std::size_t row = rows();
  lines_.push_back(line_);
  skip_blanks();
  if (!take('}')) {
    std::size_t likely = 0;
    do likely = read_member(row, likely) + 1;
    while (take(','));
    if (!take('}')) fail("syntax");
  }
  skip_blanks();
  if (at_ != end_) fail("more_than_object");
}

std::size_t JsonLines::read_member(std::size_t row, std::size_t likely) {
  skip_blanks();
  const Value key = read_text();
  std::string_view name(bytes_.data() + key.at, key.size);
  std::string space;
  if (key.has_escapes) make_out(name, &space), name = space;
  if (name.empty()) fail("empty_name");
  const std::size_t k = column_of(name, likely);
  Column& column = columns_[k];
  if (column.values.size() > row) fail("repeated_name", column.name);
  skip_blanks();
  if (!take(':')) fail("syntax");
  skip_blanks();
  if (at_ < end_ && (bytes_[at_] == '{' || bytes_[at_] == '[')) fail("nested", column.name);
  const Value value = read_value();
  column.values.resize(row);
  column.values.push_back(value);
  if (value.kind && !(column.kinds & value.kind)) {
    column.kinds |= value.kind;
    column.first[place_of(value.kind)] = {line_, value};
  }
  skip_blanks();
  return k;
}

void JsonLines::skip_blanks() {
  while (at_ < end_ && (bytes_[at_] == ' ' || bytes_[at_] == '\t' || bytes_[at_] == '\r')) ++at_;
}

bool JsonLines::take(char c) {
  if (at_ == end_ || bytes_[at_] != c) return false;
  return ++at_, true;
}

// Columns mostly come in the order in which they came before.
std::size_t JsonLines::column_of(std::string_view key, std::size_t likely) {
  if (likely < columns_.size() && columns_[likely].name == key) return likely;
  const auto [found, is_new] = by_name_.emplace(std::string(key), columns_.size());
  if (is_new) {
    columns_.emplace_back();
    columns_.back().name = std::string(key);
  }
  return found->second;
}

JsonLines::Value JsonLines::read_text() {
  if (!take('"')) fail("syntax");
  Value value;
  value.at = at_;
  for (; at_ < end_ && bytes_[at_] != '"'; ++at_) {
    if (static_cast<unsigned char>(bytes_[at_]) < 0x20) fail(bytes_[at_] == 0 ? "nul" : "control");
    if (bytes_[at_] != '\\') continue;
    value.has_escapes = true;
    if (++at_ == end_) fail("open_quote");
  }
  if (at_ == end_) fail("open_quote");
  if (at_ - value.at > INT32_MAX) fail("long_text");
  value.size = static_cast<std::uint32_t>(at_ - value.at);
  ++at_;
  value.kind = json_text;
  if (value.has_escapes) {
    std::string space;
    if (const char* problem = make_out({bytes_.data() + value.at, value.size}, &space)) fail(problem);
  }
  return value;
}

JsonLines::Value JsonLines::read_value() {
  if (at_ == end_) fail("syntax");
  switch (bytes_[at_]) {
    case '"': {
      Value value = read_text();
      if (!value.has_escapes)
        value.kind = static_cast<std::uint16_t>(kind_of_text({bytes_.data() + value.at, value.size}));
      return value;
    }
    case 't': return read_word("true", json_logical);
    case 'f': return read_word("false", json_logical);
    case 'n': return read_word("null", 0);
    default: return read_number();
  }
}

JsonLines::Value JsonLines::read_word(std::string_view word, unsigned kind) {
  if (std::string_view(bytes_).substr(at_, word.size()) != word) fail("syntax");
  Value value;
  value.at = at_, value.size = static_cast<std::uint32_t>(word.size()), value.kind = static_cast<std::uint16_t>(kind);
  at_ += word.size();
  return value;
}

// By JSON's grammar: no plus, no leading zeros, digits on both sides of a point.
JsonLines::Value JsonLines::read_number() {
  Value value;
  value.at = at_;
  const auto digits = [&] {
    const std::size_t from = at_;
    while (at_ < end_ && is_digit(bytes_[at_])) ++at_;
    if (at_ == from) fail("syntax");
  };
  take('-');
  if (take('0')) {
    if (at_ < end_ && is_digit(bytes_[at_])) fail("syntax");
  } else {
    digits();
  }
  bool is_whole = true;
  if (take('.')) digits(), is_whole = false;
  if (take('e') || take('E')) {
    if (!take('+')) take('-');
    digits(), is_whole = false;
  }
  value.size = static_cast<std::uint32_t>(at_ - value.at);
  value.kind = static_cast<std::uint16_t>(kind_of_number({bytes_.data() + value.at, value.size}, is_whole));
  return value;
}

std::string_view JsonLines::written(std::size_t column, std::size_t row) const {
  const Value& value = columns_[column].values[row];
  return {bytes_.data() + value.at, value.size};
}

std::string_view JsonLines::text(std::size_t column, std::size_t row, std::string* space) const {
  if (!columns_[column].values[row].has_escapes) return written(column, row);
  make_out(written(column, row), space);
  return *space;
}

std::string JsonLines::first_value(std::size_t column, unsigned kind) const {
  const Value& value = columns_[column].first[place_of(kind)].value;
  std::string_view text(bytes_.data() + value.at, value.size);
  if (text.size() <= longest_shown) return std::string(text);
  return std::string(text.substr(0, valid_utf8_prefix(text.substr(0, longest_shown)))) + "...";
}

void write_json_text(std::string_view text, std::string* to) {
  to->push_back('"');
  for (char c : text) {
    switch (c) {
      case '"': to->append("\\\""); break;
      case '\\': to->append("\\\\"); break;
      case '\n': to->append("\\n"); break;
      case '\r': to->append("\\r"); break;
      case '\t': to->append("\\t"); break;
      default:
        if (static_cast<unsigned char>(c) >= 0x20 && c != 0x7F) to->push_back(c);
        else
          to->append(c == 0x7F ? "\\u007f"
                               : std::string("\\u00") + (c < 0x10 ? '0' : '1') + "0123456789abcdef"[c & 15]);
    }
  }
  to->push_back('"');
}

}  // namespace rowanroot
