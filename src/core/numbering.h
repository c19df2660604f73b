#pragma once
// Numbers for different values: 0, 1, 2 in the order in which they first come.

#include <cstddef>
#include <cstdint>
#include <cstring>
#include <vector>

#include "memory.h"
#include "values.h"

namespace rowanroot {

// From 64-bit keys to numbers, in the order in which the keys come, by open addressing. Grows so that at most half of
// it is in use.
class Numbering {
 public:
  Numbering() : entries_(1024), mask_(1023), shift_(64 - 10) {}

  std::int32_t number(std::uint64_t key) {
    std::size_t place = place_of(key, shift_);
    while (entries_[place].number >= 0) {
      if (entries_[place].key == key) return entries_[place].number;
      place = (place + 1) & mask_;
    }
    return add(place, key);
  }

  // The numbers of many keys, as quick as they come: what the loop needs stays in registers.
  template <class KeyAt>
  void number_each(std::size_t first, std::size_t last, KeyAt key_at, std::int32_t* numbers) {
    const Entry* entries = entries_.data();
    std::size_t mask = mask_;
    int shift = shift_;
    for (std::size_t i = first; i < last; ++i) {
      const std::uint64_t key = key_at(i);
      std::size_t place = place_of(key, shift);
      while (entries[place].number >= 0 && entries[place].key != key) place = (place + 1) & mask;
      std::int32_t number = entries[place].number;
      if (number < 0) {
        number = add(place, key);
        entries = entries_.data();
        mask = mask_;
        shift = shift_;
      }
      numbers[i - first] = number;
    }
  }

  // Calls visit(i, number) for each key, after added(count) if it is new, with how many there are now.
  template <class KeyAt, class Added, class Visit>
  void visit_each(std::size_t first, std::size_t last, KeyAt key_at, Added added, Visit visit) {
    const Entry* entries = entries_.data();
    std::size_t mask = mask_;
    int shift = shift_;
    for (std::size_t i = first; i < last; ++i) {
      const std::uint64_t key = key_at(i);
      std::size_t place = place_of(key, shift);
      while (entries[place].key != key && entries[place].number >= 0) place = (place + 1) & mask;
      std::int32_t number = entries[place].number;
      if (number < 0) {
        number = add(place, key);
        entries = entries_.data();
        mask = mask_;
        shift = shift_;
        added(keys_.size());
      }
      visit(i, number);
    }
  }

  // The number of a key that may be none of them: then less than 0.
  std::int32_t find(std::uint64_t key) const {
    std::size_t place = place_of(key, shift_);
    while (entries_[place].number >= 0 && entries_[place].key != key) place = (place + 1) & mask_;
    return entries_[place].number;
  }

  const RowVector<std::uint64_t>& keys() const { return keys_; }

 private:
  struct Entry {
    std::uint64_t key = 0;
    std::int32_t number = -1;
  };

  // Of a product the highest bits depend on all others. Whole numbers as doubles differ in their high bits only, which
  // it would leave there.
  static std::size_t place_of(std::uint64_t key, int shift) {
    return static_cast<std::size_t>(((key ^ (key >> 32)) * 0x9E3779B97F4A7C15ull) >> shift);
  }

  // Apart, so that what is done for every row is short enough to stand where it is called.
  __attribute__((noinline)) std::int32_t add(std::size_t place, std::uint64_t key) {
    const std::int32_t number = static_cast<std::int32_t>(keys_.size());
    entries_[place] = {key, number};
    keys_.push_back(key);
    if (2 * keys_.size() > mask_) grow();
    return number;
  }

  void grow() {
    RowVector<Entry> old(entries_.size() * 4);
    old.swap(entries_);
    mask_ = entries_.size() - 1;
    shift_ -= 2;
    for (const Entry& entry : old) {
      if (entry.number < 0) continue;
      std::size_t place = place_of(entry.key, shift_);
      while (entries_[place].number >= 0) place = (place + 1) & mask_;
      entries_[place] = entry;
    }
  }

  RowVector<Entry> entries_;
  std::size_t mask_;
  int shift_;  // leaves the bits of an entry
  RowVector<std::uint64_t> keys_;
};

// The same for keys that are small: indexes of a table.
class SmallNumbering {
 public:
  explicit SmallNumbering(std::size_t keys) : number_(keys, -1) {}

  std::int32_t number(std::uint64_t key) { return number_[key] < 0 ? add(key) : number_[key]; }

  std::int32_t find(std::uint64_t key) const { return number_[key]; }

  template <class KeyAt>
  void number_each(std::size_t first, std::size_t last, KeyAt key_at, std::int32_t* numbers) {
    for (std::size_t i = first; i < last; ++i) numbers[i - first] = number(key_at(i));
  }

  const RowVector<std::uint64_t>& keys() const { return keys_; }

 private:
  // Apart, as in Numbering.
  __attribute__((noinline)) std::int32_t add(std::uint64_t key) {
    keys_.push_back(key);
    return number_[key] = static_cast<std::int32_t>(keys_.size()) - 1;
  }

  RowVector<std::int32_t> number_;
  RowVector<std::uint64_t> keys_;
};

inline std::uint64_t key_of(std::int32_t value) { return static_cast<std::uint32_t>(value); }
inline std::uint64_t key_of(Text value) { return reinterpret_cast<std::uintptr_t>(value); }
inline std::uint64_t key_of(std::int64_t value) { return static_cast<std::uint64_t>(value); }
inline std::uint64_t key_of(double value) {
  if (value == 0) value = 0;  // -0 is 0
  if (value != value) return is_missing_real(value) ? missing_bits : 0x7FF8000000000000ull;
  return bits_of(value);
}

}  // namespace rowanroot
