#include "json_lines.h"

#include <random>
#include <string>

#include "check.h"

using namespace rowanroot;

namespace {

// What is wrong with the text, or nothing.
std::string problem(const std::string& text) {
  try {
    JsonLines lines(text);
    std::string space;
    for (std::size_t k = 0; k < lines.columns(); ++k)
      for (std::size_t row = 0; row < lines.rows(); ++row)
        if (lines.kind(k, row)) lines.text(k, row, &space);
    return "";
  } catch (const JsonError& error) {
    return error.kind;
  }
}

unsigned kind_of(const std::string& value) { return JsonLines("{\"a\":" + value + "}").kinds(0); }

}  // namespace

TEST("values have the kind that JSON gives them") {
  CHECK(kind_of("true") == json_logical);
  CHECK(kind_of("2147483647") == json_integer);
  CHECK(kind_of("2147483648") == json_long);
  CHECK(kind_of("9007199254740992") == json_long);
  CHECK(kind_of("9007199254740993") == json_longer);
  CHECK(kind_of("-9223372036854775807") == json_longer);
  // As a double it is exact.
  CHECK(kind_of("9223372036854775808") == json_real);
  CHECK(kind_of("9223372036854775809") == json_too_large);
  CHECK(kind_of("1e400") == json_too_large);
  CHECK(kind_of("1e-400") == json_real);
  CHECK(kind_of("-0") == json_real);
  CHECK(kind_of("\"x\"") == json_text);
  CHECK(kind_of("\"2026-02-28\"") == json_date);
  CHECK(kind_of("\"2026-02-30\"") == json_text);
  CHECK(kind_of("\"2026-02-28T10:00Z\"") == json_moment);
  CHECK(kind_of("\"2026-02-28 10:00\"") == json_clock);
  CHECK(kind_of("null") == 0);
  const unsigned kinds[] = {json_logical, json_integer, json_long, json_longer, json_real,
                            json_too_large, json_text, json_date, json_moment, json_clock};
  for (unsigned k = 0; k < json_kinds; ++k) CHECK(kinds[k] == 1u << k);
}

TEST("columns come in any order, and lines know where they are") {
  JsonLines lines("\xEF\xBB\xBF{\"a\":1,\"b\":\"x\"}\r\n\n{\"b\":\"\\u00e9\\n\",\"c\":null}\n");
  CHECK(lines.rows() == 2);
  CHECK(lines.columns() == 3);
  CHECK(lines.line_of_row(1) == 3);
  std::string space;
  CHECK(lines.text(1, 1, &space) == "\xC3\xA9\n");
  CHECK(lines.kind(0, 1) == 0);
  CHECK(lines.first_line(1, json_text) == 1);
}

TEST("errors can show the first value of each kind, shortened if it is long") {
  const std::string text(2000, 'x'), accents = [] {
    std::string all;
    while (all.size() < 2000) all += "\xC3\xA9";
    return all;
  }();
  JsonLines lines("{\"a\":1,\"b\":\"" + text + "\"}\n{\"a\":2.5,\"b\":\"2026-02-28\"}\n{\"a\":3,\"c\":\"x" + accents +
                  "\"}\n{\"a\":7.5}\n");
  CHECK(lines.first_value(0, json_integer) == "1" && lines.first_line(0, json_integer) == 1);
  CHECK(lines.first_value(0, json_real) == "2.5" && lines.first_line(0, json_real) == 2);
  CHECK(lines.first_value(1, json_date) == "2026-02-28" && lines.first_line(1, json_date) == 2);
  CHECK(lines.kinds(0) == (json_integer | json_real) && lines.kinds(1) == (json_text | json_date));
  const auto is_cut = [](const std::string& shown, const std::string& whole) {
    const std::string kept = shown.substr(0, shown.size() - 3);
    return shown.size() > 20 && shown.size() < whole.size() && shown.substr(shown.size() - 3) == "..." &&
           whole.compare(0, kept.size(), kept) == 0 && kept.size() % 2 == whole.size() % 2;
  };
  CHECK(is_cut(lines.first_value(1, json_text), text));
  CHECK(is_cut(lines.first_value(2, json_text), "x" + accents));
  CHECK(lines.kind(0, 0) == json_integer && lines.kind(0, 1) == json_real && lines.kind(1, 1) == json_date);
  CHECK(lines.name(2) == "c" && lines.line_of_row(3) == 4 && lines.kind(2, 0) == 0 && lines.kind(2, 3) == 0);
}

