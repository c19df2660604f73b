#include "csv_read.h"

#include <cstring>
#include <unordered_set>

#include "csv_values.h"

namespace rowanroot {

// Cuts the bytes into records. Doubled quotes are undone in place: a field never gets longer.
class CsvFile::Reader {
 public:
  Reader(std::string& bytes, char separator)
      : at_(bytes.data()), end_(bytes.data() + bytes.size()), separator_(separator) {
    if (bytes.compare(0, 3, "\xEF\xBB\xBF") == 0) at_ += 3;
  }

  bool at_end() const { return at_ == end_; }
  std::size_t line() const { return line_; }

  bool at_blank_line() const { return !at_end() && (*at_ == '\n' || *at_ == '\r'); }
  void skip_line_end() {
    if (at_end()) return;
    if (*at_ == '\r' && at_ + 1 < end_ && at_[1] == '\n') ++at_;
    ++at_;
    ++line_;
  }

  // Adds the fields of one record.
  void read_record(std::vector<Field>* fields) {
    for (;;) {
      fields->push_back(!at_end() && *at_ == '"' ? quoted_field() : plain_field());
      if (at_end()) return;
      if (*at_ != separator_) return skip_line_end();
      ++at_;
    }
  }

 private:
  bool ends_field(char c) const { return c == separator_ || c == '\n' || c == '\r'; }

  Field plain_field() {
    const char* start = at_;
    while (!at_end() && !ends_field(*at_)) ++at_;
    return {start, static_cast<std::uint32_t>(at_ - start), false};
  }

  Field quoted_field() {
    const std::size_t first_line = line_;
    char* start = ++at_;
    char* to = start;
    for (;; ++at_) {
      if (at_end()) throw CsvError("open_quote", first_line);
      if (*at_ == '"') {
        if (at_ + 1 == end_ || at_[1] != '"') break;
        ++at_;
      }
      line_ += *at_ == '\n';
      *to++ = *at_;
    }
    ++at_;
    if (!at_end() && !ends_field(*at_)) throw CsvError("text_after_quote", line_);
    return {start, static_cast<std::uint32_t>(to - start), true};
  }

  char* at_;
  char* end_;
  const char separator_;
  std::size_t line_ = 1;
};

namespace {

std::size_t line_of(const std::string& bytes, std::size_t place) {
  std::size_t line = 1;
  for (std::size_t i = 0; i < place; ++i) line += bytes[i] == '\n';
  return line;
}

void check_bytes(const std::string& bytes) {
  const std::size_t nul = bytes.find('\0');
  if (nul != std::string::npos) throw CsvError("nul_byte", line_of(bytes, nul));
  const std::size_t valid = valid_utf8_prefix(bytes);
  if (valid < bytes.size()) throw CsvError("not_utf8", line_of(bytes, valid));
}

std::vector<std::string> column_names(const std::vector<CsvFile::Field>& header) {
  std::vector<std::string> names;
  std::unordered_set<std::string> seen;
  for (const CsvFile::Field& field : header) {
    std::string name(trimmed(field.text()));
    if (name.empty()) throw CsvError("empty_name", 1, names.size() + 1);
    if (!seen.insert(name).second) throw CsvError("repeated_name", 1, names.size() + 1, 0, name);
    names.push_back(std::move(name));
  }
  return names;
}

}  // namespace

std::string_view trimmed(std::string_view text) {
  const std::size_t first = text.find_first_not_of(" \t");
  if (first == std::string_view::npos) return {};
  return text.substr(first, text.find_last_not_of(" \t") - first + 1);
}

bool read_csv_header(std::string first_bytes, bool is_whole_file, char separator, std::vector<std::string>* names) {
  CsvFile::Reader reader(first_bytes, separator);
  if (reader.at_end()) throw CsvError("no_header", 1);
  std::vector<CsvFile::Field> header;
  try {
    reader.read_record(&header);
  } catch (const CsvError&) {
    if (is_whole_file) throw;
    return false;
  }
  if (reader.at_end() && !is_whole_file) return false;
  for (const CsvFile::Field& field : header) check_bytes(std::string(field.text()));
  *names = column_names(header);
  return true;
}

CsvFile::CsvFile(std::string bytes, char separator) : bytes_(std::move(bytes)) {
  check_bytes(bytes_);
  Reader reader(bytes_, separator);
  if (reader.at_end()) throw CsvError("no_header", 1);
  std::vector<Field> header;
  reader.read_record(&header);
  names_ = column_names(header);
  const std::size_t columns = names_.size();
  while (!reader.at_end()) {
    // A blank line is no record, unless the one value that a record has is missing.
    if (columns > 1 && reader.at_blank_line()) {
      reader.skip_line_end();
      continue;
    }
    const std::size_t line = reader.line(), before = fields_.size();
    reader.read_record(&fields_);
    const std::size_t found = fields_.size() - before;
    if (found != columns) throw CsvError(found > columns ? "too_many_fields" : "too_few_fields", line, found, columns);
    lines_.push_back(line);
  }
}

unsigned CsvFile::kinds(std::size_t column) const {
  unsigned kinds = could_be_all;
  std::int32_t whole;
  double number;
  for (std::size_t row = 0; row < rows() && kinds; ++row) {
    const Field& value = field(column, row);
    if (value.is_missing()) continue;
    const std::string_view text = trimmed(value.text());
    if (text.empty() && value.quoted) continue;
    if ((kinds & could_be_logical) && !read_logical(text, &whole)) kinds &= ~could_be_logical;
    if ((kinds & could_be_integer) && !read_integer(text, &whole)) kinds &= ~could_be_integer;
    if ((kinds & could_be_real) && !read_real(text, &number)) kinds &= ~could_be_real;
    if ((kinds & could_be_date) && !read_date(text, &number)) kinds &= ~could_be_date;
  }
  return kinds;
}

}  // namespace rowanroot
