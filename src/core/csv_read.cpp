#include "fast.h"

#include "csv_read.h"

#include <algorithm>
#include <atomic>
#include <limits>

#include "csv_column.h"
#include "values.h"

namespace rowanroot {

namespace {

std::vector<CsvPlace> places_of(const std::vector<std::shared_ptr<CsvFile>>& files, CsvChunk chunk) {
  const std::vector<CsvPlace> all = all_places(files);
  const std::size_t last = std::min(chunk.last, all.size());
  if (chunk.first >= last) return {};
  std::vector<CsvPlace> places(all.begin() + static_cast<std::ptrdiff_t>(chunk.first),
                            all.begin() + static_cast<std::ptrdiff_t>(last));
  const std::size_t before = places.front().row;
  for (CsvPlace& place : places) place.row -= before;
  return places;
}

CsvError in_file(CsvError error, std::size_t file, std::size_t line) {
  error.file = file;
  error.line += line;
  return error;
}

// Reads the pieces of files at once, each with a part of every column.
class CsvReading {
 public:
  CsvReading(const std::vector<std::shared_ptr<CsvFile>>& files, const std::vector<CsvColumn>& columns,
             std::vector<CsvPlace> places, const Workers& threads)
      : files_(files),
        columns_(columns),
        places_(std::move(places)),
        threads_(threads),
        parts_(places_.size(), std::vector<CsvPart>(columns.size())),
        bytes_(places_.size()),
        errors_(places_.size()),
        numberings_(static_cast<std::size_t>(std::max<int>(threads, 1))) {
    for (auto& of_worker : numberings_) of_worker.resize(columns.size());
  }

  // Throws the error that comes first in the files.
  void read() {
    std::atomic<std::size_t> failed(places_.size());
    run_pieces(places_.size(), threads_, [&](int worker, std::size_t p) {
      // What comes behind an error is not looked at.
      if (p > failed || read_place(worker, p)) return;
      std::size_t first = failed;
      while (p < first && !failed.compare_exchange_weak(first, p)) {}
    });
    if (failed < places_.size()) throw *errors_[failed];
  }

  CsvFound found(std::size_t column) {
    CsvFound found;
    found.file_kinds.assign(files_.size(), could_be_all);
    for (std::size_t p = 0; p < places_.size(); ++p) {
      const CsvPart& part = parts_[p][column];
      found.kinds &= part.kinds;
      found.file_kinds[places_[p].file] &= part.kinds;
      if (part.misfits && !found.misfits) {
        found.file = places_[p].file;
        found.line = places_[p].piece.line + part.line;
        found.misfit = part.misfit;
      }
      found.misfits += part.misfits;
      found.reals.insert(found.reals.end(), part.reals.begin(), part.reals.end());
    }
    if (found.reals.size() < found.misfits) found.reals.clear();
    if (columns_[column].type == CsvType::coded_text) join_codes(column, &found);
    return found;
  }

  std::vector<CsvPage> pages(std::size_t column) {
    std::vector<CsvPage> pages;
    for (std::size_t p = 0; p < places_.size(); ++p)
      pages.push_back({std::move(parts_[p][column].page), parts_[p][column].is_in_piece ? bytes_[p] : nullptr,
                       places_[p].piece.rows});
    return pages;
  }

 private:
  // False if it can't be read; then its error is kept.
  bool read_place(int worker, std::size_t p) {
    const CsvPlace& place = places_[p];
    const CsvFile& file = *files_[place.file];
    std::vector<CsvColumnReader> readers;
    for (std::size_t k = 0; k < columns_.size(); ++k) {
      parts_[p][k].worker = worker;
      readers.emplace_back(file, columns_[k], columns_[k].in_file[place.file], place.piece.rows,
                           &parts_[p][k], &numberings_[static_cast<std::size_t>(worker)][k]);
    }
    try {
      bool is_kept = false;
      Buffer<char> bytes = each_batch(file, place.piece, place.piece.rows, [&](const CsvBatch& batch, std::size_t row) {
        if (row + batch.rows() > place.piece.rows) throw InputError("changed");
        if (row == 0 && texts_are_most(batch, place)) is_kept = true, leave_texts(p);
        for (CsvColumnReader& reader : readers) reader.read(batch, place.row + row);
      });
      if (is_kept) bytes_[p] = std::make_shared<Buffer<char>>(std::move(bytes));
      return true;
    } catch (const CsvError& error) {
      errors_[p] = std::make_unique<CsvError>(in_file(error, place.file, place.piece.line));
    } catch (const InputError& error) {
      const CsvError same(input_problem(error), 0, 0, 0, error.what());
      errors_[p] = std::make_unique<CsvError>(in_file(same, place.file, place.piece.line));
    }
    return false;
  }

