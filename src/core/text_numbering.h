#pragma once
// Distinct texts, by number.

#include <cstdint>
#include <cstring>
#include <string>
#include <string_view>
#include <vector>

#include "digits.h"
#include "memory.h"

namespace rowanroot {

// Numbers for different texts, from 1, in the order in which they come.
class TextNumbering {
 public:
  std::int32_t number(std::string_view text) { return number(text, hash_of(text)); }

  std::int32_t number(std::string_view text, std::uint32_t hash) {
    if (entries_.empty()) entries_.resize(1024);
    const std::uint64_t word = whole_word(text);
    std::size_t place = hash & (entries_.size() - 1);
    for (; entries_[place].number; place = (place + 1) & (entries_.size() - 1)) {
      const Entry& entry = entries_[place];
      if (entry.hash != hash || entry.word != word) continue;
      if (word != longer || is_same(texts_[static_cast<std::size_t>(entry.number) - 1], text)) return entry.number;
    }
    texts_.emplace_back(text);
    entries_[place] = {word, hash, static_cast<std::int32_t>(texts_.size())};
    if (2 * texts_.size() > entries_.size()) grow();
    return static_cast<std::int32_t>(texts_.size());
  }

  // Brings near what is needed to look up a text with this hash.
  void fetch(std::uint32_t hash) const {
    if (!entries_.empty()) __builtin_prefetch(&entries_[hash & (entries_.size() - 1)]);
  }
  void fetch_text(std::uint32_t hash) const {
    if (entries_.empty()) return;
    const Entry& entry = entries_[hash & (entries_.size() - 1)];
    if (entry.number && entry.word == longer) __builtin_prefetch(&texts_[static_cast<std::size_t>(entry.number) - 1]);
  }

  static std::uint32_t hash_of(std::string_view text) {
    std::uint64_t hash = text.size();
    const auto mix = [&](std::uint64_t word) {
      hash = (hash ^ word) * 0x9E3779B97F4A7C15ull;
      hash ^= hash >> 32;
    };
    const char* at = text.data();
    std::size_t left = text.size();
    for (; left >= 8; at += 8, left -= 8) mix(word_at<std::uint64_t>(at));
    if (left >= 4) mix(word_at<std::uint32_t>(at) | std::uint64_t(word_at<std::uint32_t>(at + left - 4)) << 32);
    else if (left > 0) mix(byte_of(at) | byte_of(at + left / 2) << 8 | byte_of(at + left - 1) << 16);
    // The last signs are in the highest bits, and often all that differs: every bit is to depend on them.
    return static_cast<std::uint32_t>(hash * 0x9E3779B97F4A7C15ull >> 32);
  }

  std::vector<std::string>& texts() { return texts_; }
  const std::vector<std::string>& texts() const { return texts_; }

 private:
  struct Entry {
    std::uint64_t word = 0;
    std::uint32_t hash = 0;
    std::int32_t number = 0;
  };

  // A text of up to eight bytes as one number, which no other text has: the last byte of fewer than eight is none that
  // UTF-8 has.
  static constexpr std::uint64_t longer = ~std::uint64_t(0);
  static std::uint64_t whole_word(std::string_view text) {
    if (text.size() > 8) return longer;
    if (text.size() == 8) return word_at<std::uint64_t>(text.data());
    return load_few(text.data(), text.size()) | std::uint64_t(0xF7 + text.size()) << 56;
  }

  // Most are short.
  static bool is_same(const std::string& one, std::string_view other) {
    const std::size_t size = other.size();
    if (one.size() != size) return false;
    const char* const a = one.data();
    const char* const b = other.data();
    if (size < 8 || size > 16) return std::memcmp(a, b, size) == 0;
    return word_at<std::uint64_t>(a) == word_at<std::uint64_t>(b) &&
           word_at<std::uint64_t>(a + size - 8) == word_at<std::uint64_t>(b + size - 8);
  }

  static std::uint64_t byte_of(const char* at) { return static_cast<unsigned char>(*at); }

  void grow() {
    RowVector<Entry> old(entries_.size() * 2);
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
