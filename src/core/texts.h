#pragma once
// Parts of texts. Separators are looked for byte by byte, which in UTF-8 finds whole characters only.

#include <cstddef>
#include <string_view>

namespace rowanroot {

// Calls part(number, text) for each part between separators, from 0; the last of `most` parts goes on to the end of the
// text. Gives how many parts the text has in all. `at` is not empty.
template <class Part>
std::size_t each_part(std::string_view text, std::string_view at, std::size_t most, Part part) {
  std::size_t count = 0;
  for (std::size_t first = 0;; ++count) {
    const std::size_t end = text.find(at, first);
    const bool is_rest = count + 1 == most;
    if (count < most) part(count, text.substr(first, is_rest || end == text.npos ? text.npos : end - first));
    if (end == text.npos) return count + 1;
    first = end + at.size();
  }
}

}  // namespace rowanroot
