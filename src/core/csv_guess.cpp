#include "fast.h"

#include <algorithm>

#include "csv_column.h"

namespace rowanroot {
namespace {

constexpr std::size_t most_places = 16, most_rows = 512, fewest_rows = 32, most_fields = 10000;

// What is known of a column after some of its rows. How many are different matters only of texts.
struct Sample {
  explicit Sample(bool text) : is_text(text) {}

  bool is_text;
  unsigned kinds = could_be_all;
  TextNumbering different;
  std::size_t known = 0;

  void add(const CsvField& field, const CsvFormat& format) {
    if (!field.quoted && format.is_missing(field.text())) return;
    if (kinds) kinds &= kinds_of_field(field, format.decimal);
    if (kinds && !is_text) return;
    different.number(field.text());
    ++known;
  }

  // Of n texts drawn from d equally frequent ones, about n * n / 2d come again.
  bool is_few() const {
    const double n = static_cast<double>(known), again = n - static_cast<double>(different.texts().size());
    return n < 256 || again * 2 * most_different_texts > n * n;
  }
};

void add_batch(const CsvBatch& batch, const CsvFile& file, std::size_t in_file, Sample* sample) {
  const std::size_t columns = file.names().size();
  for (std::size_t i = 0; i < batch.rows(); ++i) sample->add(batch.fields[i * columns + in_file], file.format());
}

}  // namespace

std::vector<CsvGuess> guess_csv(const std::vector<std::shared_ptr<CsvFile>>& files,
                                const std::vector<CsvColumn>& columns) {
  const std::vector<CsvPlace> places = all_places(files);
  const std::size_t count = std::min(places.size(), most_places);
  std::vector<Sample> samples;
  for (const CsvColumn& column : columns) samples.emplace_back(column.type == CsvType::text);
  const std::size_t all = std::max<std::size_t>(columns.size(), 1),
                    rows_of_each = std::min(std::max(most_fields / all, fewest_rows), most_rows);
  for (std::size_t n = 0; n < count; ++n) {
    const CsvPlace& place = places[n * places.size() / count];
    const CsvFile& file = *files[place.file];
    try {
      each_batch(file, place.piece, rows_of_each, [&](const CsvBatch& batch, std::size_t) {
        for (std::size_t k = 0; k < columns.size(); ++k)
          add_batch(batch, file, columns[k].in_file[place.file], &samples[k]);
      });
    } catch (const CsvError&) {
      // The error is reported when the values are read.
    }
  }
  std::vector<CsvGuess> guesses;
  for (const Sample& sample : samples) guesses.push_back({sample.kinds, sample.is_few()});
  return guesses;
}

}  // namespace rowanroot
