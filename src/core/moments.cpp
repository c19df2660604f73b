#include "moments.h"

#include <algorithm>
#include <charconv>
#include <cmath>

#include "calendar.h"
#include "digits.h"

namespace rowanroot {
namespace {

bool is_blank(char c) { return c == ' ' || c == '\t' || c == '\n' || c == '\r'; }

// What is left of a text to read.
class Text {
 public:
  explicit Text(std::string_view text) : text_(text) {}

  bool is_empty() const { return text_.empty(); }
  bool begins_with(char c) const { return !text_.empty() && text_.front() == c; }
  bool skip(char c) {
    if (!begins_with(c)) return false;
    text_.remove_prefix(1);
    return true;
  }
  void skip_blanks() {
    while (!text_.empty() && is_blank(text_.front())) text_.remove_prefix(1);
  }

  // A number of so many digits, within these bounds.
  bool number(int least_digits, int most_digits, int low, int high, int* value) {
    int digits = 0;
    *value = 0;
    for (; digits < most_digits && !text_.empty() && is_digit(text_.front()); ++digits) {
      *value = *value * 10 + (text_.front() - '0');
      text_.remove_prefix(1);
    }
    return digits >= least_digits && *value >= low && *value <= high;
  }

  // The digits after a point or a comma, without zeros at their end.
  std::string_view fraction() {
    std::size_t count = 0;
    while (count < text_.size() && is_digit(text_[count])) ++count;
    std::string_view digits = text_.substr(0, count);
    text_.remove_prefix(count);
    while (!digits.empty() && digits.back() == '0') digits.remove_suffix(1);
    return digits;
  }

  // Z, or hours and minutes with a sign: in seconds.
  bool offset(bool needs_minutes, std::int64_t* seconds) {
    if (skip('Z')) return *seconds = 0, true;
    const bool is_west = begins_with('-');
    if (!skip('+') && !skip('-')) return false;
    int hours = 0, minutes = 0;
    if (!number(2, 2, 0, 14, &hours)) return false;
    const bool has_colon = skip(':');
    if (has_colon || needs_minutes || !is_empty()) {
      if (!number(2, 2, 0, 59, &minutes)) return false;
    }
    *seconds = (hours * 60 + minutes) * 60 * (is_west ? -1 : 1);
    return true;
  }

