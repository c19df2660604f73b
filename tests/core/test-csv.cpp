#include <algorithm>
#include <charconv>
#include <cmath>
#include <cstdlib>
#include <cstring>
#include <random>

#include "check.h"
#include "csv_numbers.h"
#include "csv_read.h"
#include "csv_splice.h"
#include "csv_values.h"
#include "csv_write.h"
#include "shortest.h"
#include "values.h"

using namespace rowanroot;

namespace {

// All fields, row by row, with a mark for missing ones, read in pieces of a few bytes.
std::vector<std::string> fields(const std::string& bytes, const CsvFormat& format = {}, std::size_t piece_bytes = 5,
                                int threads = 2) {
  const auto file = std::make_shared<CsvFile>(input_of(bytes), format, threads, piece_bytes);
  const std::size_t count = file->names().size(), rows = file->rows();
  std::vector<std::string> result(rows * count);
  for (std::size_t column = 0; column < count; ++column) {
    std::vector<std::int32_t> starts(rows), sizes(rows), codes(rows);
    const CsvContent content = read_csv(
        {file}, {{CsvType::text, {column}, starts.data(), sizes.data()}, {CsvType::coded_text, {column}, codes.data()}},
        threads);
    std::size_t row = 0;
    for (const CsvPage& page : content.pages[0])
      for (std::size_t i = 0; i < page.rows; ++i, ++row) {
        std::string& field = result[row * count + column];
        field = sizes[row] == missing_integer
                    ? "<missing>"
                    : std::string(page.data() + starts[row], static_cast<std::size_t>(sizes[row]));
        const std::int32_t code = codes[row];
        if (field !=
            (code == missing_integer ? "<missing>" : content.columns[1].texts[static_cast<std::size_t>(code) - 1]))
          field = "<another code>";
      }
    CHECK(row == rows);
  }
  return result;
}

using Texts = std::vector<std::string>;

CsvFormat separated_by(char separator) {
  CsvFormat format;
  format.separator = separator;
  return format;
}

bool fails(const std::string& bytes, const std::string& kind, std::size_t line, const CsvFormat& format = {}) {
  bool all = true;
  for (const std::size_t piece_bytes : {3, 100})
    all = all && throws<CsvError>([&] { fields(bytes, format, piece_bytes); }, [&](const CsvError& error) {
      return error.kind == kind && error.line + 1 == line;
    });
  return all;
}

}  // namespace

