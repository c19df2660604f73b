#pragma once
// Texts in UTF-8: their characters, and parts of them. What is looked for is looked for byte by byte, which in UTF-8
// finds whole characters only.

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>

namespace rowanroot {

// Where `part`, which is not empty, is in the text from `first` on. Texts are mostly short: a single byte is looked for
// as they lie.
inline std::size_t find_part(std::string_view text, std::string_view part, std::size_t first = 0) {
  constexpr std::size_t short_text = 64;
  if (part.size() > 1 || text.size() > short_text) return text.find(part, first);
  for (std::size_t i = first; i < text.size(); ++i)
    if (text[i] == part[0]) return i;
  return text.npos;
}

// Calls part(number, text) for each part between separators, from 0; the last of `most` parts goes on to the end of the
// text. Gives how many parts the text has in all. `at` is not empty.
template <class Part>
std::size_t each_part(std::string_view text, std::string_view at, std::size_t most, Part part) {
  std::size_t count = 0;
  for (std::size_t first = 0;; ++count) {
    const std::size_t end = find_part(text, at, first);
    const bool is_rest = count + 1 == most;
    if (count < most) part(count, text.substr(first, is_rest || end == text.npos ? text.npos : end - first));
    if (end == text.npos) return count + 1;
    first = end + at.size();
  }
}

// Whether no byte has its highest bit: eight bytes at a time, of which the last overlap.
inline bool is_ascii(std::string_view text) {
  std::uint64_t bits = 0, word;
  constexpr std::size_t size = sizeof word;
  if (text.size() < size) {
    for (char byte : text) bits |= static_cast<unsigned char>(byte);
    return (bits & 0x80) == 0;
  }
  for (std::size_t i = 0; i + size <= text.size(); i += size) {
    std::memcpy(&word, text.data() + i, size);
    bits |= word;
  }
  std::memcpy(&word, text.data() + text.size() - size, size);
  return ((bits | word) & 0x8080808080808080ull) == 0;
}

// Whether these bytes are characters, as Unicode has them.
bool is_utf8(std::string_view text);

std::size_t count_characters(std::string_view text);

// The characters from first to last, counted from 1, as far as there are any.
std::string_view characters(std::string_view text, std::int64_t first, std::int64_t last);

// Without the blanks, tabs and ends of lines at its ends.
std::string_view trimmed(std::string_view text, bool left, bool right);

// What stands between the first `from` and the first `to` after it; an empty one is the text's beginning or end. Says
// whether both are there.
bool find_between(std::string_view text, std::string_view from, std::string_view to, std::string_view* between);

// Appends the text with `to` for the first `from`, or for all of them; `from` is not empty.
void append_replaced(std::string_view text, std::string_view from, std::string_view to, bool all, std::string* result);

// Appends the text in capitals or in small letters: those that the system's language has for each character.
void append_in_case(std::string_view text, bool upper, std::string* result);

}  // namespace rowanroot
