#pragma once
// Writing CSV: RFC 4180, fields quoted only where they must be, numbers in their shortest exact form.

#include <cstdint>
#include <cstring>
#include <string_view>

#include "memory.h"

namespace rowanroot {

// Of eight bytes, those that are this sign have their highest bit set; others may have it behind the first that is.
inline std::uint64_t bytes_that_are(std::uint64_t bytes, char sign) {
  constexpr std::uint64_t ones = 0x0101010101010101ull, highs = 0x8080808080808080ull;
  const std::uint64_t same = bytes ^ (ones * static_cast<unsigned char>(sign));
  return (same - ones) & ~same & highs;
}

// Bytes that are added at the end, where there is room for them: that is asked for first.
class WrittenText {
 public:
  char* room(std::size_t bytes) {
    if (room_ - size_ < bytes) grow(bytes);
    return bytes_.data() + size_;
  }
  // What was put there ends here.
  void end(const char* at) { size_ = static_cast<std::size_t>(at - bytes_.data()); }
  void append(const char* first, const char* last) {
    const std::size_t count = static_cast<std::size_t>(last - first);
    if (count) std::memcpy(room(count), first, count);
    size_ += count;
  }
  void clear() { size_ = 0; }
  const char* data() const { return bytes_.data(); }
  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }

 private:
  void grow(std::size_t bytes);

  Buffer<char> bytes_;
  std::size_t room_ = 0, size_ = 0;
};

// Each adds one field. Missing values are written as nothing.
void write_field(std::string_view text, char separator, WrittenText* to);
void write_field(std::int32_t value, bool is_logical, WrittenText* to);
void write_field(double value, WrittenText* to);
// Of days since 1970-01-01 in the years 0 to 9999: the date, yyyy-mm-dd.
void write_date_field(double days, WrittenText* to);
inline void write_sign(char sign, WrittenText* to) {
  char* const at = to->room(1);
  *at = sign;
  to->end(at + 1);
}

}  // namespace rowanroot
