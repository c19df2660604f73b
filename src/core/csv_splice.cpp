#include "fast.h"

#include "csv_splice.h"

#include <algorithm>
#include <cstdint>
#include <cstring>

#include "digits.h"

namespace rowanroot {
namespace {

// The first byte from `at` on that is one of these two, or `end`. Eight bytes are looked at together.
const char* find_either(const char* at, const char* end, char one, char other) {
  for (; end - at >= 8; at += 8) {
    const auto bytes = word_at<std::uint64_t>(at);
    const std::uint64_t found = bytes_that_are(bytes, one) | bytes_that_are(bytes, other);
    if (!found) continue;
#if __BYTE_ORDER__ == __ORDER_LITTLE_ENDIAN__
    // The lowest mark is right; those above it need not be.
    return at + __builtin_ctzll(found) / 8;
#else
    break;
#endif
  }
  while (at != end && *at != one && *at != other) ++at;
  return at;
}

}  // namespace

// Where nothing is quoted, a record ends with its line.
WrittenRecords::WrittenRecords(const char* first, const char* end, char separator, std::size_t fields, std::size_t cut)
    : at_(first),
      end_(end),
      separator_(separator),
      looked_for_(std::memchr(first, '"', static_cast<std::size_t>(end - first))
                      ? fields
                      : std::max<std::size_t>(std::min(cut, fields), 1) - 1),
      starts_(fields + 1) {}

void WrittenRecords::next() {
  const std::size_t fields = starts_.size() - 1;
  for (std::size_t k = 0; k < looked_for_; ++k) {
    starts_[k] = at_;
    if (at_ != end_ && *at_ == '"') {
      for (++at_;; at_ += 2) {
        at_ = static_cast<const char*>(std::memchr(at_, '"', static_cast<std::size_t>(end_ - at_)));
        if (!at_ || at_ + 1 == end_) throw OtherFile();
        if (at_[1] != '"') break;
      }
      ++at_;
    } else {
      at_ = find_either(at_, end_, separator_, '\n');
    }
    if (at_ == end_ || *at_ != (k + 1 < fields ? separator_ : '\n')) throw OtherFile();
    ++at_;
  }
  if (looked_for_ < fields) {
    starts_[looked_for_] = at_;
    const void* const line_end = std::memchr(at_, '\n', static_cast<std::size_t>(end_ - at_));
    if (!line_end) throw OtherFile();
    at_ = static_cast<const char*>(line_end) + 1;
  }
  starts_[fields] = at_;
}

}  // namespace rowanroot
