#include "texts.h"

#include <algorithm>
#include <cstring>
#include <cwctype>

namespace rowanroot {
namespace {

unsigned char byte_at(std::string_view text, std::size_t i) { return static_cast<unsigned char>(text[i]); }

// The bytes that go on with a character have these highest bits.
bool goes_on(char byte) { return (static_cast<unsigned char>(byte) & 0xC0) == 0x80; }

std::size_t ascii_bytes(std::string_view text) {
  std::size_t i = 0;
  for (; i + 8 <= text.size(); i += 8) {
    std::uint64_t eight;
    std::memcpy(&eight, text.data() + i, 8);
    if (eight & 0x8080808080808080ull) break;
  }
  while (i < text.size() && byte_at(text, i) < 128) ++i;
  return i;
}

// The size of the character that begins here, or 0 if none does: no byte too few, none of the numbers that UTF-16 needs
// for itself, none that could be written shorter, none beyond the last.
std::size_t character_size(std::string_view text, std::size_t i) {
  const unsigned char first = byte_at(text, i);
  if (first < 0x80) return 1;
  const std::size_t size = first >= 0xF0 ? 4 : first >= 0xE0 ? 3 : 2;
  if (first < 0xC2 || first > 0xF4 || i + size > text.size()) return 0;
  for (std::size_t k = 1; k < size; ++k)
    if (!goes_on(text[i + k])) return 0;
  const unsigned char second = byte_at(text, i + 1);
  const bool is_wrong = (first == 0xE0 && second < 0xA0) || (first == 0xED && second > 0x9F) ||
                        (first == 0xF0 && second < 0x90) || (first == 0xF4 && second > 0x8F);
  return is_wrong ? 0 : size;
}

// Where the character begins that comes after so many.
std::size_t after_characters(std::string_view text, std::size_t from, std::int64_t count) {
  for (; count > 0 && from < text.size(); --count)
    for (++from; from < text.size() && goes_on(text[from]);) ++from;
  return from;
}

// The number of a character of more than one byte.
std::uint32_t character_at(std::string_view text, std::size_t i, std::size_t size) {
  std::uint32_t number = byte_at(text, i) & (0xFFu >> (size + 1));
  for (std::size_t k = 1; k < size; ++k) number = number << 6 | (byte_at(text, i + k) & 0x3Fu);
  return number;
}

void append_character(std::uint32_t number, std::string* result) {
  const auto push = [&](std::uint32_t byte) { result->push_back(static_cast<char>(byte)); };
  const auto go_on = [&](int shift) { push(0x80 | (number >> shift & 0x3F)); };
  if (number < 0x80) return push(number);
  if (number < 0x800) return push(0xC0 | number >> 6), go_on(0);
  if (number < 0x10000) return push(0xE0 | number >> 12), go_on(6), go_on(0);
  push(0xF0 | number >> 18), go_on(12), go_on(6), go_on(0);
}

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\r' || c == '\n'; }

}  // namespace

bool is_utf8(std::string_view text) {
  for (std::size_t i = ascii_bytes(text); i < text.size();) {
    const std::size_t size = character_size(text, i);
    if (size == 0) return false;
    i += size;
  }
  return true;
}

std::size_t count_characters(std::string_view text) {
  return text.size() - static_cast<std::size_t>(std::count_if(text.begin(), text.end(), goes_on));
}

std::string_view characters(std::string_view text, std::int64_t first, std::int64_t last) {
  first = std::max<std::int64_t>(first, 1);
  if (last < first) return text.substr(0, 0);
  if (is_ascii(text)) {
    const std::size_t start = std::min<std::uint64_t>(static_cast<std::uint64_t>(first - 1), text.size());
    return text.substr(start, static_cast<std::size_t>(
                                  std::min<std::int64_t>(last - first + 1, static_cast<std::int64_t>(text.size()))));
  }
  const std::size_t start = after_characters(text, 0, first - 1);
  return text.substr(start, after_characters(text, start, last - first + 1) - start);
}

std::string_view trimmed(std::string_view text, bool left, bool right) {
  while (left && !text.empty() && is_blank(text.front())) text.remove_prefix(1);
  while (right && !text.empty() && is_blank(text.back())) text.remove_suffix(1);
  return text;
}

bool find_between(std::string_view text, std::string_view from, std::string_view to, std::string_view* between) {
  const std::size_t before = text.find(from);
  if (before == text.npos) return false;
  text.remove_prefix(before + from.size());
  const std::size_t end = to.empty() ? text.size() : text.find(to);
  if (end == text.npos) return false;
  *between = text.substr(0, end);
  return true;
}

void append_replaced(std::string_view text, std::string_view from, std::string_view to, bool all, std::string* result) {
  std::size_t first = 0;
  for (std::size_t found = find_part(text, from); found != text.npos;
       found = all ? find_part(text, from, first) : text.npos) {
    result->append(text.data() + first, found - first).append(to);
    first = found + from.size();
  }
  result->append(text.data() + first, text.size() - first);
}

void append_in_case(std::string_view text, bool upper, std::string* result) {
  const char low = upper ? 'a' : 'A', high = upper ? 'z' : 'Z';
  const auto changed = [=](char c) { return c >= low && c <= high ? static_cast<char>(c ^ 0x20) : c; };
  const std::size_t before = result->size();
  result->resize(before + text.size());
  if (is_ascii(text)) {
    std::transform(text.begin(), text.end(), result->begin() + static_cast<std::ptrdiff_t>(before), changed);
    return;
  }
  result->resize(before);
  for (std::size_t i = 0; i < text.size();) {
    const std::size_t size = character_size(text, i);
    if (size == 1) result->push_back(changed(text[i]));
    else
      append_character(
          static_cast<std::uint32_t>(upper ? std::towupper(static_cast<std::wint_t>(character_at(text, i, size)))
                                           : std::towlower(static_cast<std::wint_t>(character_at(text, i, size)))),
          result);
    i += size;
  }
}

}  // namespace rowanroot
