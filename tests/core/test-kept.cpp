#include <unistd.h>

#include "kept.h"
#include "kept_column.h"
#include "values.h"

#include <algorithm>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <string>
#include <vector>

#include "check.h"

using namespace rowanroot;

namespace {

struct TemporaryFile {
  // Two runs of the tests at once have a file each.
  std::string path = std::string(std::getenv("TMPDIR") ? std::getenv("TMPDIR") : "/tmp") + "/rowanroot-kept-test-" +
                     std::to_string(getpid());
  ~TemporaryFile() { std::remove(path.c_str()); }
  std::string bytes() const {
    std::ifstream file(path, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(file), {});
  }
  void write(const std::string& bytes) const { std::ofstream(path, std::ios::binary) << bytes; }
};

bool is_damaged(const std::string& path) {
  try {
    const KeptFile kept(path);
    std::vector<char> back(64);
    for (std::size_t k = 0; k < kept.head().sizes.size(); ++k) {
      back.resize(static_cast<std::size_t>(kept.head().sizes[k]));
      kept.read(k, back.data());
    }
    return false;
  } catch (const DamagedFile&) {
    return true;
  }
}

}  // namespace

TEST("a kept column comes back whole, and with any byte changed or cut off it is told to be damaged") {
  TemporaryFile file;
  const std::vector<double> numbers = {1.5, -2, 0, 1e300, 7};
  KeptHead head;
  CHECK(head.kinds == 0 && head.rows == 0 && head.type == KeptType::real);
  head.rows = numbers.size();
  head.kinds = 4;
  head.note = "note";
  write_kept(file.path, head, {{numbers.data(), numbers.size() * sizeof(double)}, {"abc", 3}});
  {
    const KeptFile kept(file.path);
    std::vector<double> back(numbers.size());
    kept.read(0, back.data());
    CHECK(back == numbers);
    std::string text(3, ' ');
    kept.read(1, &text[0]);
    CHECK(text == "abc");
    CHECK(kept.head().note == "note" && kept.head().kinds == 4 && kept.head().rows == 5);
  }
  const std::string whole = file.bytes();
  std::size_t unnoticed = 0, padding = 0;
  for (std::size_t k = 0; k < whole.size(); ++k) {
    std::string changed = whole;
    changed[k] = static_cast<char>(changed[k] ^ 0x10);
    file.write(changed);
    // Between the head and the buffers nothing is looked at.
    if (!is_damaged(file.path)) whole[k] == '\0' ? ++padding : ++unnoticed;
  }
  CHECK(unnoticed == 0);
  CHECK(padding < 128);
  for (std::size_t size : {whole.size() - 1, whole.size() / 2, std::size_t(20), std::size_t(0)}) {
    file.write(whole.substr(0, size));
    CHECK(is_damaged(file.path));
  }
}

namespace {

// A file of coded texts, or of texts that are written out.
void write_texts(const std::string& path, const std::vector<std::string>& texts, bool coded) {
  std::vector<std::int32_t> numbers, sizes;
  std::string bytes;
  std::vector<std::string> pages((texts.size() + kept_page_rows - 1) / kept_page_rows);
  for (std::size_t row = 0; row < texts.size(); ++row) {
    const std::string& text = texts[row];
    if (text == "missing") {
      numbers.push_back(missing_integer);
      if (!coded) sizes.push_back(missing_integer);
      continue;
    }
    bytes += text;
    pages[row / kept_page_rows] += text;
    sizes.push_back(static_cast<std::int32_t>(text.size()));
    numbers.push_back(static_cast<std::int32_t>(sizes.size()));
  }
  KeptHead head;
  head.type = coded ? KeptType::coded_text : KeptType::text;
  head.rows = texts.size();
  const KeptBuffer of_sizes = {sizes.data(), sizes.size() * sizeof(std::int32_t)},
                   of_bytes = {bytes.data(), bytes.size()};
  const KeptBuffer of_numbers{numbers.data(), numbers.size() * sizeof(std::int32_t)};
  if (coded) return write_kept(path, head, {of_numbers, of_sizes, of_bytes});
  std::vector<KeptBuffer> buffers = {of_sizes};
  for (const std::string& page : pages) buffers.push_back({page.data(), page.size()});
  write_kept(path, head, buffers);
}

std::vector<std::string> texts_back(const KeptColumn& column) {
  std::vector<std::int32_t> starts(column.rows()), sizes(column.rows());
  std::vector<std::vector<std::uint8_t>> pages;
  std::vector<std::uint8_t*> addresses;
  const std::vector<KeptPage> known = column.pages();
  for (const KeptPage& page : known) pages.emplace_back(page.size + 1);
  for (std::vector<std::uint8_t>& page : pages) addresses.push_back(page.data());
  column.read_texts(starts.data(), sizes.data(), addresses, Workers(1));
  std::vector<std::string> texts;
  std::size_t page = 0;
  for (std::size_t row = 0; row < column.rows(); ++row) {
    while (page + 1 < known.size() && row >= known[page + 1].first_row) ++page;
    if (sizes[row] == missing_integer) texts.push_back("missing");
    else
      texts.emplace_back(reinterpret_cast<const char*>(addresses[page]) + starts[row],
                         static_cast<std::size_t>(sizes[row]));
  }
  return texts;
}

std::vector<std::string> codes_back(const KeptColumn& column) {
  std::vector<std::int32_t> codes(column.rows());
  TextNumbering all;
  column.read_codes(codes.data(), &all, Workers(1));
  for (int workers : {2, 3}) {
    std::vector<std::int32_t> same(column.rows());
    TextNumbering of_several;
    column.read_codes(same.data(), &of_several, Workers(workers));
    CHECK(same == codes && of_several.texts() == all.texts());
  }
  std::vector<std::string> texts;
  for (std::int32_t code : codes)
    texts.push_back(code == missing_integer ? "missing" : all.texts()[static_cast<std::size_t>(code) - 1]);
  return texts;
}

}  // namespace

