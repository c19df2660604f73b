#include "fast.h"

#include "csv_read.h"

#include <algorithm>
#include <atomic>
#include <cstring>

#include "csv_values.h"
#include "memory.h"
#include "moments.h"
#include "text_numbering.h"
#include "values.h"

namespace rowanroot {
namespace {

// More different texts than that are not worth a number each.
constexpr std::size_t most_different = 1 << 16;

// What a text could be, if it is none of the type that was expected of it.
unsigned kinds_of(std::string_view text, char decimal) {
  static const MomentReader iso("");
  std::int32_t whole;
  double number;
  if (read_logical(text, &whole)) return could_be_logical;
  if (read_real(text, decimal, &number)) return could_be_real | (read_integer(text, &whole) ? could_be_integer : 0u);
  if (read_date(text, &number)) return could_be_date;
  Moment moment;
  if (text.size() > 10 && iso.read(text, &moment)) return moment.is_universal ? could_be_moment : could_be_clock;
  return 0;
}

// What a text that is of the type could be.
unsigned kinds_with(CsvType type) {
  switch (type) {
    case CsvType::logical: return could_be_logical;
    case CsvType::integer: return could_be_integer | could_be_real;
    case CsvType::real: return could_be_integer | could_be_real;
    case CsvType::date: return could_be_date;
    default: return could_be_all;
  }
}

// One column's part of a piece.
struct Part {
  unsigned kinds = could_be_all;
  std::size_t misfits = 0, line = 0;
  std::string misfit;
  std::string page;
  int worker = 0;  // whose numbers the texts have
};

// The records of a few rows: fields row by row, and the line on which each row begins.
struct Block {
  std::vector<CsvField> fields;
  std::vector<std::size_t> lines;
  std::size_t rows() const { return lines.size(); }
};
constexpr std::size_t block_rows = 256;

// Reads the records of a piece, block by block, and checks how many fields each has.
template <class Work>
void each_block(const CsvFile& file, const CsvPiece& piece, std::size_t most_rows, Work work) {
  const std::size_t bytes = static_cast<std::size_t>(piece.next - piece.first), columns = file.names().size();
  Buffer<char> buffer(bytes);
  file.input().read(piece.first, bytes, buffer.data());
  CsvRecords records(buffer.data(), buffer.data() + bytes, true, file.format());
  Block block;
  std::size_t done = 0;
  while (done < most_rows && records.find_record(file.skips_blank_lines())) {
    const std::size_t before = block.fields.size();
    block.lines.push_back(records.line());
    records.read(&block.fields);
    const std::size_t found = block.fields.size() - before;
    if (found != columns) {
      const bool allowed = found < columns ? file.format().allows_short : file.format().allows_long;
      if (!allowed)
        throw CsvError(found > columns ? "too_many_fields" : "too_few_fields", block.lines.back(), found, columns);
      block.fields.resize(before + columns, CsvField{"", 0, false});
    }
    if (block.rows() < block_rows) continue;
    work(block, done);
    done += block.rows();
    block.fields.clear();
    block.lines.clear();
  }
  if (block.rows()) work(block, done);
}

// Puts the values of a column of a block where they belong.
class ColumnReader {
 public:
  ColumnReader(const CsvFile& file, const CsvColumn& column, std::size_t in_file, Part* part, TextNumbering* numbering)
      : format_(file.format()),
        usual_marks_(format_.missing == std::vector<std::string>{"", "NA"}),
        columns_(file.names().size()),
        column_(column),
        in_file_(in_file),
        part_(part),
        numbering_(numbering) {}

  void read(const Block& block, std::size_t row) {
    const char decimal = format_.decimal;
    switch (column_.type) {
      case CsvType::logical: return read_values(block, row, missing_integer, read_logical);
      case CsvType::integer: return read_values(block, row, missing_integer, read_integer);
      case CsvType::real:
        return read_values(block, row, missing_real(),
                           [=](std::string_view text, double* value) { return read_real(text, decimal, value); });
      case CsvType::long_integer: return read_values(block, row, missing_long_integer, read_long_integer);
      case CsvType::date: return read_values(block, row, missing_real(), read_date);
      case CsvType::time:
        return read_values(block, row, missing_real(),
                           [this](std::string_view text, double* value) { return read_time(text, value); });
      case CsvType::coded_text: return read_codes(block, row);
      case CsvType::text: return read_texts(block, row);
    }
  }

