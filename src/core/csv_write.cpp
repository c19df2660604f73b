#include "fast.h"

#include "csv_write.h"

#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstring>

#include "calendar.h"
#include "csv_values.h"
#include "values.h"

namespace rowanroot {
namespace {

bool is_blank(char c) { return c == ' ' || c == '\t'; }

// Whether one of these signs is among the bytes. Eight of them are looked at together.
bool has_sign(std::string_view text, char separator) {
  const char* at = text.data();
  const char* const end = at + text.size();
  for (; end - at >= 8; at += 8) {
    std::uint64_t bytes;
    std::memcpy(&bytes, at, 8);
    if (bytes_that_are(bytes, separator) | bytes_that_are(bytes, '"') | bytes_that_are(bytes, '\n') |
        bytes_that_are(bytes, '\r'))
      return true;
  }
  for (; at != end; ++at)
    if (*at == separator || *at == '"' || *at == '\n' || *at == '\r') return true;
  return false;
}

// An empty text and the letters NA are quoted, or they would be read back as missing.
bool needs_quotes(std::string_view text, char separator) {
  return text.empty() || text == "NA" || is_blank(text.front()) || is_blank(text.back()) || has_sign(text, separator);
}

char* put_quoted(std::string_view text, char* to) {
  *to++ = '"';
  for (;;) {
    const void* const quote = std::memchr(text.data(), '"', text.size());
    const char* const end = quote ? static_cast<const char*>(quote) : text.data() + text.size();
    const std::size_t size = static_cast<std::size_t>(end - text.data());
    std::memcpy(to, text.data(), size);
    to += size;
    *to++ = '"';
    if (!quote) return to;
    *to++ = '"';
    text.remove_prefix(size + 1);
  }
}

}  // namespace

void WrittenText::grow(std::size_t bytes) {
  room_ = std::max(size_ + bytes, 2 * room_);
  Buffer<char> larger(room_);
  if (size_) std::memcpy(larger.data(), bytes_.data(), size_);
  bytes_ = std::move(larger);
}

void write_field(std::string_view text, char separator, WrittenText* to) {
  if (!needs_quotes(text, separator)) return to->append(text.data(), text.data() + text.size());
  // Each sign may be a quote.
  to->end(put_quoted(text, to->room(2 * text.size() + 2)));
}

void write_field(std::int32_t value, bool is_logical, WrittenText* to) {
  if (value == missing_integer) return;
  char* const at = to->room(16);
  if (is_logical) to->end(value ? std::copy_n("TRUE", 4, at) : std::copy_n("FALSE", 5, at));
  else to->end(std::to_chars(at, at + 16, value).ptr);
}

void write_field(double value, WrittenText* to) {
  if (!is_missing_real(value)) to->end(put_real(value, to->room(most_bytes_of_real)));
}

void write_date_field(double days, WrittenText* to) {
  if (days != days) return;
  to->end(put_date(civil_of(static_cast<std::int64_t>(std::floor(days))), to->room(10)));
}

}  // namespace rowanroot
