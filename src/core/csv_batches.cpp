#include "fast.h"

#include "csv_batches.h"

#include <algorithm>
#include <cstring>

#include "csv_numbers.h"

namespace rowanroot {
namespace {

// Fields of a batch stay in the nearest cache.
constexpr std::size_t batch_fields = 4096, most_batch_rows = 256, fewest_batch_rows = 16;

std::size_t batch_rows(std::size_t columns) {
  return std::min(std::max(batch_fields / columns, fewest_batch_rows), most_batch_rows);
}

// A record with fewer or more fields than columns is an error, unless the format allows it.
void fit_fields(const CsvFile& file, std::size_t before, CsvBatch* batch) {
  const std::size_t columns = file.names().size(), found = batch->fields.size() - before;
  if (found == columns) return;
  const bool is_allowed = found < columns ? file.format().allows_short : file.format().allows_long;
  if (!is_allowed)
    throw CsvError(found > columns ? "too_many_fields" : "too_few_fields", batch->lines.back(), found, columns);
  batch->fields.resize(before + columns, CsvField{"", 0, false});
}

// Adds records of the usual form, several at once. Where few of them follow each other, few are tried.
class UsualRecords {
 public:
  explicit UsualRecords(std::size_t columns) : columns_(columns) {}

  // False if there is none.
  bool read(CsvRecords* records, std::size_t most, CsvBatch* batch) {
    const std::size_t before = batch->rows(), wanted = std::min(most, likely_);
    const auto resize = [&](std::size_t rows) { batch->fields.resize(rows * columns_), batch->lines.resize(rows); };
    resize(before + wanted);
    const std::size_t found = records->read_usual(columns_, wanted, batch->fields.data() + before * columns_,
                                                  batch->lines.data() + before);
    resize(before + found);
    likely_ = found < wanted ? found + 1 : std::min(2 * likely_, most_batch_rows);
    return found > 0;
  }

 private:
  const std::size_t columns_;
  std::size_t likely_ = most_batch_rows;
};

// Where only a few of a piece's rows are wanted: as many bytes as these probably have, and some more.
std::size_t bytes_for(std::size_t rows, const CsvPiece& piece, std::size_t all) {
  if (rows >= piece.rows) return all;
  return std::min(all, static_cast<std::size_t>(2.0 * static_cast<double>(all) * static_cast<double>(rows) /
                                                static_cast<double>(piece.rows)) + (1 << 14));
}

}  // namespace

Buffer<char> each_batch(const CsvFile& file, const CsvPiece& piece, std::size_t most_rows,
                        const std::function<void(const CsvBatch&, std::size_t)>& visit) {
  const std::size_t all = static_cast<std::size_t>(piece.next - piece.first), bytes = bytes_for(most_rows, piece, all);
  Buffer<char> buffer(bytes + bytes_behind);
  std::memset(buffer.data() + bytes, 0, bytes_behind);
  file.input().read(piece.first, bytes, buffer.data());
  CsvRecords records(buffer.data(), buffer.data() + bytes, bytes == all, file.format());
  CsvBatch batch;
  batch.bytes = buffer.data();
  const std::size_t rows = batch_rows(file.names().size());
  batch.fields.reserve(rows * file.names().size());
  std::size_t done = 0;
  UsualRecords usual(file.names().size());
  // False at the end, and where bytes behind these would be needed.
  const auto read_some = [&] {
    const std::size_t before = batch.rows(), fields = batch.fields.size();
    try {
      if (!records.find_record(file.skips_blank_lines())) return false;
      if (usual.read(&records, rows - before, &batch)) return true;
      batch.lines.push_back(records.line());
      records.read(&batch.fields);
    } catch (const CsvRecords::Incomplete&) {
      batch.lines.resize(before);
      batch.fields.resize(fields);
      return false;
    }
    fit_fields(file, fields, &batch);
    return true;
  };
  while (done < most_rows && read_some()) {
    if (batch.rows() < rows) continue;
    visit(batch, done);
    done += batch.rows();
    batch.fields.clear();
    batch.lines.clear();
  }
  if (batch.rows()) visit(batch, done);
  return buffer;
}

std::vector<CsvPlace> all_places(const std::vector<std::shared_ptr<CsvFile>>& files) {
  std::vector<CsvPlace> places;
  std::size_t row = 0;
  for (std::size_t f = 0; f < files.size(); ++f) {
    for (const CsvPiece& piece : files[f]->pieces()) places.push_back({f, piece, row + piece.row});
    row += files[f]->rows();
  }
  return places;
}

}  // namespace rowanroot
