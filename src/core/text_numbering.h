#pragma once
// Distinct texts, by number.

#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>

#include "memory.h"

namespace rowanroot {

// Numbers for different texts, from 1, in the order in which they come.
class TextNumbering {
 public:
  std::int32_t number(std::string_view text) {
    if (entries_.empty()) entries_.resize(1024);
    const std::uint32_t hash = hash_of(text);
    std::size_t place = hash & (entries_.size() - 1);
    for (; entries_[place].number; place = (place + 1) & (entries_.size() - 1)) {
      const Entry& entry = entries_[place];
      if (entry.hash == hash && texts_[static_cast<std::size_t>(entry.number) - 1] == text) return entry.number;
    }
    texts_.emplace_back(text);
    entries_[place] = {hash, static_cast<std::int32_t>(texts_.size())};
    if (2 * texts_.size() > entries_.size()) grow();
    return static_cast<std::int32_t>(texts_.size());
  }

  std::vector<std::string>& texts() { return texts_; }
  const std::vector<std::string>& texts() const { return texts_; }

 private:
  struct Entry {
    std::uint32_t hash = 0;
    std::int32_t number = 0;
  };

  static std::uint32_t hash_of(std::string_view text) {
    std::uint64_t hash = text.size();
    const auto mix = [&](const char* from, std::size_t bytes) {
      std::uint64_t word = 0;
      std::memcpy(&word, from, bytes);
      hash = (hash ^ word) * 0x9E3779B97F4A7C15ull;
      hash ^= hash >> 29;
    };
    std::size_t i = 0;
    for (; i + 8 <= text.size(); i += 8) mix(text.data() + i, 8);
    if (i < text.size()) mix(text.data() + i, text.size() - i);
    return static_cast<std::uint32_t>(hash ^ (hash >> 32));
  }

  void grow() {
    RowVector<Entry> old(entries_.size() * 4);
    old.swap(entries_);
    for (const Entry& entry : old) {
      if (!entry.number) continue;
      std::size_t place = entry.hash & (entries_.size() - 1);
      while (entries_[place].number) place = (place + 1) & (entries_.size() - 1);
      entries_[place] = entry;
    }
  }

  RowVector<Entry> entries_;
  std::vector<std::string> texts_;
};

}  // namespace rowanroot
