#include "fast.h"

#include "csv_file.h"

#include <algorithm>
#include <cstring>
#include <optional>
#include <unordered_set>

#include "csv_blocks.h"
#include "csv_count.h"
#include "csv_values.h"
#include "memory.h"

namespace rowanroot {
namespace {

// Bytes of the input from one position on: more are read when they are needed.
class Window {
 public:
  Window(const Input& input, std::uint64_t first, std::uint64_t bytes) : input_(input), first_(first) {
    reach(first + bytes);
  }

  void reach(std::uint64_t end) {
    end = std::min(end, input_.size());
    const std::size_t now = static_cast<std::size_t>(std::max(end, first_) - first_);
    if (now <= size_) return;
    Buffer<char> larger(now);
    std::memcpy(larger.data(), bytes_.data(), size_);
    input_.read(first_ + size_, now - size_, larger.data() + size_);
    bytes_ = std::move(larger);
    size_ = now;
  }
  bool is_last() const { return first_ + size_ == input_.size(); }
  void read_more() { reach(first_ + 2 * size_ + (1 << 12)); }

  char* at(std::uint64_t place) { return bytes_.data() + (place - first_); }
  char* end() { return bytes_.data() + size_; }
  std::uint64_t place(const char* at) const { return first_ + static_cast<std::uint64_t>(at - bytes_.data()); }

 private:
  const Input& input_;
  const std::uint64_t first_;
  Buffer<char> bytes_;
  std::size_t size_ = 0;
};

std::size_t count_lines(const char* first, const char* last) {
  std::size_t lines = 0;
  for (const char* at = first; at != last; ++at)
    lines += *at == '\n' || (*at == '\r' && (at + 1 == last || at[1] != '\n'));
  return lines;
}

// The first error is reported.
void check_bytes(const char* first, std::size_t count, std::size_t line) {
  const void* const nul = std::memchr(first, '\0', count);
  const std::size_t before_nul = nul ? static_cast<std::size_t>(static_cast<const char*>(nul) - first) : count;
  const std::size_t valid = valid_utf8_prefix({first, before_nul});
  if (valid < count)
    throw CsvError(valid < before_nul ? "not_utf8" : "nul_byte", line + count_lines(first, first + valid));
}

void check_names(const std::vector<std::string>& names, std::size_t line) {
  std::unordered_set<std::string> seen;
  for (std::size_t k = 0; k < names.size(); ++k) {
    if (names[k].empty()) throw CsvError("empty_name", line, k + 1);
    if (!seen.insert(names[k]).second) throw CsvError("repeated_name", line, k + 1, 0, names[k]);
  }
}

// The first record, and where the next may begin, with the line ends before it.
struct Header {
  std::vector<std::string> names;
  std::uint64_t next;
  std::size_t lines;
};

Header read_header(const Input& input, const CsvFormat& format) {
  char mark[3];
  const bool has_mark = input.size() >= 3 && (input.read(0, 3, mark), std::memcmp(mark, "\xEF\xBB\xBF", 3) == 0);
  const std::uint64_t start = has_mark ? 3 : 0;
  for (Window window(input, start, 1 << 16);; window.read_more()) {
    CsvRecords records(window.at(start), window.end(), window.is_last(), format);
    std::vector<CsvField> fields;
    std::size_t line = 0;
    try {
      if (!records.find_record(true)) throw CsvError("no_header", records.line());
      line = records.line();
      records.read(&fields);
    } catch (const CsvRecords::Incomplete&) {
      continue;
    }
    std::vector<std::string> names;
    for (const CsvField& field : fields) {
      check_bytes(field.start, field.size, line);
      names.emplace_back(field.quoted ? field.text() : trimmed(field.text()));
    }
    if (!format.names.empty()) {
      if (format.names.size() != names.size()) throw CsvError("other_names", line, names.size(), format.names.size());
      names = format.names;
    }
    check_names(names, line);
    if (!format.has_header) return {names, start, 0};
    return {names, window.place(records.at()), records.line()};
  }
}

// A piece that begins at the first record from `from` on: at it, if it is known to be a record's first byte, or else
// behind the next line end. It ends where the first record from `end` on begins. Without a piece if that can't be found
// nearby.
class Search {
 public:
  Search(const Input& input, const CsvFormat& format, bool skips_blank_lines)
      : input_(input), format_(format), skips_blank_lines_(skips_blank_lines) {}

  CsvPiece exact(std::uint64_t from, std::uint64_t end) const {
    for (std::uint64_t spare = usual_spare;; spare *= 4) {
      Window window(input_, from, end - from + spare);
      if (auto piece = find(window, from, end)) return *piece;
    }
  }

  // Where this goes wrong, the piece does not begin where the one before ends.
  std::optional<CsvPiece> likely(std::uint64_t from, std::uint64_t end) const {
    Window window(input_, from - 1, end - from + 1 + usual_spare);
    CsvRecords before(window.at(from - 1), window.end(), window.is_last(), format_);
    CsvPiece piece;
    try {
      before.skip_line();
      const std::uint64_t first = window.place(before.at());
      Counted counted = find_usual(window, first, end, &piece);
      // The piece may begin within quotes.
      if (counted == Counted::unusual) {
        const char* const behind = behind_quotes(window.at(from - 1), window.end());
        if (behind) counted = find_usual(window, window.place(behind), end, &piece);
      }
      return settled(counted, piece, window, first, end);
    } catch (const CsvError&) {
      return std::nullopt;
    } catch (const CsvRecords::Incomplete&) {
      return std::nullopt;
    }
  }

