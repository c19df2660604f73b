#include <cmath>
#include <random>
#include <string>

#include "check.h"
#include "moments.h"
#include "texts.h"
#include "utf8.h"

using namespace rowanroot;

namespace {

std::string in_case(std::string_view text, bool upper) {
  std::string result = "before ";
  append_in_case(text, upper, &result);
  return result.substr(7);
}

std::string replaced(std::string_view text, std::string_view from, std::string_view to, bool all) {
  std::string result;
  append_replaced(text, from, to, all, &result);
  return result;
}

}  // namespace

TEST("bytes are characters only as Unicode has them") {
  for (const char* good : {"", "plain ascii, longer than eight", "caf\xC3\xA9", "\xE5\xAD\x97", "\xF0\x9F\x90\x9D",
                           "12345678\xC3\xA9", "\xED\x9F\xBF", "\xF4\x8F\xBF\xBF"}) {
    CHECK(is_utf8(good));
    CHECK(is_ascii(good) == (std::string(good).find_first_of("\xC3\xE5\xF0\xED\xF4") == std::string::npos));
  }
  for (const char* bad : {"\x80", "\xC3", "\xC3(", "\xC0\xAF", "\xE0\x80\x80", "\xED\xA0\x80", "\xF4\x90\x80\x80",
                          "\xF8\x88\x80\x80\x80", "12345678\xFF", "\xE5\xAD", "\xF0\x9F\x90"})
    CHECK(!is_utf8(bad));
}

TEST("every character of Unicode is one, and half of a pair is none") {
  bool all = true;
  for (std::uint32_t code = 1; code < 0x110000; code += code < 0x3000 ? 1 : 37) {
    std::string text;
    append_utf8(code, &text);
    all = all && is_utf8(text) == (code < 0xD800 || code > 0xDFFF) && is_ascii(text) == (code < 0x80);
  }
  CHECK(all);
  for (std::size_t at = 0; at < 40; ++at) {
    std::string text(40, 'a');
    text[at] = '\xC3';
    CHECK(!is_ascii(text) && !is_ascii(std::string_view(text).substr(0, at + 1)));
    CHECK(at == 0 || is_ascii(std::string_view(text).substr(0, at)));
  }
}

TEST("characters that have no other case come back as they were") {
  bool all = true;
  for (std::uint32_t code = 0x80; code < 0x110000; code += code < 0x3000 ? 1 : 61) {
    if (code >= 0xD800 && code <= 0xDFFF) continue;
    std::string text = "x";
    append_utf8(code, &text);
    // In the C locale only ASCII has cases.
    all = all && in_case(text, true) == "X" + text.substr(1) && in_case(text, false) == text;
  }
  CHECK(all);
}

TEST("texts of any length are cut at separators of any length") {
  std::mt19937 random(4);
  for (int k = 0; k < 2000; ++k) {
    const std::string at(random() % 2 + 1, '-');
    std::vector<std::string> parts(random() % 5 + 1), found;
    std::string text;
    for (std::size_t i = 0; i < parts.size(); ++i) {
      parts[i] = std::string(random() % (k % 2 ? 3 : 60), static_cast<char>('a' + random() % 20));
      text += (i ? at : "") + parts[i];
    }
    const auto add = [&](std::size_t, std::string_view part) { found.emplace_back(part); };
    CHECK(each_part(text, at, 99, add) == parts.size() && found == parts);
    std::string joined = parts[0];
    for (std::size_t i = 1; i < parts.size(); ++i) joined += (i == 1 ? "|" : at) + parts[i];
    found.clear();
    each_part(text, at, 2, add);
    CHECK(found.size() == std::min<std::size_t>(parts.size(), 2));
    CHECK(found[0] + (found.size() > 1 ? "|" + found[1] : "") == joined);
    CHECK(find_part(text, "-") == text.find('-') && find_part("-" + text, "-") == 0);
  }
}

TEST("characters are counted and cut whole") {
  const std::string_view text = "a\xC3\xA9\xF0\x9F\x90\x9D" "b";
  CHECK(count_characters(text) == 4);
  CHECK(characters(text, 2, 3) == "\xC3\xA9\xF0\x9F\x90\x9D");
  CHECK(characters(text, -5, 1) == "a");
  CHECK(characters(text, 4, 99) == "b");
  CHECK(characters(text, 5, 9).empty() && characters(text, 3, 2).empty());
  CHECK(characters("ascii", 2, 3) == "sc" && characters("ascii", 6, 7).empty() &&
        characters("ascii", 1, 1000000000000000) == "ascii");
  CHECK(trimmed(" \t a b\r\n", true, true) == "a b" && trimmed("  ", true, true).empty() &&
        trimmed(" a ", false, true) == " a");
}

