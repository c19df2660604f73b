#include "memory.h"

#include <cstdlib>
#include <deque>
#include <map>
#include <mutex>

#ifdef __linux__
#include <sys/mman.h>
#endif

namespace rowanroot {

#if defined(__linux__) && defined(MADV_HUGEPAGE) && defined(MADV_FREE)

namespace {

constexpr std::size_t page = std::size_t(1) << 21;

struct Region {
  void* memory;
  std::size_t bytes;
  bool is_offered = false;  // to the system
};

// All large regions in use, by their address, and those given back, the oldest first.
class Store {
 public:
  void* get(std::size_t bytes) {
    bytes = (bytes + page - 1) / page * page;
    const std::lock_guard<std::mutex> lock(mutex_);
    Region region = kept_like(bytes);
    if (!region.memory) region = {new_region(bytes), bytes, false};
    if (!region.memory) {
      keep_at_most(0);
      region.memory = new_region(bytes);
    }
    if (region.memory) used_[region.memory] = region.bytes;
    return region.memory;
  }

  void give_back(void* memory) {
    const std::lock_guard<std::mutex> lock(mutex_);
    const auto found = used_.find(memory);
    const Region region = {memory, found->second, false};
    used_.erase(found);
    if (region.bytes > most_kept) {
      std::free(memory);
      return;
    }
    keep_at_most(most_kept - region.bytes);
    kept_.push_back(region);
    bytes_kept_ += region.bytes;
    offer_all_but(most_warm);
  }

  std::size_t bytes_kept() {
    const std::lock_guard<std::mutex> lock(mutex_);
    return bytes_kept_;
  }

 private:
  static void* new_region(std::size_t bytes) {
    void* memory = nullptr;
    if (posix_memalign(&memory, page, bytes) != 0) return nullptr;
    madvise(memory, bytes, MADV_HUGEPAGE);
    return memory;
  }

  // The one given back last that is large enough and not an eighth larger.
  Region kept_like(std::size_t bytes) {
    for (auto kept = kept_.rbegin(); kept != kept_.rend(); ++kept) {
      if (kept->bytes < bytes || kept->bytes > bytes + bytes / 8) continue;
      const Region region = *kept;
      kept_.erase(std::next(kept).base());
      bytes_kept_ -= region.bytes;
      return region;
    }
    return {nullptr, 0, false};
  }

  // All but the last of what was given back the system may take; what is written to it later is safe.
  void offer_all_but(std::size_t bytes) {
    std::size_t warm = 0;
    for (auto kept = kept_.rbegin(); kept != kept_.rend(); ++kept) {
      warm += kept->bytes;
      if (warm <= bytes || kept->is_offered) continue;
      madvise(kept->memory, kept->bytes, MADV_FREE);
      kept->is_offered = true;
    }
  }

  void keep_at_most(std::size_t bytes) {
    while (bytes_kept_ > bytes) {
      std::free(kept_.front().memory);
      bytes_kept_ -= kept_.front().bytes;
      kept_.pop_front();
    }
  }

  std::mutex mutex_;
  std::map<void*, std::size_t> used_;
  std::deque<Region> kept_;
  std::size_t bytes_kept_ = 0;
};

// Never taken down: regions may outlive everything else.
Store& store() {
  static Store* only = new Store;
  return *only;
}

}  // namespace

void* get_memory(std::size_t bytes) { return bytes < large_region ? std::malloc(bytes) : store().get(bytes); }

void give_memory_back(void* memory, std::size_t bytes) {
  if (bytes < large_region) std::free(memory);
  else store().give_back(memory);
}

void give_large_back(void* memory) { store().give_back(memory); }

std::size_t memory_kept() { return store().bytes_kept(); }

#else

void* get_memory(std::size_t bytes) { return std::malloc(bytes); }
void give_memory_back(void* memory, std::size_t) { std::free(memory); }
void give_large_back(void* memory) { std::free(memory); }
std::size_t memory_kept() { return 0; }

#endif

}  // namespace rowanroot