TEST("a column of several files is that of one after the other, coded or written out, and numbers become wider") {
  TemporaryFile one, two;
  two.path += "-2";
  write_texts(one.path, {"a", "missing", "bc", "", "a"}, true);
  write_texts(two.path, {"bc", "missing", "new"}, false);
  const std::vector<std::string> expected = {"a", "missing", "bc", "", "a", "bc", "missing", "new"};
  const KeptColumn column({one.path, two.path});
  CHECK(column.rows() == 8 && column.is_mostly_coded());
  CHECK(!KeptColumn({two.path}).is_mostly_coded());
  CHECK(codes_back(column) == expected);
  CHECK(texts_back(column) == expected);
  const std::vector<std::string> paths = {two.path, one.path, one.path, two.path, one.path};
  CHECK(codes_back(KeptColumn(paths)) == texts_back(KeptColumn(paths)));
  const std::vector<std::int32_t> whole = {1, missing_integer, -3};
  const std::vector<double> real = {0.5};
  KeptHead head;
  head.type = KeptType::integer;
  head.rows = 3;
  write_kept(one.path, head, {{whole.data(), 12}});
  head.type = KeptType::real;
  head.rows = 1;
  write_kept(two.path, head, {{real.data(), 8}});
  std::vector<double> numbers(4);
  KeptColumn({one.path, two.path}).read(numbers.data(), Workers(1));
  CHECK(numbers[0] == 1 && is_missing_real(numbers[1]) && numbers[2] == -3 && numbers[3] == 0.5);
  std::vector<std::int32_t> narrow(4);
  bool refused = false;
  try {
    KeptColumn({one.path, two.path}).read(narrow.data(), Workers(1));
  } catch (const DamagedFile&) {
    refused = true;
  }
  CHECK(refused);
}

