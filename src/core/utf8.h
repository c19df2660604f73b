#pragma once
// Characters as bytes.

#include <string>

namespace rowanroot {

// The character with this number, in UTF-8.
inline void append_utf8(unsigned code, std::string* to) {
  const auto more = [&](int shift) { to->push_back(static_cast<char>(0x80 | (code >> shift & 0x3F))); };
  if (code < 0x80) return to->push_back(static_cast<char>(code));
  if (code < 0x800) {
    to->push_back(static_cast<char>(0xC0 | code >> 6));
  } else if (code < 0x10000) {
    to->push_back(static_cast<char>(0xE0 | code >> 12));
    more(6);
  } else {
    to->push_back(static_cast<char>(0xF0 | code >> 18));
    more(12), more(6);
  }
  more(0);
}

}  // namespace rowanroot
