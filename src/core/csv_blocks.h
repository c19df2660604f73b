#pragma once
// CSV looked at 64 bytes at a time: which of them end a field or a line outside of quotes.

#include <cstddef>
#include <cstdint>

namespace rowanroot {

constexpr int block_bytes = 64;

// Of the bytes of a block, the first in the lowest bit.
struct CsvSigns {
  std::uint64_t ends = 0;  // separators, line feeds and carriage returns
  std::uint64_t feeds = 0, quotes = 0;
  bool has_others = false;  // a carriage return, a nought, or a byte that is not ASCII
};

CsvSigns signs_of_block(const char* block, char separator);
std::uint64_t signs_in_block(const char* block, char sign);

inline std::size_t count_bits(std::uint64_t bits) {
  bits -= bits >> 1 & 0x5555555555555555ull;
  bits = (bits & 0x3333333333333333ull) + (bits >> 2 & 0x3333333333333333ull);
  return static_cast<std::size_t>(((bits + (bits >> 4)) & 0x0F0F0F0F0F0F0F0Full) * 0x0101010101010101ull >> 56);
}

inline std::uint64_t lowest_bits(std::ptrdiff_t count) {
  return count >= 64 ? ~std::uint64_t(0) : (std::uint64_t(1) << count) - 1;
}

class CsvBlocks {
 public:
  explicit CsvBlocks(char separator) : separator_(separator) {}

  // From here on blocks follow each other; the first begins with a record, or within quotes.
  void begin() { is_inside_ = is_closed_ = false, is_behind_end_ = true; }
  void begin_inside() { is_inside_ = true, is_closed_ = is_behind_end_ = false; }

  // False if a quote stands within a field without quotes or signs stand behind a field with quotes, and if a carriage
  // return is within quotes: then nothing is known of this block.
  bool next(const char* block);

  // Of this block, outside of quotes: signs that end a field, and those of them that are line feeds.
  std::uint64_t ends() const { return ends_; }
  std::uint64_t feeds() const { return feeds_; }
  // Within: the second ones of doubled quotes, and line feeds.
  std::uint64_t doubled() const { return doubled_; }
  std::uint64_t feeds_within() const { return feeds_within_; }
  bool has_others() const { return has_others_; }
  // Whether a field in quotes goes on behind it.
  bool is_inside() const { return is_inside_; }

 private:
  const char separator_;
  std::uint64_t ends_ = 0, feeds_ = 0, doubled_ = 0, feeds_within_ = 0;
  bool has_others_ = false;
  // Of the last byte: within quotes, the quote that ends a field, a sign behind which a field may begin.
  bool is_inside_ = false, is_closed_ = false, is_behind_end_ = true;
};

}  // namespace rowanroot