TEST("fields are cut as RFC 4180 says, with any line end") {
  CHECK((fields("a,b\n1,x\n2,y\n") == Texts{"1", "x", "2", "y"}));
  CHECK((fields("a,b\r\n1,x\r\n2,y") == Texts{"1", "x", "2", "y"}));
  CHECK((fields("a,b\r1,x\r2,y\r") == Texts{"1", "x", "2", "y"}));
  CHECK((fields("\xEF\xBB\xBF" "a;b\n1;x,y\n", separated_by(';')) == Texts{"1", "x,y"}));
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

TEST("pieces of any size have the same records, whatever the bytes are") {
  std::mt19937 random(11);
  const std::string signs[] = {"a",        "\"", "\"\"",   ",",          "\n",
                               "\r\n",     "\r", "7",      "# ",         "\"x,\ny\"",
                               "\xC3\xA6", "NA", "-1.5e3", "2026-01-31", std::string(1, '\0'),
                               "\xE2"};
  const char* const asked = std::getenv("ROWANROOT_FUZZ");
  const int rounds = asked ? std::atoi(asked) : 3000;
  bool all = true;
  for (int round = 0; round < rounds; ++round) {
    std::string bytes = round % 5 ? "a,b\n" : "";
    // Now and then a byte that is no text.
    const std::size_t usual = std::size(signs) - (round % 7 ? 2 : 0);
    for (unsigned k = random() % 30; k > 0; --k) bytes += signs[random() % usual];
    CsvFormat format;
    format.allows_short = format.allows_long = round % 4;
    format.comment = round % 3 ? '\0' : '#';
    const auto outcome = [&](std::size_t piece_bytes) {
      try {
        return fields(bytes, format, piece_bytes, round % 50 ? 1 : 2);
      } catch (const CsvError& error) {
        return Texts{error.kind, std::to_string(error.line)};
      }
    };
    const Texts whole = outcome(1000);
    const std::size_t few = 1 + round % 2, more = 3 + random() % 20;
    for (const std::size_t piece_bytes : {few, more}) {
      if (outcome(piece_bytes) == whole) continue;
      if (all)
        std::cerr << "differs with pieces of " << piece_bytes << " bytes, comments " << (round % 3 == 0) << ":\n"
                  << bytes << "\n";
      all = false;
    }
  }
  CHECK(all);
}

TEST("texts have one number each, whichever thread saw them first") {
  std::mt19937 random(34);
  std::string bytes = "hive,kg\n";
  std::vector<std::string> expected;
  for (int i = 0; i < 60000; ++i) {
    // The texts change from part to part of the file.
    expected.push_back("NB-" + std::to_string(i / 600 + static_cast<int>(random() % 40)));
    bytes += expected.back() + "," + std::to_string(i) + "\n";
  }
  for (int threads : {2, 4}) {
    const auto file = std::make_shared<CsvFile>(input_of(bytes), CsvFormat(), threads, 2000);
    std::vector<std::int32_t> codes(file->rows());
    const CsvContent content = read_csv({file}, {{CsvType::coded_text, {0}, codes.data()}}, threads);
    bool right = codes.size() == expected.size();
    for (std::size_t i = 0; right && i < codes.size(); ++i) {
      const std::size_t code = static_cast<std::size_t>(codes[i]);
      right = code >= 1 && code <= content.columns[0].texts.size() &&
              content.columns[0].texts[code - 1] == expected[i];
    }
    CHECK(right);
    std::vector<std::string> texts = content.columns[0].texts;
    std::sort(texts.begin(), texts.end());
    CHECK(std::adjacent_find(texts.begin(), texts.end()) == texts.end());
  }
}

TEST("a header has names, unless there are others") {
  CHECK((csv_names(*input_of("# c\na,\"b\"\n1"), [] { CsvFormat f; f.comment = '#'; return f; }()) == Texts{"a", "b"}));
  CHECK((csv_names(*input_of("\xEF\xBB\xBF" "a, b "), {}) == Texts{"a", "b"}));
  CsvFormat format;
  format.names = {"x", "y"};
  CHECK((csv_names(*input_of("a,a\n1,2"), format) == format.names));
  CHECK((fields("a,a\n1,2", format) == Texts{"1", "2"}));
  format.has_header = false;
  CHECK((fields("a,a\n1,2", format) == Texts{"a", "a", "1", "2"}));
  CHECK(fails("a,b,c\n1,2,3", "other_names", 1, format));
}

TEST("records of other lengths and marks of missing values are as the format says") {
  CsvFormat format;
  format.allows_short = format.allows_long = true;
  format.missing = {"-", ""};
  CHECK((fields("a,b\n1\n1,-,3\nNA,\"-\"\n", format) == Texts{"1", "<missing>", "1", "<missing>", "NA", "-"}));
}

TEST("a column is of the kinds that all its known values are of") {
  const auto file = std::make_shared<CsvFile>(
      input_of("l,i,r,d,t,z,m,big,quoted,moment,clock\nTRUE,1,1.5,2024-02-29,x,007,,9007199254740993,\"1\",2024-02-"
               "29T12:00:00Z,2024-02-29 12:00\n"
               "NA,-2, 2 ,2025-12-31,2,12,NA,1,\"\",2024-02-29T12:00:00+02:00,2024-02-29T12:00:01.5\n"),
      CsvFormat{}, 1);
  const unsigned expected[] = {could_be_logical, could_be_integer | could_be_real, could_be_real, could_be_date, 0, 0,
                               could_be_all, 0, could_be_integer | could_be_real, could_be_moment, could_be_clock};
  std::vector<CsvColumn> columns;
  for (std::size_t column = 0; column < std::size(expected); ++column) columns.push_back({CsvType::logical, {column}});
  const auto guesses = guess_csv({file}, columns);
  std::vector<double> values(file->rows());
  for (std::size_t column = 0; column < std::size(expected); ++column) {
    CHECK(guesses[column].kinds == expected[column]);
    const auto content = read_csv({file}, {{CsvType::logical, {column}, values.data()}}, 1);
    CHECK(content.columns[0].kinds == expected[column]);
  }
}

TEST("only what is wholly a value is read as one") {
  std::int32_t whole;
  double number;
  for (const char* text :
       {"1x", "", "-", "+", "+-1", "-+1", "++1", "+01", "-0", "01", "2147483648", "-2147483648", "1.0", "0x1", "1 2"})
    CHECK(!read_integer(text, &whole));
  CHECK(read_integer("-2147483647", &whole) && whole == -2147483647);
  CHECK(read_integer("0", &whole) && whole == 0);
  CHECK(read_integer("+5", &whole) && whole == 5 && read_real("+2.5e3", &number) && number == 2500 &&
        read_real("+.5", &number) && number == 0.5);
  CHECK(read_real("-0", &number) && number == 0 && std::signbit(number));
  for (const char* text : {"", "-", ".", "1e", "1,5", "0x1p3", "nan", "inf", "infinity", "1.5.2", "00.5", "--1", "+-1",
                           "+", "+.", "1e999"})
    CHECK(!read_real(text, &number));
  CHECK(read_real("-.5", &number) && number == -0.5);
  CHECK(read_real("-Inf", &number) && number == -HUGE_VAL);
  CHECK(read_real("9007199254740993.5", &number));
  for (const char* text :
       {"2023-02-29", "2025-13-01", "2025-00-10", "2025-04-31", "25-01-01", "2025/01/01", "1900-02-29"})
    CHECK(!read_date(text, &number));
  CHECK(read_date("1970-01-01", &number) && number == 0);
  CHECK(read_date("2000-02-29", &number) && number == 11016);
  CHECK(read_date("1969-12-31", &number) && number == -1);
}

std::string text_of(const WrittenText& written) { return {written.data(), written.size()}; }

// One field.
std::string written(double value) {
  WrittenText text;
  text.end(put_field(value, text.room(most_bytes_of_value)));
  return text_of(text);
}

std::string written(std::string_view value) {
  WrittenText text;
  text.end(put_field(value, ',', text.room(most_bytes_of(value))));
  return text_of(text);
}

TEST("dates are written as ISO 8601 has them") {
  WrittenText text;
  for (double days : {-719528.0, -1.0, 0.5, 19782.0, 2932896.0, missing_real()}) {
    text.end(put_date_field(days, text.room(most_bytes_of_value)));
    text.append(" ", " " + 1);
  }
  CHECK(text_of(text) == "0000-01-01 1969-12-31 1970-01-01 2024-02-29 9999-12-31  ");
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
    all = all && read_real(written(value), &back) && std::memcmp(&back, &value, sizeof value) == 0;
  }
  CHECK(all);
  CHECK(written(missing_real()).empty());
  CHECK(written(std::nan("")) == "NaN");
}

