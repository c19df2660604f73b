#include <algorithm>
#include <charconv>
#include <random>
#include <string>
#include <vector>

#include "check.h"
#include "csv_count.h"
#include "csv_numbers.h"
#include "csv_records.h"
#include "csv_values.h"

using namespace rowanroot;

namespace {

// Records of some fields each. What is `usual` is what programs write; the rest is what people do.
std::string made_up(std::mt19937* random, bool usual, std::size_t columns) {
  const auto below = [&](unsigned end) { return (*random)() % end; };
  const std::string line_end = below(2) ? "\n" : "\r\n";
  std::string bytes;
  for (unsigned rows = below(60); rows > 0; --rows) {
    for (std::size_t k = 0; k < columns; ++k) {
      if (k) bytes += ',';
      const bool is_quoted = below(4) == 0;
      std::string text;
      for (unsigned size = below(is_quoted ? 70 : 12); size > 0; --size) {
        const char* const signs = is_quoted ? "abc,\n \"" : "abc 12";
        const char sign = signs[below(is_quoted ? 7 : 6)];
        text += sign;
        if (sign == '"') text += sign;
      }
      if (!usual && below(40) == 0) text += "\"\r\n,\xC3\xA9"[below(6)];
      bytes += is_quoted ? '"' + text + '"' : text;
    }
    if (below(20) != 0 || !usual) bytes += usual || below(9) ? line_end : "\r";
    else if (rows > 1) bytes += line_end;
    if (below(15) == 0) bytes += '\n';
  }
  return bytes;
}

struct Cut {
  std::vector<std::string> fields;
  std::vector<bool> quoted;
  std::vector<std::size_t> lines;
};

void add(const CsvField& field, Cut* cut) {
  cut->fields.emplace_back(field.text());
  cut->quoted.push_back(field.quoted);
}

// As usual where that goes, or else sign after sign. Gives how many records were usual.
std::size_t cut(std::string bytes, std::size_t columns, bool as_usual, Cut* found) {
  CsvRecords records(&bytes[0], &bytes[0] + bytes.size(), true, CsvFormat{});
  std::size_t usual = 0;
  while (records.find_record(true)) {
    std::vector<CsvField> fields(7 * columns);
    std::vector<std::size_t> lines(7);
    const std::size_t count = as_usual ? records.read_usual(columns, 7, fields.data(), lines.data()) : 0;
    usual += count;
    fields.resize(count * columns), lines.resize(count);
    if (!count) {
      lines.push_back(records.line());
      records.read(&fields);
    }
    for (const CsvField& field : fields) add(field, found);
    found->lines.insert(found->lines.end(), lines.begin(), lines.end());
  }
  return usual;
}

}  // namespace

TEST("records that are cut 64 bytes at a time are those that are cut sign after sign") {
  std::mt19937 random(21);
  std::size_t usual = 0, all = 0;
  for (int round = 0; round < 3000; ++round) {
    const std::size_t columns = 2 + random() % 4;
    const std::string bytes = made_up(&random, round % 2 == 0, columns);
    Cut blocks, signs;
    bool fails = false, fails_too = false;
    try {
      cut(bytes, columns, false, &signs);
    } catch (const CsvError&) {
      fails = true;
    }
    try {
      usual += cut(bytes, columns, true, &blocks);
    } catch (const CsvError&) {
      fails_too = true;
    }
    all += signs.lines.size();
    CHECK(fails == fails_too && blocks.fields == signs.fields && blocks.quoted == signs.quoted);
    CHECK(blocks.lines == signs.lines);
  }
  // Else nothing was compared.
  CHECK(usual * 2 > all);
}

TEST("records that are counted 64 bytes at a time are those that are cut") {
  std::mt19937 random(22);
  std::size_t usual = 0;
  for (int round = 0; round < 3000; ++round) {
    std::string bytes = made_up(&random, round % 2 == 0, 2 + random() % 4);
    const bool skips_blank_lines = random() % 2;
    const std::size_t end = bytes.empty() ? 0 : random() % bytes.size() + 1;
    CsvRecords records(&bytes[0], &bytes[0] + bytes.size(), true, CsvFormat{});
    std::size_t count = 0;
    bool fails = false;
    try {
      while (records.find_record(skips_blank_lines) && records.at() < &bytes[end]) records.skip(), ++count;
    } catch (const CsvError&) {
      fails = true;
    }
    const char *const first = bytes.data(), *const last = first + end;
    CsvCount found;
    const Counted counted = count_records(first, last, first + bytes.size(), true, ',', skips_blank_lines, &found);
    CHECK(counted != Counted::incomplete);
    if (counted != Counted::yes) continue;
    ++usual;
    CHECK(!fails && found.records == count && found.next == records.at() && found.lines == records.line());
    // The same from bytes that end behind what was counted, or else more of them are needed.
    const std::size_t needed = static_cast<std::size_t>(found.next - first);
    for (const std::size_t size : {needed, std::min(needed + 1 + random() % 80, bytes.size())}) {
      CsvCount again;
      const Counted part = count_records(first, last, first + size, false, ',', skips_blank_lines, &again);
      CHECK(part == Counted::incomplete || size == bytes.size() ||
            (part == Counted::yes && again.records == count && again.next == found.next));
    }
  }
  CHECK(usual > 1500);
}

TEST("numbers of few digits are those that the library reads") {
  std::mt19937 random(23);
  for (int round = 0; round < 100000; ++round) {
    std::string text(1 + random() % 19, '0');
    for (char& sign : text) sign = "0123456789"[random() % 10];
    if (random() % 4) text[random() % text.size()] = '.';
    if (random() % 20 == 0) text[random() % text.size()] = " -x,e."[random() % 6];
    double found = -1, expected = -2;
    if (!read_short_real(text, '.', &found)) continue;
    const auto [end, problem] = std::from_chars(text.data(), text.data() + text.size(), expected);
    CHECK(problem == std::errc() && end == text.data() + text.size() && found == expected);
  }
  std::int32_t whole;
  for (const std::string text : {"0", "7", "12345678", "123456789", "2147483647", "-12345678"})
    CHECK(read_integer(text, &whole) && std::to_string(whole) == text);
  for (const std::string text :
       {"1234567a", "1234567:", "1234567/", "12 45", ".5", "1.5", "01", "-", "--1", "2147483648"})
    CHECK(!read_integer(text, &whole));
}