  // Whether texts that are not coded take so much of these rows that all bytes are worth keeping for them.
  bool texts_are_most(const CsvBatch& batch, const CsvPlace& place) const {
    if (place.piece.next - place.piece.first > std::numeric_limits<std::int32_t>::max()) return false;
    const std::size_t in_record = files_[place.file]->names().size();
    std::size_t of_texts = 0, of_all = 0;
    for (const CsvField& field : batch.fields) of_all += field.size + 1;
    for (const CsvColumn& column : columns_) {
      if (column.type != CsvType::text) continue;
      for (std::size_t at = column.in_file[place.file]; at < batch.fields.size(); at += in_record)
        of_texts += batch.fields[at].size;
    }
    return 4 * of_texts > 3 * of_all;
  }

  void leave_texts(std::size_t p) {
    for (std::size_t k = 0; k < columns_.size(); ++k) parts_[p][k].is_in_piece = columns_[k].type == CsvType::text;
  }

  // Each worker has numbered texts by itself: all get the numbers of the first, and the rows those instead.
  void join_codes(std::size_t column, CsvFound* found) {
    TextNumbering& all = numberings_[0][column];
    std::vector<std::vector<std::int32_t>> numbers(numberings_.size());
    for (std::size_t w = 0; w < numberings_.size(); ++w) {
      auto& texts = numberings_[w][column].texts();
      found->has_too_many = texts.size() > most_different_texts || all.texts().size() > most_different_texts;
      if (found->has_too_many) return;
      if (w > 0)
        for (const std::string& text : texts) numbers[w].push_back(all.number(text));
    }
    run_pieces(places_.size(), threads_, [&](int, std::size_t p) {
      const std::size_t worker = static_cast<std::size_t>(parts_[p][column].worker);
      if (worker == 0) return;
      std::int32_t* const code = static_cast<std::int32_t*>(columns_[column].values) + places_[p].row;
      for (std::size_t i = 0; i < places_[p].piece.rows; ++i)
        if (code[i] != missing_integer) code[i] = numbers[worker][static_cast<std::size_t>(code[i]) - 1];
    });
    found->texts = std::move(all.texts());
  }

  const std::vector<std::shared_ptr<CsvFile>>& files_;
  const std::vector<CsvColumn>& columns_;
  const std::vector<CsvPlace> places_;
  const Workers threads_;
  std::vector<std::vector<CsvPart>> parts_;  // of each place, for each column
  std::vector<std::shared_ptr<Buffer<char>>> bytes_;  // of each place that texts stay in
  std::vector<std::unique_ptr<CsvError>> errors_;
  std::vector<std::vector<TextNumbering>> numberings_;  // of each worker, for each column
};

}  // namespace

std::vector<CsvChunkOfFile> csv_chunks(const std::vector<std::shared_ptr<CsvFile>>& files, std::uint64_t bytes) {
  std::vector<CsvChunkOfFile> chunks;
  const std::vector<CsvPlace> places = all_places(files);
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
  CsvReading reading(files, columns, places_of(files, chunk), threads);
  reading.read();
  CsvContent content;
  for (std::size_t k = 0; k < columns.size(); ++k) {
    content.columns.push_back(reading.found(k));
    content.pages.push_back(columns[k].type == CsvType::text ? reading.pages(k) : std::vector<CsvPage>());
  }
  return content;
}

void put_as_reals(const std::int32_t* values, std::size_t rows, const std::vector<CsvReal>& reals,
                  const Workers& threads, double* to) {
  constexpr std::size_t piece = 1 << 16;
  run_pieces((rows + piece - 1) / piece, threads, [&](int, std::size_t p) {
    for (std::size_t i = p * piece; i < std::min(rows, (p + 1) * piece); ++i) to[i] = as_real(values[i]);
  });
  for (const CsvReal& real : reals) to[real.row] = real.value;
}

CsvLine line_of_row(const std::vector<std::shared_ptr<CsvFile>>& files, std::size_t row) {
  for (const CsvPlace& place : all_places(files)) {
    if (row < place.row || row >= place.row + place.piece.rows) continue;
    CsvLine found = {place.file, place.piece.line};
    each_batch(*files[place.file], place.piece, place.piece.rows, [&](const CsvBatch& batch, std::size_t first) {
      const std::size_t at = row - place.row;
      if (at >= first && at < first + batch.rows()) found.line = place.piece.line + batch.lines[at - first];
    });
    return found;
  }
  throw std::out_of_range("there is no such row");
}

}  // namespace rowanroot