TEST("numbers are written in the shortest form that the library knows") {
  std::mt19937_64 random(4);
  bool all = true;
  for (int i = 0; i < 200000; ++i) {
    const double power = std::pow(10, static_cast<double>(random() % 7));
    double value = static_cast<double>(static_cast<std::int64_t>(random() % 20000001) - 10000000) / power;
    if (i % 2) value *= std::ldexp(static_cast<double>(random() >> 12), -72 + static_cast<int>(random() % 50));
    if (std::fabs(value) >= 9007199254740992.0) continue;
    char shortest[32];
    std::string text;
    write_real(value, &text);
    all = all && text == std::string(shortest, std::to_chars(shortest, shortest + sizeof shortest, value).ptr);
  }
  CHECK(all);
}

// Of all bits, powers of two and of ten and their neighbours, and digits at any place.
TEST("the fewest digits of a double are those that the library finds") {
  std::mt19937_64 random(5);
  std::size_t others = 0;
  const auto compare = [&](double value) {
    if (!(value > 0) || std::isinf(value)) return;
    char shortest[64] = "", digits[64];
    const auto end = std::to_chars(shortest, shortest + sizeof shortest, value, std::chars_format::scientific).ptr;
    const Decimal found = shortest_decimal(value);
    *std::to_chars(digits, digits + sizeof digits, found.digits).ptr = '\0';
    std::string expected(shortest, std::find(shortest, end, 'e'));
    expected.erase(std::remove(expected.begin(), expected.end(), '.'), expected.end());
    const int power = std::atoi(std::find(shortest, end, 'e') + 1) - static_cast<int>(expected.size()) + 1;
    others += digits != expected || found.exponent != power;
  };
  for (int power = -1074; power < 1024; ++power) {
    const double two = std::ldexp(1, power);
    for (const double value : {two, std::nextafter(two, 0), std::nextafter(two, HUGE_VAL)}) compare(value);
  }
  for (int power = -323; power < 309; ++power) {
    const double ten = std::strtod(("1e" + std::to_string(power)).c_str(), nullptr);
    for (const double value : {ten, 9 * ten, std::nextafter(ten, 0), std::nextafter(ten, HUGE_VAL)}) compare(value);
  }
  for (int i = 0; i < 200000; ++i) {
    std::uint64_t bits = random() >> 1;
    double value;
    std::memcpy(&value, &bits, sizeof value);
    compare(value);
    compare(static_cast<double>(bits % 100000000000000000ull) / std::pow(10, static_cast<double>(random() % 30)));
    compare(std::ldexp(static_cast<double>(bits >> 10), static_cast<int>(random() % 80) - 70));
    compare(static_cast<double>(random() % 100000));
  }
  CHECK(others == 0);
}

