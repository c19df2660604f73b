#include <cmath>
#include <cstring>
#include <random>

#include "check.h"
#include "csv_read.h"
#include "csv_values.h"
#include "csv_write.h"
#include "values.h"

using namespace rowanroot;

namespace {

// All fields, row by row, with a mark for missing ones.
std::vector<std::string> fields(const std::string& bytes, char separator = ',') {
  const CsvFile file(bytes, separator);
  std::vector<std::string> result;
  for (std::size_t row = 0; row < file.rows(); ++row)
    for (std::size_t column = 0; column < file.names().size(); ++column) {
      const auto& field = file.field(column, row);
      result.push_back(field.is_missing() ? "<missing>" : std::string(field.text()));
    }
  return result;
}

using Texts = std::vector<std::string>;

bool fails(const std::string& bytes, const std::string& kind, std::size_t line) {
  return throws<CsvError>([&] { CsvFile(bytes, ','); },
                          [&](const CsvError& error) { return error.kind == kind && error.line == line; });
}

}  // namespace

TEST("fields are cut as RFC 4180 says, with any line end") {
  CHECK((fields("a,b\n1,x\n2,y\n") == Texts{"1", "x", "2", "y"}));
  CHECK((fields("a,b\r\n1,x\r\n2,y") == Texts{"1", "x", "2", "y"}));
  CHECK((fields("a,b\r1,x\r2,y\r") == Texts{"1", "x", "2", "y"}));
  CHECK((fields("\xEF\xBB\xBF" "a;b\n1;x,y\n", ';') == Texts{"1", "x,y"}));
  CHECK((fields("a,b\n\"1,5\",\"say \"\"no\"\"\"\n") == Texts{"1,5", "say \"no\""}));
  CHECK((fields("a,b\n\"two\nlines\",x\n\n3,\n") == Texts{"two\nlines", "x", "3", "<missing>"}));
  CHECK((fields("a,b\nNA,\"NA\"\n,\"\"\n") == Texts{"<missing>", "NA", "<missing>", ""}));
  CHECK((fields("a\n1\n\n3\n") == Texts{"1", "<missing>", "3"}));
  CHECK(fields("a,b\n").empty());
  CHECK(fields("a,b").empty());
}

TEST("what is wrong in a file is told with its line") {
  CHECK(fails("a,b\n1,2\n1,2,3\n", "too_many_fields", 3));
  CHECK(fails("a,b\n\"x\ny\",2\n1\n", "too_few_fields", 4));
  CHECK(fails("a,b\n1,\"open\n2,3\n", "open_quote", 2));
  CHECK(fails("a,b\n\"1\"x,2\n", "text_after_quote", 2));
  CHECK(fails(std::string("a,b\n1,\0\n", 8), "nul_byte", 2));
  CHECK(fails("a,b\n1,2\n\xE9,3\n", "not_utf8", 3));
  CHECK(fails("a,,c\n", "empty_name", 1));
  CHECK(fails("a,b,a\n", "repeated_name", 1));
  CHECK(fails("", "no_header", 1));
}

TEST("a header is read from the first bytes, as soon as there are enough") {
  std::vector<std::string> names;
  CHECK(!read_csv_header("a,b", false, ',', &names));
  CHECK(!read_csv_header("a,\"b", false, ',', &names));
  CHECK(read_csv_header("a,b\n1", false, ',', &names) && names == (Texts{"a", "b"}));
  CHECK(read_csv_header("a,b", true, ',', &names));
}

TEST("a column is of the kinds that all its known values are of") {
  const CsvFile file("l,i,r,d,t,z,m,big,quoted\nTRUE,1,1.5,2024-02-29,x,007,,9007199254740993,\"1\"\n"
                     "NA,-2, 2 ,2025-12-31,2,12,NA,1,\"\"\n", ',');
  const unsigned expected[] = {could_be_logical, could_be_integer | could_be_real, could_be_real, could_be_date, 0, 0,
                               could_be_all, 0, could_be_integer | could_be_real};
  for (std::size_t column = 0; column < 9; ++column) CHECK(file.kinds(column) == expected[column]);
}

TEST("only what is wholly a value is read as one") {
  std::int32_t whole;
  double number;
  for (const char* text : {"1x", "", "-", "+1", "01", "2147483648", "-2147483648", "1.0", "0x1", "1 2"}) CHECK(!read_integer(text, &whole));
  CHECK(read_integer("-2147483647", &whole) && whole == -2147483647);
  CHECK(read_integer("0", &whole) && whole == 0);
  for (const char* text : {"", "-", ".", "1e", "1,5", "0x1p3", "nan", "inf", "infinity", "1.5.2", "00.5", "--1", "1e999"}) CHECK(!read_real(text, &number));
  CHECK(read_real("-.5", &number) && number == -0.5);
  CHECK(read_real("-Inf", &number) && number == -HUGE_VAL);
  CHECK(read_real("9007199254740993.5", &number));
  for (const char* text : {"2023-02-29", "2025-13-01", "2025-00-10", "2025-04-31", "25-01-01", "2025/01/01", "1900-02-29"}) CHECK(!read_date(text, &number));
  CHECK(read_date("1970-01-01", &number) && number == 0);
  CHECK(read_date("2000-02-29", &number) && number == 11016);
  CHECK(read_date("1969-12-31", &number) && number == -1);
}

TEST("any double that is written reads back bit for bit") {
  std::mt19937_64 random(3);
  bool all = true;
  for (int i = 0; i < 20000; ++i) {
    const std::uint64_t bits = random();
    double value, back = 0;
    std::memcpy(&value, &bits, sizeof value);
    if (value != value || std::isinf(value)) continue;
    if (i % 3 == 1) value = std::round(std::fmod(value, 1e6) * 100) / 100;
    if (i % 3 == 2) value = std::round(std::fmod(value, 1e17));
    std::string text;
    write_field(value, &text);
    all = all && read_real(text, &back) && std::memcmp(&back, &value, sizeof value) == 0;
  }
  CHECK(all);
  std::string text;
  write_field(missing_real(), &text);
  CHECK(text.empty());
  write_field(std::nan(""), &text);
  CHECK(text == "NaN");
}

TEST("texts are quoted when they must be, and come back the same") {
  for (const std::string value : {"", "NA", "a,b", "a\"b", "two\nlines", "\r", " x", "plain", "z\xC3\xA6"}) {
    std::string line = "a,b\n";
    write_field(value, ',', &line);
    line += ",1\n";
    CHECK(fields(line).at(0) == value);
  }
}

TEST("UTF-8 is told from what is not") {
  CHECK(valid_utf8_prefix("z\xC3\xA6\xE2\x82\xAC\xF0\x9F\x90\x9D") == 10);
  for (const std::string text : {"\xC0\x80", "\xE0\x80\x80", "\xED\xA0\x80", "\xF4\x90\x80\x80", "\xF5\x80\x80\x80", "\x80", "\xC3"})
    CHECK(valid_utf8_prefix(text) == 0);
  CHECK(valid_utf8_prefix("ab\xFF") == 2);
}
