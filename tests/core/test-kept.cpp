#include "kept.h"

#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <string>
#include <vector>

#include "check.h"

using namespace rowanroot;

namespace {

struct TemporaryFile {
  std::string path = std::string(std::getenv("TMPDIR") ? std::getenv("TMPDIR") : "/tmp") + "/rowanroot-kept-test";
  ~TemporaryFile() { std::remove(path.c_str()); }
  std::string bytes() const {
    std::ifstream file(path, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(file), {});
  }
  void write(const std::string& bytes) const { std::ofstream(path, std::ios::binary) << bytes; }
};

}  // namespace

TEST("a kept column comes back whole, and with any byte changed or cut off it is told to be damaged") {
  TemporaryFile file;
  const std::vector<double> numbers = {1.5, -2, 0, 1e300, 7};
  KeptHead head;
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
  const auto is_damaged = [&] {
    try {
      const KeptFile kept(file.path);
      std::vector<char> back(64);
      for (std::size_t k = 0; k < kept.head().sizes.size(); ++k) {
        back.resize(static_cast<std::size_t>(kept.head().sizes[k]));
        kept.read(k, back.data());
      }
      return false;
    } catch (const DamagedFile&) {
      return true;
    }
  };
  std::size_t unnoticed = 0, padding = 0;
  for (std::size_t k = 0; k < whole.size(); ++k) {
    std::string changed = whole;
    changed[k] = static_cast<char>(changed[k] ^ 0x10);
    file.write(changed);
    // Between the head and the buffers nothing is looked at.
    if (!is_damaged()) whole[k] == '\0' ? ++padding : ++unnoticed;
  }
  CHECK(unnoticed == 0);
  CHECK(padding < 128);
  for (std::size_t size : {whole.size() - 1, whole.size() / 2, std::size_t(20), std::size_t(0)}) {
    file.write(whole.substr(0, size));
    CHECK(is_damaged());
  }
}
