#include "fast.h"

#include "csv_count.h"

#include <algorithm>
#include <cstring>

#include "csv_blocks.h"

namespace rowanroot {
namespace {

class RecordCounter {
 public:
  RecordCounter(char separator, bool skips_blank_lines, CsvCount* count)
      : blocks_(separator), skips_blank_lines_(skips_blank_lines), count_(count) {}

  // Goes on to the next bytes, up to 64; behind the last ones are line feeds. False if there is something unusual.
  bool next(const char* block) {
    if (!blocks_.next(block)) return false;
    count_->has_others = count_->has_others || blocks_.has_others();
    const std::uint64_t carriages = blocks_.has_others() ? signs_in_block(block, '\r') : 0;
    if ((carriages << 1 | is_behind_carriage_) & ~blocks_.feeds()) return false;
    begins_ = blocks_.feeds() << 1 | is_behind_feed_;
    if (skips_blank_lines_ && (carriages & begins_)) return false;
    is_behind_carriage_ = carriages >> 63;
    is_behind_feed_ = blocks_.feeds() >> 63;
    return true;
  }

  std::uint64_t feeds() const { return blocks_.feeds(); }
  bool is_inside() const { return blocks_.is_inside(); }

  // Counts what ends at these bytes.
  void take(std::uint64_t bytes) {
    const std::uint64_t feeds = blocks_.feeds() & bytes;
    count_->records += count_bits(skips_blank_lines_ ? feeds & ~begins_ : feeds);
    count_->lines += count_bits(feeds | (blocks_.feeds_within() & bytes));
  }

 private:
  CsvBlocks blocks_;
  const bool skips_blank_lines_;
  CsvCount* const count_;
  std::uint64_t begins_ = 0;  // where lines begin
  bool is_behind_feed_ = true, is_behind_carriage_ = false;
};

}  // namespace

Counted count_records(const char* first, const char* last, const char* end, bool is_whole, char separator,
                      bool skips_blank_lines, CsvCount* count) {
  *count = {};
  RecordCounter counter(separator, skips_blank_lines, count);
  const char* begin = first;  // of the record that is not counted yet
  for (const char* at = first; at < end && !count->next; at += block_bytes) {
    char filled[block_bytes];
    const std::ptrdiff_t size = std::min<std::ptrdiff_t>(end - at, block_bytes), before = last - 1 - at;
    if (size < block_bytes) std::fill(std::copy_n(at, size, filled), filled + block_bytes, '\n');
    if (!counter.next(size < block_bytes ? filled : at)) return Counted::unusual;
    std::uint64_t bytes = lowest_bits(size);
    // The last record is the one that the byte before `last` belongs to.
    const std::uint64_t enough = counter.feeds() & bytes & ~lowest_bits(std::max<std::ptrdiff_t>(before, 0));
    if (enough) bytes = enough ^ (enough - 1);
    counter.take(bytes);
    if (const std::uint64_t feeds = counter.feeds() & bytes) begin = at + (64 - __builtin_clzll(feeds));
    if (enough) count->next = begin;
  }
  if (!count->next) {
    if (!is_whole) return Counted::incomplete;
    if (counter.is_inside()) return Counted::unusual;
    count->records += begin < end;
    count->lines += begin < end && end[-1] == '\r';
    count->next = end;
  }
  for (; skips_blank_lines && count->next < end && *count->next == '\n'; ++count->next) ++count->lines;
  if (skips_blank_lines && count->next < end && *count->next == '\r') return Counted::unusual;
  return count->next == end && !is_whole ? Counted::incomplete : Counted::yes;
}

}  // namespace rowanroot
