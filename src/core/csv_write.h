#pragma once
// Writing CSV: RFC 4180, fields quoted only where they must be, numbers in their shortest exact form.

#include <cstdint>
#include <cstring>
#include <string_view>

#include "csv_values.h"
#include "memory.h"

namespace rowanroot {

// Bytes that are added at the end, where there is room for them: that is asked for first.
class WrittenText {
 public:
  char* room(std::size_t bytes) {
    if (room_ - size_ < bytes) grow(bytes);
    return bytes_.data() + size_;
  }
  // The same behind `at`, up to where text was put.
  char* room(char* at, std::size_t bytes) {
    if (static_cast<std::size_t>(bytes_.data() + room_ - at) >= bytes) return at;
    end(at);
    return room(bytes);
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

// Each puts one field where there is room for so many bytes, and gives what is behind it. Missing values are nothing.
// A text's signs may all be quotes.
constexpr std::size_t most_bytes_of_value = most_bytes_of_real;
inline std::size_t most_bytes_of(std::string_view text) { return 2 * text.size() + 2; }
char* put_field(std::string_view text, char separator, char* to);
char* put_field(std::int32_t value, bool is_logical, char* to);
char* put_field(double value, char* to);
// Of days since 1970-01-01 in the years 0 to 9999: the date, yyyy-mm-dd.
char* put_date_field(double days, char* to);

}  // namespace rowanroot
