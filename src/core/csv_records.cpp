#include "fast.h"

#include "csv_records.h"

#include <limits>

namespace rowanroot {

CsvRecords::CsvRecords(char* first, char* end, bool is_last, const CsvFormat& format)
    : at_(first), end_(end), is_last_(is_last), separator_(format.separator), comment_(format.comment) {
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

CsvField CsvRecords::plain_field() {
  const char* const start = at_;
  char* at = at_;
  while (at != end_ && !ends_field_[static_cast<unsigned char>(*at)]) ++at;
  at_ = at;
  if (at - start > std::numeric_limits<std::int32_t>::max()) throw CsvError("long_field", line_);
  return {start, static_cast<std::uint32_t>(at - start), false};
}

// The bytes of a field that is only skipped stay as they are: they may be cut again.
CsvField CsvRecords::quoted_field(bool is_skipped) {
  const std::size_t first_line = line_;
  char* const start = ++at_;
  char* to = start;
  for (;; ++at_) {
    if (at_end()) {
      need_more();
      throw CsvError("open_quote", first_line);
    }
    if (*at_ == '"') {
      if (at_ + 1 == end_) need_more();
      if (at_ + 1 == end_ || at_[1] != '"') break;
      ++at_;
    }
    line_ += *at_ == '\n' || (*at_ == '\r' && (at_ + 1 == end_ || at_[1] != '\n'));
    if (!is_skipped) *to = *at_;
    ++to;
  }
  ++at_;
  if (!at_end() && !ends_field_[static_cast<unsigned char>(*at_)]) throw CsvError("text_after_quote", line_);
  if (to - start > std::numeric_limits<std::int32_t>::max()) throw CsvError("long_field", first_line);
  return {start, static_cast<std::uint32_t>(to - start), true};
}

}  // namespace rowanroot