// Rows of several files with gaps between them, beside all rows.
TEST("some rows of a kept column are what these rows are in the whole, and values that are mapped what is read") {
  constexpr std::size_t rows = 150000;  // texts of three pages, and more bytes than are copied
  TemporaryFile one, two;
  two.path += "-2";
  std::uint32_t seed = 11;
  const auto random = [&](std::uint32_t below) { return (seed = seed * 1664525u + 1013904223u) / 65536 % below; };
  std::vector<std::int32_t> picked;
  for (std::int32_t row = 0; row < static_cast<std::int32_t>(rows) + 3; row += 1 + random(2) * random(9000))
    picked.insert(picked.end(), 1 + random(2), row);
  std::vector<std::string> texts(rows), few(rows);
  std::vector<double> reals(rows);
  std::vector<std::int32_t> whole(rows);
  for (std::size_t i = 0; i < rows; ++i) {
    texts[i] = random(9) ? std::string(random(5), 'x') + std::to_string(random(1000)) : "missing";
    few[i] = random(9) ? std::to_string(random(50)) : "missing";
    reals[i] = random(1000) / 8.0;
    whole[i] = random(9) ? static_cast<std::int32_t>(random(1000)) : missing_integer;
  }
  for (const auto& [values, coded] : {std::pair(texts, false), std::pair(few, true)}) {
    write_texts(one.path, values, coded);
    write_texts(two.path, {"a", "missing", "b"}, !coded);
    const KeptColumn column({one.path, two.path});
    const std::vector<std::string> all = texts_back(column);
    std::vector<std::int32_t> sizes(picked.size());
    const std::vector<std::string> bytes = column.pick_texts(picked.data(), picked.size(), sizes.data(), Workers(2));
    std::string found = bytes[0] + bytes[1];
    std::size_t at = 0, same = 0;
    for (std::size_t k = 0; k < picked.size(); ++k) {
      const std::string& expected = all[static_cast<std::size_t>(picked[k])];
      if (sizes[k] == missing_integer) {
        same += expected == "missing";
        continue;
      }
      same += found.compare(at, static_cast<std::size_t>(sizes[k]), expected) == 0;
      at += static_cast<std::size_t>(sizes[k]);
    }
    CHECK(same == picked.size() && at == found.size());
    const KeptColumn alone({one.path});
    std::size_t page = 0, mapped = 0;
    for (const MappedBytes& bytes_of_page : alone.map_pages()) {
      mapped += bytes_of_page.size();
      CHECK(coded || !bytes_of_page || bytes_of_page.size() == alone.pages()[page].size);
      ++page;
    }
    std::vector<std::string> different;
    const MappedBytes codes = alone.map_codes(&different);
    CHECK(coded ? mapped == 0 && codes.size() == 4 * rows && different.size() > 50 : mapped > 0 && !codes);
  }
  KeptHead head;
  head.type = KeptType::integer;
  head.rows = rows;
  write_kept(one.path, head, {{whole.data(), rows * 4}});
  head.type = KeptType::real;
  write_kept(two.path, head, {{reals.data(), rows * 8}});
  const KeptColumn column({one.path, two.path});
  std::vector<double> all(2 * rows), some(picked.size());
  column.read(all.data(), Workers(2));
  for (std::int32_t& row : picked) row *= 2;
  while (picked.back() >= static_cast<std::int32_t>(2 * rows)) picked.pop_back();
  column.pick(picked.data(), picked.size(), some.data(), Workers(2));
  std::size_t same = 0;
  for (std::size_t k = 0; k < picked.size(); ++k)
    same += std::memcmp(&some[k], &all[static_cast<std::size_t>(picked[k])], 8) == 0;
  CHECK(same == picked.size());
  MappedBytes mapped = KeptColumn({two.path}).map_values(KeptType::real);
  CHECK(mapped.size() == rows * 8 && std::memcmp(mapped.bytes(), reals.data(), rows * 8) == 0);
  CHECK(!KeptColumn({two.path}).map_values(KeptType::integer) && !column.map_values(KeptType::real));
  // What is written to it changes no file.
  const std::string before = two.bytes();
  mapped.writable_bytes()[5] = 'x';
  CHECK(mapped.bytes()[5] == 'x' && two.bytes() == before);
  // A byte that is damaged is noticed there, too.
  std::string changed = before;
  changed[changed.size() - 100] = static_cast<char>(changed[changed.size() - 100] ^ 1);
  two.write(changed);
  CHECK(throws<DamagedFile>([&] { KeptColumn({two.path}).map_values(KeptType::real); }));
  CHECK(throws<DamagedFile>([&] { KeptColumn({two.path}).pick(picked.data(), 1, some.data(), Workers(1)); }));
}

// What a file says of itself may be anything, though its checksums fit: then it is damaged, and nothing is read beyond
// it.
TEST("reading a file that became shorter is an error: it changed") {
  TemporaryFile file;
  file.write("0123456789");
  const auto input = open_file(file.path);
  std::string bytes(4, ' ');
  input->read(6, 4, &bytes[0]);
  CHECK(bytes == "6789" && input->size() == 10);
  CHECK(::truncate(file.path.c_str(), 8) == 0);
  CHECK(throws<InputError>([&] { input->read(6, 4, &bytes[0]); },
                           [](const InputError& error) { return error.what() == std::string("changed"); }));
  CHECK(throws<InputError>([&] { open_file(file.path + ".none"); }));
}

TEST("files that say other numbers and sizes than they have are damaged") {
  TemporaryFile file;
  std::uint32_t seed = 7;
  const auto random = [&](std::uint32_t below) { return (seed = seed * 1664525u + 1013904223u) / 65536 % below; };
  int damaged = 0;
  for (int round = 0; round < 2000; ++round) {
    KeptHead head;
    head.type = static_cast<KeptType>(random(6));
    head.rows = random(5);
    std::vector<std::vector<std::int32_t>> buffers(1 + random(3));
    std::vector<KeptBuffer> given;
    for (std::vector<std::int32_t>& buffer : buffers) {
      for (std::uint32_t k = random(5); k > 0; --k)
        buffer.push_back(random(3) ? static_cast<std::int32_t>(random(4))
                                   : static_cast<std::int32_t>(random(50000)) * -40000);
      given.push_back({buffer.data(), buffer.size() * sizeof(std::int32_t)});
    }
    write_kept(file.path, head, given);
    std::vector<std::int32_t> narrow(8);
    std::vector<double> wide(8);
    const std::vector<std::int32_t> rows(static_cast<std::size_t>(std::min<std::uint64_t>(head.rows, 2)), 0);
    for (int way = 0; way < 6; ++way) {
      try {
        const KeptColumn column({file.path});
        if (way == 4) column.pick(rows.data(), rows.size(), wide.data(), Workers(1));
        if (way == 5) column.pick_texts(rows.data(), rows.size(), narrow.data(), Workers(1));
        if (way == 0) column.read(narrow.data(), Workers(1));
        if (way == 1) column.read(wide.data(), Workers(1));
        if (way == 2) codes_back(column);
        if (way == 3) texts_back(column);
      } catch (const DamagedFile&) {
        ++damaged;
      }
    }
  }
  CHECK(damaged > 4000);
}