 private:
  bool is_missing(const CsvField& field) const {
    if (field.quoted) return false;
    if (usual_marks_) return field.size == 0 || (field.size == 2 && field.start[0] == 'N' && field.start[1] == 'A');
    return format_.is_missing(field.text());
  }

  template <class Work>
  void each_field(const Block& block, Work work) {
    const CsvField* field = block.fields.data() + in_file_;
    for (std::size_t i = 0; i < block.rows(); ++i, field += columns_) work(i, *field);
  }

  template <class T, class Read>
  void read_values(const Block& block, std::size_t row, T missing, Read read) {
    T* const to = static_cast<T*>(column_.values) + row;
    unsigned kinds = could_be_all, if_it_fits = kinds_with(column_.type);
    bool may_be_whole = column_.type == CsvType::real && (part_->kinds & could_be_integer);
    each_field(block, [&](std::size_t i, const CsvField& field) {
      to[i] = missing;
      if (is_missing(field)) return;
      const std::string_view text = trimmed(field.text());
      if (text.empty() && field.quoted) {
        kinds &= ~unsigned(has_no_empty_text);
        return;
      }
      if (!read(text, to + i)) return misfit(text, block.lines[i]);
      std::int32_t whole;
      if (may_be_whole && !read_integer(text, &whole)) {
        may_be_whole = false;
        if_it_fits &= ~unsigned(could_be_integer);
      }
      kinds &= if_it_fits;
    });
    part_->kinds &= kinds;
  }

  bool read_time(std::string_view text, double* value) {
    static const MomentReader iso("");
    Moment moment;
    if (!iso.read(text, &moment)) return false;
    *value = moment.value;
    part_->kinds &= moment.is_universal ? could_be_moment : could_be_clock;
    return true;
  }

  void misfit(std::string_view text, std::size_t line) {
    if (part_->misfits++ == 0) {
      part_->misfit = std::string(text);
      part_->line = line;
    }
    if (part_->kinds) part_->kinds &= kinds_of(text, format_.decimal);
  }

  // What texts could be if all of the column were like them.
  void note_kinds(const CsvField& field) {
    if (!part_->kinds) return;
    const std::string_view text = trimmed(field.text());
    part_->kinds &= text.empty() && field.quoted ? ~unsigned(has_no_empty_text) : kinds_of(text, format_.decimal);
  }

  void read_codes(const Block& block, std::size_t row) {
    if (numbering_->texts().size() > most_different) return;
    std::int32_t* const to = static_cast<std::int32_t*>(column_.values) + row;
    // The same text often comes again at once.
    std::string_view last;
    std::int32_t last_code = 0;
    each_field(block, [&](std::size_t i, const CsvField& field) {
      if (is_missing(field)) {
        to[i] = missing_integer;
        return;
      }
      if (!last_code || field.text() != last) {
        last = field.text();
        note_kinds(field);
        last_code = numbering_->number(last);
      }
      to[i] = last_code;
    });
  }

  void read_texts(const Block& block, std::size_t row) {
    std::int32_t* const start = static_cast<std::int32_t*>(column_.values) + row;
    std::int32_t* const size = column_.sizes + row;
    each_field(block, [&](std::size_t i, const CsvField& field) {
      start[i] = 0;
      size[i] = missing_integer;
      if (is_missing(field)) return;
      start[i] = static_cast<std::int32_t>(part_->page.size());
      size[i] = static_cast<std::int32_t>(field.size);
      part_->page.append(field.start, field.size);
      note_kinds(field);
    });
    if (part_->page.size() > static_cast<std::size_t>(std::numeric_limits<std::int32_t>::max()))
      throw CsvError("long_field", block.lines.back());
  }