TEST("texts are quoted when they must be, and come back the same") {
  for (const std::string value : {"", "NA", "a,b", "a\"b", "two\nlines", "\r", " x", "plain", "z\xC3\xA6"}) {
    CHECK(fields("a,b\n" + written(value) + ",1\n").at(0) == value);
  }
  CHECK(written("plain") == "plain" && written("two words") == "two words" && written("a;b") == "a;b");
  for (const std::string blank : {" a", "a ", "\ta", "a\t"}) CHECK(written(blank) == "\"" + blank + "\"");
  CHECK(written("a,b") == "\"a,b\"" && written("a\"b") == "\"a\"\"b\"" && written("a\nb") == "\"a\nb\"");
}

TEST("a sign is found wherever it stands in a text") {
  for (std::size_t size = 1; size < 40; ++size) {
    const std::string plain(size, 'a');
    CHECK(written(plain) == plain);
    for (std::size_t at = 0; at < size; ++at) for (const char sign : {',', '"', '\n', '\r'}) {
      std::string text = plain;
      text[at] = sign;
      const std::string quoted = written(text);
      CHECK(quoted.front() == '"' && quoted.back() == '"' && fields("a,b\n" + quoted + ",1\n").at(0) == text);
    }
  }
}

TEST("texts that are most of a file stay in its bytes") {
  const std::string note = "\"" + std::string(100, 'x') + "\"\"" + std::string(100, 'y') + "\n\"\"\"";
  const std::string read_note = std::string(100, 'x') + '"' + std::string(100, 'y') + "\n\"";
  CsvFormat format;
  format.allows_short = true;
  format.missing = {"NA"};
  const std::string content = "kg,note,place\n1," + note + ",NB\n2\n3," + note + ",NA\n";
  const auto file = std::make_shared<CsvFile>(input_of(content), format, 1);
  std::int32_t starts[2][3], sizes[2][3];
  const auto texts_of = [&](const CsvContent& found, std::size_t column) {
    std::vector<std::string> texts;
    for (int i = 0; i < 3; ++i) {
      const std::int32_t size = sizes[column][i];
      const char* const at = found.pages[column][0].data() + starts[column][i];
      texts.push_back(size == missing_integer ? "<missing>" : std::string(at, static_cast<std::size_t>(size)));
    }
    return texts;
  };
  const CsvContent both = read_csv(
      {file}, {{CsvType::text, {1}, starts[0], sizes[0]}, {CsvType::text, {2}, starts[1], sizes[1]}}, 1);
  CHECK(both.pages[0][0].piece && both.pages[0][0].piece == both.pages[1][0].piece);
  CHECK(texts_of(both, 0) == std::vector<std::string>({read_note, "", read_note}));
  CHECK(texts_of(both, 1) == std::vector<std::string>({"NB", "", "<missing>"}));
  const CsvContent places = read_csv({file}, {{CsvType::text, {2}, starts[0], sizes[0]}}, 1);
  CHECK(!places.pages[0][0].piece && places.pages[0][0].bytes == "NB");
  CHECK(texts_of(places, 0) == std::vector<std::string>({"NB", "", "<missing>"}));
}

