#include "fast.h"

#include "csv_write.h"

#include <algorithm>
#include <charconv>
#include <cstring>

#include "calendar.h"
#include "csv_values.h"
#include "digits.h"
#include "values.h"

namespace rowanroot {
namespace {

bool is_blank(char c) { return c == ' ' || c == '\t'; }

std::uint64_t signs_in(std::uint64_t bytes, char separator) {
  return bytes_that_are(bytes, separator) | bytes_that_are(bytes, '"') | bytes_that_are(bytes, '\n') |
         bytes_that_are(bytes, '\r');
}

// Copies a text and tells whether separators, quotes or line ends are among its signs. The last of its words may have
// signs of the one before.
template <class Word>
bool copy_words(const char* at, std::size_t size, char separator, char* to) {
  const char* const last = at + size - sizeof(Word);
  std::uint64_t found = 0;
  for (; at < last; at += sizeof(Word), to += sizeof(Word)) {
    found |= signs_in(word_at<Word>(at), separator);
    std::memcpy(to, at, sizeof(Word));
  }
  found |= signs_in(word_at<Word>(last), separator);
  std::memcpy(to - (at - last), last, sizeof(Word));
  return found != 0;
}

bool copy_text(std::string_view text, char separator, char* to) {
  if (text.size() >= 8) return copy_words<std::uint64_t>(text.data(), text.size(), separator, to);
  if (text.size() >= 4) return copy_words<std::uint32_t>(text.data(), text.size(), separator, to);
  bool found = false;
  for (const char sign : text) {
    found = found || sign == separator || sign == '"' || sign == '\n' || sign == '\r';
    *to++ = sign;
  }
  return found;
}

// An empty text and the letters NA are quoted, or they would be read back as missing.
bool reads_otherwise(std::string_view text) {
  return text.empty() || text == "NA" || is_blank(text.front()) || is_blank(text.back());
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

char* put_field(std::string_view text, char separator, char* to) {
  if (reads_otherwise(text) || copy_text(text, separator, to)) return put_quoted(text, to);
  return to + text.size();
}

char* put_field(std::int32_t value, bool is_logical, char* to) {
  if (value == missing_integer) return to;
  if (is_logical) return value ? std::copy_n("TRUE", 4, to) : std::copy_n("FALSE", 5, to);
  return std::to_chars(to, to + most_bytes_of_value, value).ptr;
}

char* put_field(double value, char* to) { return is_missing_real(value) ? to : put_real(value, to); }

char* put_date_field(double days, char* to) {
  if (days != days) return to;
  const std::int32_t towards_zero = static_cast<std::int32_t>(days);
  return put_date(civil_of(towards_zero - (towards_zero > days)), to);
}

}  // namespace rowanroot
