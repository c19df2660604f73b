#include "fast.h"

#include "csv_blocks.h"

#ifdef __SSE2__
#include <emmintrin.h>
#endif

namespace rowanroot {
namespace {

#ifdef __SSE2__
std::uint64_t joined(const __m128i* same) {
  std::uint64_t found = 0;
  for (int k = 0; k < 4; ++k)
    found |= static_cast<std::uint64_t>(static_cast<std::uint32_t>(_mm_movemask_epi8(same[k]))) << (16 * k);
  return found;
}
#endif

// Each bit is whether an odd number of bits is set up to it.
std::uint64_t odd_up_to(std::uint64_t bits) {
  for (int by = 1; by < 64; by *= 2) bits ^= bits << by;
  return bits;
}

}  // namespace

CsvSigns signs_of_block(const char* block, char separator) {
  CsvSigns signs;
#ifdef __SSE2__
  const __m128i between = _mm_set1_epi8(separator), feed = _mm_set1_epi8('\n'), carriage = _mm_set1_epi8('\r'),
                quote = _mm_set1_epi8('"'), nought = _mm_setzero_si128();
  __m128i ends[4], feeds[4], quotes[4], others = nought;
  for (int k = 0; k < 4; ++k) {
    const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(block) + k);
    const __m128i carriages = _mm_cmpeq_epi8(bytes, carriage);
    feeds[k] = _mm_cmpeq_epi8(bytes, feed);
    quotes[k] = _mm_cmpeq_epi8(bytes, quote);
    ends[k] = _mm_or_si128(_mm_or_si128(_mm_cmpeq_epi8(bytes, between), feeds[k]), carriages);
    // A byte that is not ASCII has its highest bit set.
    others = _mm_or_si128(others, _mm_or_si128(_mm_or_si128(bytes, carriages), _mm_cmpeq_epi8(bytes, nought)));
  }
  signs.ends = joined(ends);
  signs.feeds = joined(feeds);
  signs.quotes = joined(quotes);
  signs.has_others = _mm_movemask_epi8(others) != 0;
#else
  for (int k = 0; k < block_bytes; ++k) {
    const char sign = block[k];
    const std::uint64_t bit = std::uint64_t(1) << k;
    if (sign == separator || sign == '\n' || sign == '\r') signs.ends |= bit;
    if (sign == '\n') signs.feeds |= bit;
    if (sign == '"') signs.quotes |= bit;
    signs.has_others = signs.has_others || sign == '\r' || sign == '\0' || (sign & 0x80);
  }
#endif
  return signs;
}

std::uint64_t signs_in_block(const char* block, char sign) {
#ifdef __SSE2__
  __m128i same[4];
  for (int k = 0; k < 4; ++k)
    same[k] = _mm_cmpeq_epi8(_mm_loadu_si128(reinterpret_cast<const __m128i*>(block) + k), _mm_set1_epi8(sign));
  return joined(same);
#else
  std::uint64_t found = 0;
  for (int k = 0; k < block_bytes; ++k) found |= std::uint64_t(block[k] == sign) << k;
  return found;
#endif
}

bool CsvBlocks::next(const char* block) {
  const CsvSigns signs = signs_of_block(block, separator_);
  has_others_ = signs.has_others;
  if (!signs.quotes && !is_inside_ && !is_closed_) {
    ends_ = signs.ends;
    feeds_ = signs.feeds;
    doubled_ = feeds_within_ = 0;
    is_behind_end_ = ends_ >> 63;
    return true;
  }
  // Quotes open and close in turn: of two that stand side by side the second opens again.
  const std::uint64_t inside = odd_up_to(signs.quotes) ^ (is_inside_ ? ~std::uint64_t(0) : 0);
  const std::uint64_t opening = signs.quotes & inside, closing = signs.quotes & ~inside;
  ends_ = signs.ends & ~inside;
  feeds_ = signs.feeds & ~inside;
  feeds_within_ = signs.feeds & inside;
  const std::uint64_t behind_end = ends_ << 1 | is_behind_end_, behind_closing = closing << 1 | is_closed_;
  doubled_ = opening & behind_closing;
  if (opening & ~(behind_end | behind_closing)) return false;
  if (behind_closing & ~(signs.quotes | signs.ends)) return false;
  if (signs.has_others && (inside & signs_in_block(block, '\r'))) return false;
  is_inside_ = inside >> 63;
  is_closed_ = closing >> 63;
  is_behind_end_ = ends_ >> 63;
  return true;
}

}  // namespace rowanroot