TEST("a doubled quote may stand where what was read so far ends") {
  for (std::size_t size : {1, 20, 500, 4080}) for (std::size_t more = 0; more < 40; ++more) {
    const std::string text = std::string(size + more, 'x') + "\"" + std::string(30, 'y');
    for (const std::size_t piece_bytes : {7, 64, 4096}) {
      CHECK(fields("a\n" + written(text) + "\nz\n", {}, piece_bytes) == (Texts{text, "z"}));
    }
  }
}

TEST("chunks have as many bytes as they may, and no more") {
  std::string bytes = "a\n";
  for (int i = 0; i < 30; ++i) bytes += "12345\n";
  const auto file = std::make_shared<CsvFile>(input_of(bytes), CsvFormat(), 1, std::size_t(6));
  const std::vector<CsvChunkOfFile> each = csv_chunks({file}, 6), pairs = csv_chunks({file}, 12);
  std::size_t rows = 0;
  for (const CsvChunkOfFile& one : pairs) rows += one.rows;
  CHECK(each.size() == 30 && pairs.size() == 15 && rows == 30);
  CHECK(csv_chunks({file}, 11).size() == 30 && csv_chunks({file}, 180).size() == 1);
}

TEST("a number with a decimal comma may have as many digits as fit") {
  for (std::size_t size : {62, 63, 64, 65, 66}) {
    const std::string text = "0," + std::string(size - 2, '1');
    double value = 0;
    CHECK(read_real(text, ',', &value) == (size <= 64));
    CHECK(size > 64 || std::fabs(value - 1.0 / 9) < 1e-15);
  }
}

TEST("short fields are read as numbers only where all ways read the same number") {
  std::mt19937 random(11);
  const auto one_of = [&](const std::string& signs) { return signs[random() % signs.size()]; };
  int reals = 0, wholes = 0, not_read = 0;
  bool same = true;
  for (int k = 0; k < 300000; ++k) {
    const char decimal = random() % 2 ? '.' : ',';
    const std::size_t size = 1 + random() % 8;
    // Mostly digits; what stands behind the field must not count.
    std::string text;
    for (std::size_t i = 0; i < size; ++i) text += random() % 4 ? one_of("0123456789") : one_of("-+.,0eE NA\"");
    const std::string with_more = text + "98765432109";
    double real = 0, expected = 0;
    if (read_few_real(with_more.data(), size, decimal, &real)) {
      ++reals;
      same = same && read_real(text, decimal, &expected) && std::memcmp(&real, &expected, sizeof real) == 0;
    } else if (read_short_real(text, decimal, &expected)) {
      ++not_read;
    }
    std::int32_t whole = 0, expected_whole = 0;
    const bool is_whole = read_integer(text, &expected_whole);
    if (read_few_whole(with_more.data(), size, &whole)) ++wholes, same = same && is_whole && whole == expected_whole;
    else if (is_whole && text[0] != '+') ++not_read;
  }
  CHECK(same);
  CHECK(not_read == 0);
  CHECK(reals > 50000 && wholes > 30000);
}

TEST("UTF-8 is told from what is not") {
  CHECK(valid_utf8_prefix("z\xC3\xA6\xE2\x82\xAC\xF0\x9F\x90\x9D") == 10);
  for (const std::string text :
       {"\xC0\x80", "\xE0\x80\x80", "\xED\xA0\x80", "\xF4\x90\x80\x80", "\xF5\x80\x80\x80", "\x80", "\xC3"})
    CHECK(valid_utf8_prefix(text) == 0);
  CHECK(valid_utf8_prefix("ab\xFF") == 2);
}