 private:
  std::string_view text_;
};

struct Fields {
  int year = 0, month = 0, day = 0, hour = 0, minute = 0, second = 0;
  std::string_view fraction;
  bool has_offset = false;
  std::int64_t offset = 0;
};

// What digits after the point lack to a whole.
std::string complement(std::string_view digits) {
  std::string result(digits);
  for (char& digit : result) digit = static_cast<char>('0' + '9' - digit);
  ++result.back();
  return result;
}

// The double nearest to whole seconds and these digits after the point.
double with_fraction(std::int64_t seconds, std::string_view digits) {
  if (digits.empty()) return static_cast<double>(seconds);
  const bool is_before = seconds < 0;
  const std::string text = (is_before ? "-" + std::to_string(-(seconds + 1)) : std::to_string(seconds)) + "." +
                           (is_before ? complement(digits) : std::string(digits));
  double value = static_cast<double>(seconds);
  std::from_chars(text.data(), text.data() + text.size(), value);
  return value;
}

void add_number(int value, int digits, std::string* to) {
  char buffer[8];
  for (int k = digits; k-- > 0; value /= 10) buffer[k] = static_cast<char>('0' + value % 10);
  to->append(buffer, static_cast<std::size_t>(digits));
}

bool add_date(double days, std::string* to) {
  if (!(days >= -719528 && days < 2932897)) return false;
  char text[10];
  to->append(text, put_date(civil_of(static_cast<std::int64_t>(days)), text));
  return true;
}

// 24:00:00 is the end of a day, and a minute may have a leap second or two.
bool to_moment(const Fields& fields, Moment* moment) {
  if (fields.month < 1 || fields.day < 1 || fields.day > days_of_month(fields.year, fields.month)) return false;
  if (fields.hour == 24 && (fields.minute > 0 || fields.second > 0 || !fields.fraction.empty())) return false;
  moment->seconds = days_of_date<std::int64_t>(fields.year, fields.month, fields.day) * 86400 + fields.hour * 3600 +
                    fields.minute * 60 + fields.second - (fields.has_offset ? fields.offset : 0);
  moment->value = with_fraction(moment->seconds, fields.fraction);
  moment->is_universal = fields.has_offset;
  return true;
}

}  // namespace

MomentReader::MomentReader(std::string_view format) : is_iso_(format.empty()) {
  bool year = is_iso_, month = is_iso_, day = is_iso_;
  const auto add = [&](std::string_view letters) {
    for (char letter : letters) items_.push_back({letter >= 'A', letter});
  };
  for (std::size_t i = 0; i < format.size(); ++i) {
    if (format[i] != '%') {
      items_.push_back({false, format[i]});
      continue;
    }
    char letter = ++i < format.size() ? format[i] : '\0';
    if (letter == 'O' && i + 1 < format.size() && format[i + 1] == 'S') ++i, letter = 'f';
    switch (letter) {
      case 'F': add("Y-m-d"); year = month = day = true; break;
      case 'T': add("H:M:S"); break;
      case 'R': add("H:M"); break;
      case '%': items_.push_back({false, '%'}); break;
      case 'e': letter = 'd'; [[fallthrough]];
      case 'Y': case 'y': case 'm': case 'd': case 'H': case 'M': case 'S': case 'f': case 'z':
        items_.push_back({true, letter});
        year = year || letter == 'Y' || letter == 'y';
        month = month || letter == 'm';
        day = day || letter == 'd';
        break;
      default: can_read_ = false;
    }
  }
  has_date_ = year && month && day;
}

bool MomentReader::read(std::string_view text, Moment* moment) const {
  if (is_iso_) return read_iso(text, moment);
  Text rest(text);
  Fields fields;
  for (const Item& item : items_) {
    if (!item.is_directive) {
      // A blank of the format is any number of them.
      if (is_blank(item.letter)) rest.skip_blanks();
      else if (!rest.skip(item.letter)) return false;
      continue;
    }
    rest.skip_blanks();
    bool fits = false;
    switch (item.letter) {
      case 'Y': fits = rest.number(4, 4, 0, 9999, &fields.year); break;
      case 'y':
        fits = rest.number(1, 2, 0, 99, &fields.year);
        fields.year += fields.year < 69 ? 2000 : 1900;
        break;
      case 'm': fits = rest.number(1, 2, 1, 12, &fields.month); break;
      case 'd': fits = rest.number(1, 2, 1, 31, &fields.day); break;
      case 'H': fits = rest.number(1, 2, 0, 24, &fields.hour); break;
      case 'M': fits = rest.number(1, 2, 0, 59, &fields.minute); break;
      case 'S': fits = rest.number(1, 2, 0, 61, &fields.second); break;
      case 'f':
        fits = rest.number(1, 2, 0, 61, &fields.second);
        if (fits && (rest.skip('.') || rest.skip(','))) fields.fraction = rest.fraction();
        break;
      case 'z': fits = fields.has_offset = rest.offset(true, &fields.offset); break;
    }
    if (!fits) return false;
  }
  return rest.is_empty() && to_moment(fields, moment);
}

bool MomentReader::read_iso(std::string_view text, Moment* moment) const {
  Text rest(text);
  Fields fields;
  const bool has_date = rest.number(4, 4, 0, 9999, &fields.year) && rest.skip('-') &&
                        rest.number(2, 2, 1, 12, &fields.month) && rest.skip('-') &&
                        rest.number(2, 2, 1, 31, &fields.day);
  if (!has_date) return false;
  if (rest.is_empty()) return to_moment(fields, moment);
  if (!rest.skip('T') && !rest.skip(' ')) return false;
  if (!rest.number(2, 2, 0, 24, &fields.hour) || !rest.skip(':') || !rest.number(2, 2, 0, 59, &fields.minute))
    return false;
  if (rest.skip(':')) {
    if (!rest.number(2, 2, 0, 61, &fields.second)) return false;
    if (rest.skip('.') || rest.skip(',')) fields.fraction = rest.fraction();
  }
  if (!rest.is_empty()) {
    rest.skip_blanks();
    fields.has_offset = rest.offset(false, &fields.offset);
    if (!fields.has_offset) return false;
  }
  return rest.is_empty() && to_moment(fields, moment);
}

bool write_day(double days, std::string* to) { return add_date(std::floor(days), to); }

bool write_moment(double seconds, std::string* to) {
  const double whole = std::floor(seconds), days = std::floor(whole / 86400);
  if (!add_date(days, to)) return false;
  const int of_day = static_cast<int>(whole - days * 86400);
  to->push_back('T');
  add_number(of_day / 3600, 2, to);
  to->push_back(':');
  add_number(of_day / 60 % 60, 2, to);
  to->push_back(':');
  add_number(of_day % 60, 2, to);
  if (whole != seconds) {
    char buffer[1200];
    const std::string_view text(
        buffer, static_cast<std::size_t>(
                    std::to_chars(buffer, buffer + sizeof buffer, seconds, std::chars_format::fixed).ptr - buffer));
    const std::string_view digits = text.substr(text.find('.') + 1);
    to->push_back('.');
    to->append(seconds < 0 ? complement(digits) : std::string(digits));
  }
  to->push_back('Z');
  return true;
}

}  // namespace rowanroot