 private:
  static constexpr std::uint64_t usual_spare = 1 << 16;

  std::optional<CsvPiece> find(Window& window, std::uint64_t first, std::uint64_t end) const {
    CsvPiece piece;
    const Counted counted = find_usual(window, first, end, &piece);
    return settled(counted, piece, window, first, end);
  }

  // A usual piece as it was found; another is looked for sign after sign.
  std::optional<CsvPiece> settled(Counted counted, const CsvPiece& usual, Window& window, std::uint64_t first,
                                  std::uint64_t end) const {
    if (counted == Counted::yes) return usual;
    return counted == Counted::unusual ? find_any(window, first, end) : std::nullopt;
  }

  // Of quoted text that the first byte belongs to: what follows the first line end outside of quotes, if there is one.
  const char* behind_quotes(const char* at, const char* end) const {
    CsvBlocks blocks(format_.separator);
    for (blocks.begin_inside(); end - at >= block_bytes; at += block_bytes) {
      if (!blocks.next(at)) return nullptr;
      if (blocks.feeds()) return at + __builtin_ctzll(blocks.feeds()) + 1;
    }
    return nullptr;
  }

  Counted find_usual(Window& window, std::uint64_t first, std::uint64_t end, CsvPiece* piece) const {
    *piece = {};
    piece->first = piece->next = first;
    if (first >= end) return Counted::yes;
    if (format_.comment) return Counted::unusual;
    const char* const last = window.at(std::min(end, window.place(window.end())));
    CsvCount count;
    const Counted counted = count_records(window.at(first), last, window.end(), window.is_last(),
                                          format_.separator, skips_blank_lines_, &count);
    if (counted != Counted::yes) return counted;
    piece->rows = count.records;
    piece->lines = count.lines;
    piece->next = window.place(count.next);
    if (count.has_others) check_bytes(window.at(first), piece->next - first, 0);
    return Counted::yes;
  }

  std::optional<CsvPiece> find_any(Window& window, std::uint64_t first, std::uint64_t end) const {
    CsvPiece piece;
    piece.first = piece.next = first;
    if (!count(window, end, &piece)) return std::nullopt;
    check_bytes(window.at(first), piece.next - first, 0);
    return piece;
  }

  bool count(Window& window, std::uint64_t end, CsvPiece* piece) const {
    CsvRecords records(window.at(piece->first), window.end(), window.is_last(), format_);
    try {
      while (records.find_record(skips_blank_lines_) && window.place(records.at()) < end) {
        records.skip();
        ++piece->rows;
      }
    } catch (const CsvRecords::Incomplete&) {
      return false;
    } catch (const CsvError&) {
      // An earlier error is reported first.
      check_bytes(window.at(piece->first), static_cast<std::size_t>(records.at() - window.at(piece->first)), 0);
      throw;
    }
    piece->next = window.place(records.at());
    piece->lines = records.line();
    return true;
  }

  const Input& input_;
  const CsvFormat& format_;
  const bool skips_blank_lines_;
};

}  // namespace

std::vector<std::string> csv_names(const Input& input, const CsvFormat& format) {
  return read_header(input, format).names;
}

std::string input_problem(const InputError& error) {
  return error.what() == std::string("changed") ? "changed" : "unreadable";
}

CsvFile::CsvFile(std::shared_ptr<const Input> input, const CsvFormat& format, Workers threads, std::size_t piece_bytes)
    : input_(std::move(input)), format_(format) {
  Header header = read_header(*input_, format_);
  names_ = std::move(header.names);
  const std::uint64_t start = header.next, bytes = input_->size() - start;
  const std::size_t count = static_cast<std::size_t>((bytes + piece_bytes - 1) / piece_bytes);
  const Search search(*input_, format_, skips_blank_lines());
  const auto edge = [=](std::size_t k) { return std::min<std::uint64_t>(start + k * piece_bytes, start + bytes); };
  std::vector<std::optional<CsvPiece>> found(count);
  run_pieces(count, threads, [&](int, std::size_t k) {
    if (k > 0) found[k] = search.likely(edge(k), edge(k + 1));
  });
  // One after the other they are right or not: each must begin where the one before ends.
  std::uint64_t expected = start;
  std::size_t line = header.lines;
  for (std::size_t k = 0; k < count; ++k) {
    if (expected >= edge(k + 1)) continue;
    CsvPiece piece;
    try {
      piece = found[k] && found[k]->first == expected ? *found[k] : search.exact(expected, edge(k + 1));
    } catch (CsvError& error) {
      error.line += line;
      throw;
    }
    piece.row = rows_;
    piece.line = line;
    rows_ += piece.rows;
    line += piece.lines;
    expected = piece.next;
    if (piece.next > piece.first) pieces_.push_back(piece);
  }
}

}  // namespace rowanroot