TEST("integers with a few other numbers among them become real numbers as if they were read as such") {
  std::mt19937 random(9);
  const std::vector<std::string> others = {"1e5", "-0", "2.5", "3000000000", "+1.5", "-Inf", "NaN", "\"\"", "NA", ""};
  for (int round = 0; round < 200; ++round) {
    std::string bytes = "a,b\n";
    const bool has_text = round % 10 == 0;
    for (int k = 0; k < 40; ++k)
      bytes += (random() % 8 ? std::to_string(random() % 1000) : others[random() % others.size()]) + ",1\n";
    if (has_text) bytes += "x,1\n";
    const auto file = std::make_shared<CsvFile>(input_of(bytes), CsvFormat{}, 2, round % 2 ? 20 : 5000);
    const std::size_t rows = file->rows();
    std::vector<std::int32_t> integers(rows);
    std::vector<double> reals(rows), expected(rows);
    const CsvFound found = read_csv({file}, {{CsvType::integer, {0}, integers.data()}}, 2).columns[0];
    read_csv({file}, {{CsvType::real, {0}, expected.data()}}, 2);
    CHECK(found.reals.size() == (has_text ? 0 : found.misfits));
    put_as_reals(integers.data(), rows, found.reals, 2, reals.data());
    CHECK(has_text || std::memcmp(reals.data(), expected.data(), rows * sizeof(double)) == 0);
  }
}

TEST("a misfit is the first one, with its line, and rows know their lines with any line ends") {
  for (const char* end : {"\n", "\r\n", "\r"}) {
    std::string bytes = std::string("a,b") + end;
    for (int k = 0; k < 50; ++k)
      bytes += (k == 20 || k == 31 ? "x" : "") + std::to_string(k) + ",\"two\nlines\"" + end;
    for (std::size_t piece : {7, 5000}) {
      const auto file = std::make_shared<CsvFile>(input_of(bytes), CsvFormat{}, 2, piece);
      std::vector<std::int32_t> values(file->rows());
      const CsvFound found = read_csv({file}, {{CsvType::integer, {0}, values.data()}}, 2).columns[0];
      CHECK(found.misfits == 2 && found.misfit == "x20" && found.line == 41 && values[19] == 19 && values[49] == 49);
      for (std::size_t row : {0, 1, 20, 49}) CHECK(line_of_row({file}, row).line == 2 * row + 1);
    }
  }
  CHECK(throws<CsvError>([] { CsvFile(input_of("\xEF\xBB\xBF"), CsvFormat{}, 1); },
                         [](const CsvError& error) { return error.kind == "no_header"; }));
}

TEST("a header is on its own line, wherever that is") {
  CHECK(fails(std::string("a,b\0c\n1,2\n", 10), "nul_byte", 1));
  CHECK(throws<CsvError>([] { CsvFile(input_of("\n\na,\xFF\n1,2\n"), CsvFormat{}, 1); },
                         [](const CsvError& error) { return error.line == 2; }));
}

TEST("fields of written records are copied as they stand") {
  const std::string bytes = "1,\"a,\"\"b\"\"\",x\n2,,\"y\nz\"\n\"3\",c,\n";
  WrittenRecords records(bytes.data(), bytes.data() + bytes.size(), ',', 3, 3);
  WrittenText copied;
  while (!records.at_end()) {
    records.next();
    records.copy(1, 2, &copied);
    copied.append("|", "|" + 1);
  }
  CHECK(text_of(copied) == "\"a,\"\"b\"\"\",x|,\"y\nz\"|c,|");
  // Without quotes, what is not wanted of a record need not be looked at.
  const std::string plain = "1,ab,x\n2,,yz\n3,c,\n";
  const std::vector<std::vector<std::string>> rows = {{"1", "ab", "x"}, {"2", "", "yz"}, {"3", "c", ""}};
  for (std::size_t cut = 1; cut <= 3; ++cut) for (std::size_t first = 0; first < cut; ++first) {
    for (std::size_t last = first; last < 3; ++last) {
      if (last + 1 >= cut && last < 2) continue;
      WrittenRecords some(plain.data(), plain.data() + plain.size(), ',', 3, cut);
      for (const auto& row : rows) {
        WrittenText found;
        std::string expected = row[first];
        some.next();
        some.copy(first, last, &found);
        for (std::size_t k = first + 1; k <= last; ++k) expected += "," + row[k];
        CHECK(text_of(found) == expected);
      }
      CHECK(some.at_end());
    }
  }
  for (const std::string other : {"1,2\n", "1,\"2,3\n", "1,2,3", "\"1\"2,3,4\n"})
    CHECK(throws<OtherFile>([&] { WrittenRecords(other.data(), other.data() + other.size(), ',', 3, 3).next(); }));
}