TEST("what is not JSON is told with the line") {
  const char* const wrong[] = {"[1]",
                               "{\"a\":01}",
                               "{\"a\":1.}",
                               "{\"a\":.5}",
                               "{\"a\":1e}",
                               "{\"a\":tru}",
                               "{\"a\" 1}",
                               "{a:1}",
                               "{\"a\":1",
                               "{\"a\":\"x}",
                               "{\"a\":1}x",
                               "{\"a\":[]}",
                               "{\"a\":{}}",
                               "{\"\":1}",
                               "{\"a\":1,\"a\":1}",
                               "{\"a\":\"\\u0000\"}",
                               "{\"a\":\"\\ud800\"}",
                               "{\"a\":\"\\udc00\"}",
                               "{\"a\":\"\\ud800\\u0041\"}",
                               "{\"a\":\"\\x\"}",
                               "{\"a\":\"\t\"}",
                               "{\"a\":\"\xFF\"}",
                               "{\"a\":1,}",
                               "{,}",
                               "{\"a\":-}",
                               "{\"a\":\"\\u12\"}",
                               "{\"a\":\"\\",
                               "{\"a\":\"\\u",
                               "{"};
  for (const char* text : wrong) CHECK(!problem(text).empty());
  try {
    JsonLines lines("{\"a\":1}\n\n{\"a\"}");
    CHECK(false);
  } catch (const JsonError& error) {
    CHECK(error.line == 3);
  }
}

TEST("texts are written so that they are read as they were") {
  std::string all;
  for (int c = 1; c < 128; ++c) all.push_back(static_cast<char>(c));
  all += "\xC3\xA9\xF0\x9F\x90\x9D";
  std::string written = "{\"a\":";
  write_json_text(all, &written);
  JsonLines lines(written + "}");
  std::string space;
  CHECK(lines.text(0, 0, &space) == all);
}

TEST("bytes that are changed at random are an error or a table") {
  std::mt19937 random(5);
  const std::string whole =
      "{\"a\":1.25e-3,\"b\":\"x\\u00e9\\ud83d\\udc1d\xC3\xA9\",\"c\":true}\n{\"a\":null,\"b\":\"2026-01-01\",\"c\":"
      "false}\n";
  for (int k = 0; k < 20000; ++k) {
    std::string text = whole;
    for (int n = 0; n < 3; ++n) text[random() % text.size()] = static_cast<char>(random());
    text.resize(text.size() - (k % 4 ? 0 : random() % text.size()));
    problem(text);
  }
  CHECK(problem(whole).empty());
}

TEST("characters that are written as two halves are one") {
  std::string space;
  CHECK(JsonLines("{\"a\":\"\\ud83d\\udc1d\"}").text(0, 0, &space) == "\xF0\x9F\x90\x9D");
  CHECK(JsonLines("{\"a\":\"\\ud800\\udc00\"}").text(0, 0, &space) == "\xF0\x90\x80\x80");
  CHECK(JsonLines("{\"a\":\"\\udbff\\udfff\"}").text(0, 0, &space) == "\xF4\x8F\xBF\xBF");
  for (const char* half : {"\\ud83d", "\\ud83dx", "\\ud83d\\udbff", "\\ud83d\\ue000", "\\udc1d"})
    CHECK(!problem(std::string("{\"a\":\"") + half + "\"}").empty());
}
