#pragma once
// Records of a CSV file that was written by csv_write.h, cut up so that fields can be copied as they stand.

#include <cstddef>
#include <stdexcept>
#include <vector>

#include "csv_write.h"

namespace rowanroot {

struct OtherFile : std::runtime_error {
  OtherFile() : std::runtime_error("the file is another one than was written") {}
};

class WrittenRecords {
 public:
  // Whole records of so many fields each. Only where the first ones begin, `cut` of them, is looked for, and where the
  // record ends.
  WrittenRecords(const char* first, const char* end, char separator, std::size_t fields, std::size_t cut);

  // Goes to the next record; throws OtherFile if there is none of that form.
  void next();

  // The bytes of these fields, both included, of the record, and of what separates them: the first, and the one behind
  // the last, unless that ends the record, must be among those that were looked for.
  void copy(std::size_t first, std::size_t last, WrittenText* to) const {
    to->append(starts_[first], starts_[last + 1] - 1);
  }

  bool at_end() const { return at_ == end_; }

 private:
  const char* at_;
  const char* const end_;
  const char separator_;
  const std::size_t looked_for_;
  std::vector<const char*> starts_;  // of the fields, and of the next record
};

}  // namespace rowanroot