TEST("parts are found and replaced") {
  std::string_view between;
  CHECK(find_between("hive (strong) (weak)", "(", ")", &between) && between == "strong");
  CHECK(find_between("a-b", "", "-", &between) && between == "a");
  CHECK(find_between("a-b", "-", "", &between) && between == "b");
  CHECK(!find_between("a)b(", "(", ")", &between) && !find_between("ab", "-", "", &between));
  CHECK(replaced("aaa", "a", "bb", false) == "bbaa" && replaced("aaa", "aa", "b", true) == "ba" &&
        replaced("xyz", "q", "", true) == "xyz");
  CHECK(replaced("a-b--c", "-", "+", true) == "a+b++c" && replaced("a-b-c", "-", "", true) == "abc" &&
        replaced("-a-", "-", "--", true) == "--a--" && replaced("x, y, z", ", ", ";", false) == "x;y, z");
  CHECK(in_case("Ab1-\xC3\xA9", true).substr(0, 4) == "AB1-" && in_case("ABC", false) == "abc");
}

TEST("moments are read as they are written, or not at all") {
  const auto read = [](const char* format, const char* text) {
    Moment moment;
    return MomentReader(format).read(text, &moment) ? moment.seconds : std::int64_t(-1);
  };
  CHECK(read("", "1970-01-02") == 86400);
  CHECK(read("", "2024-02-29T23:59:60Z") == 1709251200);
  CHECK(read("", "2025-03-01T12:30:15.5-01:30") == 1740837615);
  CHECK(read("", "2025-03-01T12:30:15+02") == 1740825015 && read("", "2025-03-01T12:30:15+02:45") == 1740822315);
  CHECK(read("%d.%m.%y %H:%M", "1.2.69 3:04") < 0 && read("%d.%m.%y %H:%M", "1.2.70 3:04") == 2689440);
  CHECK(read("%Y-%m-%d %H:%M:%S", "1970-01-02 00:00:00") == 86400 && read("%d.%m.%Y", "00.01.1970") == -1);
  CHECK(read("%Y-%m-%d", "1900-02-29") == -1 && read("%Y-%m-%d", "2000-02-29") == 951782400);
  for (const char* bad : {"", "2025", "2025-1-1", "2025-02-30", "2025-01-01T", "2025-01-01T10", "2025-01-01T10:00Zx",
                          "2025-01-01T24:00:01", "2025-01-01T10:00+1"})
    CHECK(read("", bad) == -1);
  CHECK(!MomentReader("%d %b").can_read() && !MomentReader("%").can_read() && !MomentReader("%H:%M").has_date() &&
        MomentReader("%F").has_date());
}

TEST("moments and days are written as the shortest text that reads back as the same") {
  const MomentReader iso("");
  std::mt19937_64 random(8);
  for (int k = 0; k < 20000; ++k) {
    const double scale = std::ldexp(1.0, -static_cast<int>(random() % 40));
    const double seconds =
        std::floor(std::uniform_real_distribution<>(-6.2e10, 2.5e11)(random) * (k % 3 ? 1 : 1e-9) / scale) * scale;
    std::string text;
    Moment moment;
    CHECK(write_moment(seconds, &text) && iso.read(text, &moment) && moment.value == seconds && moment.is_universal);
  }
  const auto written = [](double seconds) {
    std::string text;
    return write_moment(seconds, &text) ? text : std::string();
  };
  CHECK(written(0.1) == "1970-01-01T00:00:00.1Z" && written(-0.25) == "1969-12-31T23:59:59.75Z" &&
        written(1.7e9) == "2023-11-14T22:13:20Z");
  CHECK(written(-62167219200.0) == "0000-01-01T00:00:00Z" && written(-62167219201.0).empty() &&
        written(253402300799.5) == "9999-12-31T23:59:59.5Z");
  CHECK(written(253402300800.0).empty() && written(HUGE_VAL).empty());
  std::string day;
  CHECK(write_day(-719162, &day) && day == "0001-01-01" && !write_day(2932897, &day));
}
