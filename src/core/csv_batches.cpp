#include "fast.h"

#include "csv_batches.h"

#include <algorithm>

#include "memory.h"

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
class PlainRecords {
 public:
  explicit PlainRecords(std::size_t columns) : columns_(columns) {}

  // False if there is none.
  bool read(CsvRecords* records, std::size_t most, CsvBatch* batch) {
    const std::size_t before = batch->fields.size(), line = records->line(), wanted = std::min(most, likely_);
    batch->fields.resize(before + wanted * columns_);
    const std::size_t found = records->read_plain(columns_, wanted, batch->fields.data() + before);
    batch->fields.resize(before + found * columns_);
    for (std::size_t k = 0; k < found; ++k) batch->lines.push_back(line + k);
    likely_ = found < wanted ? found + 1 : std::min(2 * likely_, most_batch_rows);
    return found > 0;
  }

 private:
  const std::size_t columns_;
  std::size_t likely_ = most_batch_rows;
};

}  // namespace

void each_batch(const CsvFile& file, const CsvPiece& piece, std::size_t most_rows,
                const std::function<void(const CsvBatch&, std::size_t)>& visit) {
  const std::size_t bytes = static_cast<std::size_t>(piece.next - piece.first);
  Buffer<char> buffer(bytes);
  file.input().read(piece.first, bytes, buffer.data());
  CsvRecords records(buffer.data(), buffer.data() + bytes, true, file.format());
  CsvBatch batch;
  const std::size_t rows = batch_rows(file.names().size());
  batch.fields.reserve(rows * file.names().size());
  std::size_t done = 0;
  PlainRecords plain(file.names().size());
  while (done < most_rows && records.find_record(file.skips_blank_lines())) {
    if (!plain.read(&records, rows - batch.rows(), &batch)) {
      const std::size_t before = batch.fields.size();
      batch.lines.push_back(records.line());
      records.read(&batch.fields);
      fit_fields(file, before, &batch);
    }
    if (batch.rows() < rows) continue;
    visit(batch, done);
    done += batch.rows();
    batch.fields.clear();
    batch.lines.clear();
  }
  if (batch.rows()) visit(batch, done);
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