  const CsvFormat& format_;
  const bool usual_marks_;
  const std::size_t columns_;
  const CsvColumn& column_;
  const std::size_t in_file_;
  Part* const part_;
  TextNumbering* const numbering_;
};

// A piece of a file, and the row of all files at which it begins.
struct Place {
  std::size_t file;
  CsvPiece piece;
  std::size_t row;
};

std::vector<Place> all_places(const std::vector<std::shared_ptr<CsvFile>>& files) {
  std::vector<Place> places;
  std::size_t row = 0;
  for (std::size_t f = 0; f < files.size(); ++f) {
    for (const CsvPiece& piece : files[f]->pieces()) places.push_back({f, piece, row + piece.row});
    row += files[f]->rows();
  }
  return places;
}

std::vector<Place> places_of(const std::vector<std::shared_ptr<CsvFile>>& files, CsvChunk chunk) {
  const std::vector<Place> all = all_places(files);
  const std::size_t last = std::min(chunk.last, all.size());
  if (chunk.first >= last) return {};
  std::vector<Place> places(all.begin() + static_cast<std::ptrdiff_t>(chunk.first),
                            all.begin() + static_cast<std::ptrdiff_t>(last));
  const std::size_t before = places.front().row;
  for (Place& place : places) place.row -= before;
  return places;
}

CsvError in_file(CsvError error, std::size_t file, std::size_t line) {
  error.file = file;
  error.line += line;
  return error;
}

// Each worker has numbered texts by itself: all get the numbers of the first, and the rows those instead.
void join_codes(const std::vector<Place>& places, const std::vector<std::vector<Part>>& parts, std::size_t column,
                std::vector<std::vector<TextNumbering>>& numberings, void* values, Workers threads, CsvFound* found) {
  TextNumbering& all = numberings[0][column];
  std::vector<std::vector<std::int32_t>> numbers(numberings.size());
  for (std::size_t w = 0; w < numberings.size(); ++w) {
    auto& texts = numberings[w][column].texts();
    if (texts.size() > most_different || all.texts().size() > most_different) {
      found->has_too_many = true;
      return;
    }
    if (w > 0)
      for (const std::string& text : texts) numbers[w].push_back(all.number(text));
  }
  run_pieces(places.size(), threads, [&](int, std::size_t p) {
    const std::size_t worker = static_cast<std::size_t>(parts[p][column].worker);
    if (worker == 0) return;
    std::int32_t* const code = static_cast<std::int32_t*>(values) + places[p].row;
    for (std::size_t i = 0; i < places[p].piece.rows; ++i)
      if (code[i] != missing_integer) code[i] = numbers[worker][static_cast<std::size_t>(code[i]) - 1];
  });
  found->texts = std::move(all.texts());
}

}  // namespace

std::vector<CsvChunkOfFile> csv_chunks(const std::vector<std::shared_ptr<CsvFile>>& files, std::uint64_t bytes) {
  std::vector<CsvChunkOfFile> chunks;
  const std::vector<Place> places = all_places(files);
  std::uint64_t size = 0;
  for (std::size_t p = 0; p < places.size(); ++p) {
    const std::uint64_t more = places[p].piece.next - places[p].piece.first;
    if (chunks.empty() || chunks.back().file != places[p].file || size + more > bytes) {
      chunks.push_back({{p, p}, places[p].file, 0});
      size = 0;
    }
    size += more;
    chunks.back().chunk.last = p + 1;
    chunks.back().rows += places[p].piece.rows;
  }
  return chunks;
}

CsvContent read_csv(const std::vector<std::shared_ptr<CsvFile>>& files, const std::vector<CsvColumn>& columns,
                    Workers threads, CsvChunk chunk) {
  const std::vector<Place> places = places_of(files, chunk);
  std::vector<std::vector<Part>> parts(places.size());
  std::atomic<std::size_t> failed(places.size());
  std::vector<std::unique_ptr<CsvError>> errors(places.size());
  std::vector<std::vector<TextNumbering>> numberings(static_cast<std::size_t>(std::max<int>(threads, 1)));
  for (auto& of_worker : numberings) of_worker.resize(columns.size());
  run_pieces(places.size(), threads, [&](int worker, std::size_t p) {
    // What comes behind an error is not looked at.
    if (p > failed) return;
    const Place& place = places[p];
    const CsvFile& file = *files[place.file];
    parts[p] = std::vector<Part>(columns.size());
    std::vector<ColumnReader> readers;
    for (std::size_t k = 0; k < columns.size(); ++k) {
      parts[p][k].worker = worker;
      readers.emplace_back(file, columns[k], columns[k].in_file[place.file], &parts[p][k],
                           &numberings[static_cast<std::size_t>(worker)][k]);
    }
    const auto fail = [&](const CsvError& error) {
      errors[p] = std::make_unique<CsvError>(in_file(error, place.file, place.piece.line));
      std::size_t first = failed;
      while (p < first && !failed.compare_exchange_weak(first, p)) {}
    };
    try {
      each_block(file, place.piece, place.piece.rows, [&](const Block& block, std::size_t row) {
        if (row + block.rows() > place.piece.rows) throw InputError("changed");
        for (ColumnReader& reader : readers) reader.read(block, place.row + row);
      });
    } catch (const CsvError& error) {
      fail(error);
    } catch (const InputError& error) {
      fail(CsvError(input_problem(error), 0, 0, 0, error.what()));
    }
  });
  if (failed < places.size()) throw *errors[failed];

  CsvContent content;
  content.columns.resize(columns.size());
  content.pages.resize(columns.size());
  for (std::size_t k = 0; k < columns.size(); ++k) {
    CsvFound& found = content.columns[k];
    found.file_kinds.assign(files.size(), could_be_all);
    for (std::size_t p = 0; p < places.size(); ++p) {
      Part& part = parts[p][k];
      found.kinds &= part.kinds;
      found.file_kinds[places[p].file] &= part.kinds;
      if (part.misfits && !found.misfits) {
        found.file = places[p].file;
        found.line = places[p].piece.line + part.line;
        found.misfit = part.misfit;
      }
      found.misfits += part.misfits;
      if (columns[k].type == CsvType::text) content.pages[k].push_back({std::move(part.page), places[p].piece.rows});
    }
    if (columns[k].type == CsvType::coded_text)
      join_codes(places, parts, k, numberings, columns[k].values, threads, &found);
  }
  return content;
}

CsvLine line_of_row(const std::vector<std::shared_ptr<CsvFile>>& files, std::size_t row) {
  for (const Place& place : all_places(files)) {
    if (row < place.row || row >= place.row + place.piece.rows) continue;
    CsvLine found = {place.file, place.piece.line};
    each_block(*files[place.file], place.piece, place.piece.rows, [&](const Block& block, std::size_t first) {
      const std::size_t at = row - place.row;
      if (at >= first && at < first + block.rows()) found.line = place.piece.line + block.lines[at - first];
    });
    return found;
  }
  throw std::out_of_range("there is no such row");
}

std::vector<CsvGuess> guess_csv(const std::vector<std::shared_ptr<CsvFile>>& files,
                                const std::vector<CsvColumn>& columns) {
  constexpr std::size_t most_places = 16, rows_of_each = 512;
  const std::vector<Place> places = all_places(files);
  std::vector<CsvGuess> guesses(columns.size());
  std::vector<TextNumbering> different(columns.size());
  std::vector<std::size_t> known(columns.size(), 0);
  const std::size_t count = std::min(places.size(), most_places);
  for (std::size_t n = 0; n < count; ++n) {
    const Place& place = places[n * places.size() / count];
    const CsvFile& file = *files[place.file];
    try {
      each_block(file, place.piece, rows_of_each, [&](const Block& block, std::size_t) {
        for (std::size_t k = 0; k < columns.size(); ++k) {
          for (std::size_t i = 0; i < block.rows(); ++i) {
            const CsvField& field = block.fields[i * file.names().size() + columns[k].in_file[place.file]];
            if (!field.quoted && file.format().is_missing(field.text())) continue;
            const std::string_view text = trimmed(field.text());
            if (guesses[k].kinds)
              guesses[k].kinds &=
                  text.empty() && field.quoted ? ~unsigned(has_no_empty_text) : kinds_of(text, file.format().decimal);
            different[k].number(field.text());
            ++known[k];
          }
        }
      });
    } catch (const CsvError&) {
      // It is told when the values are read.
    }
  }
  // Of n texts drawn from d equally frequent ones, about n * n / 2d come again.
  for (std::size_t k = 0; k < columns.size(); ++k) {
    const double n = static_cast<double>(known[k]), again = n - static_cast<double>(different[k].texts().size());
    guesses[k].is_few = n < 256 || again * 2 * most_different > n * n;
  }
  return guesses;
}

}  // namespace rowanroot
