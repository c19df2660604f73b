#include "fast.h"

#include "csv_write.h"

#include <charconv>

#include "csv_values.h"
#include "values.h"

namespace rowanroot {
namespace {

bool is_blank(char c) { return c == ' ' || c == '\t'; }

// An empty text and the letters NA are quoted, or they would be read back as missing.
bool needs_quotes(std::string_view text, char separator) {
  if (text.empty() || text == "NA" || is_blank(text.front()) || is_blank(text.back())) return true;
  for (char c : text)
    if (c == separator || c == '"' || c == '\n' || c == '\r') return true;
  return false;
}

}  // namespace

void write_field(std::string_view text, char separator, std::string* to) {
  if (!needs_quotes(text, separator)) return void(to->append(text));
  to->push_back('"');
  for (char c : text) {
    if (c == '"') to->push_back('"');
    to->push_back(c);
  }
  to->push_back('"');
}

void write_field(std::int32_t value, bool is_logical, std::string* to) {
  if (value == missing_integer) return;
  if (is_logical) return void(to->append(value ? "TRUE" : "FALSE"));
  char buffer[16];
  to->append(buffer, std::to_chars(buffer, buffer + sizeof buffer, value).ptr);
}

void write_field(double value, std::string* to) {
  if (!is_missing_real(value)) write_real(value, to);
}

}  // namespace rowanroot
