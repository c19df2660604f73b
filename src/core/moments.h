#pragma once
// Dates and times of day as they are written.

#include <cstdint>
#include <string>
#include <string_view>
#include <vector>

namespace rowanroot {

// Seconds since 1970-01-01 00:00: of Universal Time if the text has an offset from it, else of the
// clock that it was read from.
struct Moment {
  std::int64_t seconds = 0;
  double value = 0;  // the seconds with their fraction: the double that is nearest to what is written
  bool is_universal = false;
};

class MomentReader {
 public:
  // A format of the directives of POSIX' strptime() that are numbers: %Y %y %m %d %e %H %M %S %OS %z %F %T %R %%. An
  // empty one stands for ISO 8601: a date, or a date and a time, with a fraction of seconds and an offset if these are
  // there.
  explicit MomentReader(std::string_view format);

  // False for a format with other directives.
  bool can_read() const { return can_read_; }
  // Whether the format has a year, a month and a day.
  bool has_date() const { return has_date_; }

  // Whether the text, from end to end, is of this format, and a moment that there is.
  bool read(std::string_view text, Moment* moment) const;

 private:
  bool read_iso(std::string_view text, Moment* moment) const;

  // A directive's letter, 'f' for seconds with a fraction; or a character that stands for itself.
  struct Item {
    bool is_directive;
    char letter;
  };
  std::vector<Item> items_;
  bool can_read_ = true, has_date_ = false, is_iso_ = false;
};

// Adds the shortest ISO 8601 text, of Universal Time, that reads back as the same seconds; or of the day, with days
// since 1970-01-01. False, and nothing is added, for what lies outside of the years 0 to 9999.
bool write_moment(double seconds, std::string* to);
bool write_day(double days, std::string* to);

}  // namespace rowanroot
