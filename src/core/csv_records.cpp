#include "fast.h"

#include "csv_records.h"

#include <algorithm>
#include <cstring>
#include <limits>

#ifdef __SSE2__
#include <emmintrin.h>
#endif

namespace rowanroot {
namespace {

// Line ends of bytes behind which there is another one.
std::size_t count_line_ends(const char* first, const char* last) {
  std::size_t lines = 0;
  for (const char* at = first; at < last; ++at) lines += (*at == '\n') | ((*at == '\r') & (at[1] != '\n'));
  return lines;
}

}  // namespace

CsvRecords::CsvRecords(char* first, char* end, bool is_last, const CsvFormat& format)
    : at_(first),
      end_(end),
      is_last_(is_last),
      separator_(format.separator),
      comment_(format.comment),
      blocks_(format.separator) {
  for (const char c : {separator_, '\n', '\r'}) ends_field_[static_cast<unsigned char>(c)] = true;
}

void CsvRecords::skip_line_end() {
  if (*at_ == '\r') {
    if (at_ + 1 == end_) need_more();
    else if (at_[1] == '\n') ++at_;
  }
  ++at_;
  ++line_;
}

bool CsvRecords::find_record(bool skips_blank_lines) {
  while (!at_end()) {
    const bool is_blank = *at_ == '\n' || *at_ == '\r';
    if (is_blank && skips_blank_lines) skip_line_end();
    else if (comment_ && *at_ == comment_) skip_line();
    else return true;
  }
  return false;
}

bool CsvRecords::skip_line() {
  while (!at_end() && *at_ != '\n' && *at_ != '\r') ++at_;
  if (at_end()) return need_more(), false;
  skip_line_end();
  return true;
}

void CsvRecords::read(std::vector<CsvField>* fields) {
  for (;;) {
    fields->push_back(!at_end() && *at_ == '"' ? quoted_field(false) : plain_field());
    if (at_end()) return need_more();
    if (*at_ != separator_) return skip_line_end();
    ++at_;
  }
}

void CsvRecords::skip() {
  for (;;) {
    if (!at_end() && *at_ == '"') quoted_field(true);
    else plain_field();
    if (at_end()) return need_more();
    if (*at_ != separator_) return skip_line_end();
    ++at_;
  }
}

// The next sign that ends a field, or the end of the bytes. A block stays right when doubled quotes are replaced:
// that changes nothing behind `at`.
char* CsvRecords::find_end(char* at) {
  for (;;) {
    if (block_ && at >= block_ && at - block_ < block_bytes) {
      const std::uint64_t found = ends_ >> (at - block_);
      if (found) return at + __builtin_ctzll(found);
      at = block_ + block_bytes;
    }
    if (end_ - at < block_bytes) break;
    block_ = at;
    ends_ = signs_of_block(at, separator_).ends;
  }
  while (at != end_ && !ends_field_[static_cast<unsigned char>(*at)]) ++at;
  return at;
}

CsvField CsvRecords::plain_field() {
  const char* const start = at_;
  char* const at = find_end(at_);
  at_ = at;
  if (at - start > std::numeric_limits<std::int32_t>::max()) throw CsvError("long_field", line_);
  return {start, static_cast<std::uint32_t>(at - start), false};
}

// What was met on the way to the end of a field.
struct CsvRecords::Usual {
  bool is_doubled = false;
  std::size_t lines = 0;
};

// The next sign that ends a field outside of quotes, or null if the bytes there are not as usual.
char* CsvRecords::usual_end(char* at, Usual* usual) {
  if (!usual_block_) {
    if (end_ - at < block_bytes || !blocks_.next(at)) return nullptr;
    usual_block_ = at;
  }
  for (;;) {
    const std::ptrdiff_t passed = at - usual_block_;
    if (passed < block_bytes) {
      const std::uint64_t ends = blocks_.ends() >> passed;
      const int before = ends ? __builtin_ctzll(ends) : block_bytes;
      if (const std::uint64_t within = (blocks_.doubled() | blocks_.feeds_within()) >> passed) {
        const std::uint64_t looked_at = lowest_bits(before);
        if (within & looked_at) {
          usual->is_doubled = usual->is_doubled || (blocks_.doubled() >> passed & looked_at);
          usual->lines += count_bits(blocks_.feeds_within() >> passed & looked_at);
        }
      }
      if (ends) return at + before;
      at = usual_block_ + block_bytes;
    }
    usual_block_ += block_bytes;
    if (end_ - usual_block_ < block_bytes || !blocks_.next(usual_block_)) return nullptr;
  }
}

std::size_t CsvRecords::read_usual(std::size_t fields_of_each, std::size_t most_records, CsvField* fields,
                                   std::size_t* lines) {
  if (at_ != usual_next_) blocks_.begin(), usual_block_ = nullptr;
  usual_next_ = nullptr;
  for (std::size_t record = 0; record < most_records; ++record, fields += fields_of_each) {
    lines[record] = line_;
    if (!read_usual_record(fields_of_each, fields)) return record;
  }
  usual_next_ = at_;
  return most_records;
}

bool CsvRecords::read_usual_record(std::size_t count, CsvField* fields) {
  char* at = at_;
  if (at == end_ || *at == '\n' || *at == '\r' || (comment_ && *at == comment_)) return false;
  std::size_t lines_within = 0;
  doubled_.clear();
  for (std::size_t k = 0; k < count; ++k, ++at) {
    const char* const start = at;
    Usual usual;
    at = usual_end(at, &usual);
    if (!at || at - start > std::numeric_limits<std::int32_t>::max()) return false;
    fields[k] = {start, static_cast<std::uint32_t>(at - start), false};
    if (*start == '"') fields[k] = {start + 1, static_cast<std::uint32_t>(at - start) - 2, true};
    if (usual.is_doubled) doubled_.push_back(k);
    lines_within += usual.lines;
    const bool is_last = k + 1 == count;
    if (is_last && *at == '\r' && at + 1 != end_ && at[1] == '\n') ++at;
    else if (*at != (is_last ? '\n' : separator_)) return false;
  }
  for (const std::size_t k : doubled_) undouble(&fields[k]);
  at_ = at;
  line_ += 1 + lines_within;
  return true;
}

// Leaves out every second one of the quotes within a field of the record that begins here.
void CsvRecords::undouble(CsvField* field) {
  const char* at = field->start;
  const char* const end = at + field->size;
  // More bytes than are kept may be written at once.
  if (undoubled_.size() < field->size + 16) undoubled_.resize(2 * (field->size + 16));
  char* to = undoubled_.data();
#ifdef __SSE2__
  const __m128i quote = _mm_set1_epi8('"');
  while (end_ - at >= 16 && at < end) {
    const __m128i bytes = _mm_loadu_si128(reinterpret_cast<const __m128i*>(at));
    _mm_storeu_si128(reinterpret_cast<__m128i*>(to), bytes);
    const unsigned quotes = static_cast<unsigned>(_mm_movemask_epi8(_mm_cmpeq_epi8(bytes, quote)));
    const std::ptrdiff_t before = quotes ? __builtin_ctz(quotes) + 1 : 16, taken = std::min(before, end - at);
    to += taken;
    at += taken + (quotes != 0 && taken == before);
  }
#endif
  while (at < end) {
    const bool is_quote = *at == '"';
    *to++ = *at;
    at += 1 + is_quote;
  }
  field->size = static_cast<std::uint32_t>(to - undoubled_.data());
  std::memcpy(at_ + (field->start - at_), undoubled_.data(), field->size);
}

// The bytes of a field that is only skipped stay as they are: they may be cut again.
CsvField CsvRecords::quoted_field(bool is_skipped) {
  const std::size_t first_line = line_;
  char* const start = ++at_;
  char* to = start;
  for (;;) {
    const std::size_t left = static_cast<std::size_t>(end_ - at_);
    char* const quote = static_cast<char*>(std::memchr(at_, '"', left));
    if (!quote) {
      at_ = end_;
      need_more();
      throw CsvError("open_quote", first_line);
    }
    line_ += count_line_ends(at_, quote);
    if (quote + 1 == end_) need_more();
    const bool is_doubled = quote + 1 != end_ && quote[1] == '"';
    const std::size_t kept = static_cast<std::size_t>(quote - at_) + is_doubled;
    if (!is_skipped && to != at_) std::memmove(to, at_, kept);
    to += kept;
    at_ = quote + 1 + is_doubled;
    if (!is_doubled) break;
  }
  if (!at_end() && !ends_field_[static_cast<unsigned char>(*at_)]) throw CsvError("text_after_quote", line_);
  if (to - start > std::numeric_limits<std::int32_t>::max()) throw CsvError("long_field", first_line);
  return {start, static_cast<std::uint32_t>(to - start), true};
}

}  // namespace rowanroot
