#include "memory.h"

#include <algorithm>
#include <cstdlib>
#include <deque>
#include <limits>
#include <mutex>
#include <unordered_map>

#include "available.h"
#include "scratch.h"

#ifdef __linux__
#include <pthread.h>
#include <sys/mman.h>
#endif

namespace rowanroot {

#if defined(__linux__) && defined(MADV_HUGEPAGE) && defined(MADV_FREE)

namespace {

constexpr std::size_t page = std::size_t(1) << 21, small_page = std::size_t(1) << 12;

struct Region {
  void* memory = nullptr;
  std::size_t bytes = 0;
  bool is_file = false;
  bool is_offered = false;  // to the system
};

std::size_t rounded(std::size_t bytes, std::size_t unit) { return (bytes + unit - 1) / unit * unit; }

// All counted regions in use, by their address, and large ones given back, the oldest first.
class Store {
 public:
  void* get(std::size_t bytes) {
    const bool is_large = bytes >= large_region;
    bytes = rounded(bytes, is_large ? page : small_page);
    const std::lock_guard<std::mutex> lock(mutex_);
    Region region;
    if (is_large && in_use_.memory + bytes <= budget_now()) region = kept_like(bytes);
    if (!region.memory) region = new_region(bytes);
    if (!region.memory) return nullptr;
    used_[region.memory] = region;
    (region.is_file ? in_use_.files : in_use_.memory) += region.bytes;
    return region.memory;
  }

  void give_back(void* memory) {
    const std::lock_guard<std::mutex> lock(mutex_);
    const auto found = used_.find(memory);
    const Region region = found->second;
    used_.erase(found);
    (region.is_file ? in_use_.files : in_use_.memory) -= region.bytes;
    if (region.is_file) return scratch_.unmap(memory);
    if (region.bytes < large_region || region.bytes > most_kept) return std::free(memory);
    keep_at_most(most_kept - region.bytes);
    kept_.push_back(region);
    bytes_kept_ += region.bytes;
    offer_all_but(most_warm);
  }

  std::size_t bytes_kept() {
    const std::lock_guard<std::mutex> lock(mutex_);
    return bytes_kept_;
  }

  void limit(std::size_t bytes, const std::string& folder) {
    const std::lock_guard<std::mutex> lock(mutex_);
    asked_ = bytes;
    folder_ = folder;
    keep_at_most(std::max(budget_now(), in_use_.memory) - in_use_.memory);
  }

  // Around the splitting off of another process, which must not write to this one's memory.
  void hold() { mutex_.lock(); }
  void release() { mutex_.unlock(); }
  void release_in_child() {
    scratch_.keep_apart();
    mutex_.unlock();
  }

  std::size_t budget() {
    const std::lock_guard<std::mutex> lock(mutex_);
    return budget_now();
  }

  MemoryUse in_use() {
    const std::lock_guard<std::mutex> lock(mutex_);
    return in_use_;
  }

  std::string problem() {
    const std::lock_guard<std::mutex> lock(mutex_);
    return problem_;
  }

 private:
  // Memory within the budget, or a file, and a file too where the system has no memory.
  Region new_region(std::size_t bytes) {
    const std::size_t budget = budget_now();
    if (in_use_.memory + bytes <= budget) {
      if (in_use_.memory + bytes_kept_ + bytes > budget) keep_at_most(budget - in_use_.memory - bytes);
      if (void* memory = pages(bytes)) return {memory, bytes};
    }
    if (!folder_.empty()) {
      // What is kept would be in the way of the system's own use of its memory.
      keep_at_most(0);
      if (void* memory = scratch_.map(folder_, bytes, &problem_)) return {memory, bytes, true};
      return {};
    }
    keep_at_most(0);
    void* memory = pages(bytes);
    if (!memory) problem_ = "the system has no more memory";
    return {memory, bytes};
  }

  static void* pages(std::size_t bytes) {
    if (bytes < large_region) return std::malloc(bytes);
    void* memory = nullptr;
    if (posix_memalign(&memory, page, bytes) != 0) return nullptr;
    madvise(memory, bytes, MADV_HUGEPAGE);
    return memory;
  }

  // What was available at first is halved, so that what others use meanwhile does not change it from call to call.
  std::size_t budget_now() {
    if (asked_) return asked_;
    if (!usual_) {
      const double half = available_memory() / 2;
      usual_ = half < 1e18 ? static_cast<std::size_t>(half) : std::numeric_limits<std::size_t>::max();
    }
    return usual_;
  }

  // The one given back last that is large enough and not an eighth larger.
  Region kept_like(std::size_t bytes) {
    for (auto kept = kept_.rbegin(); kept != kept_.rend(); ++kept) {
      if (kept->bytes < bytes || kept->bytes > bytes + bytes / 8) continue;
      Region region = *kept;
      region.is_offered = false;
      kept_.erase(std::next(kept).base());
      bytes_kept_ -= region.bytes;
      return region;
    }
    return {};
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
  std::unordered_map<void*, Region> used_;
  std::deque<Region> kept_;
  std::size_t bytes_kept_ = 0, asked_ = 0, usual_ = 0;
  MemoryUse in_use_;
  Scratch scratch_;
  std::string folder_, problem_;
};

Store& store();

Store* new_store() {
  ::pthread_atfork([] { store().hold(); }, [] { store().release(); }, [] { store().release_in_child(); });
  return new Store;
}

// Never taken down: regions may outlive everything else.
Store& store() {
  static Store* only = new_store();
  return *only;
}

}  // namespace

void* get_memory(std::size_t bytes) { return bytes < counted_region ? std::malloc(bytes) : store().get(bytes); }

void give_memory_back(void* memory, std::size_t bytes) {
  if (bytes < counted_region) std::free(memory);
  else store().give_back(memory);
}

void give_counted_back(void* memory) { store().give_back(memory); }

std::size_t memory_kept() { return store().bytes_kept(); }

void limit_memory(std::size_t bytes, const std::string& folder) { store().limit(bytes, folder); }

std::size_t memory_budget() { return store().budget(); }

MemoryUse memory_in_use() { return store().in_use(); }

std::string memory_problem() { return store().problem(); }

#else

void* get_memory(std::size_t bytes) { return std::malloc(bytes); }
void give_memory_back(void* memory, std::size_t) { std::free(memory); }
void give_counted_back(void* memory) { std::free(memory); }
std::size_t memory_kept() { return 0; }
void limit_memory(std::size_t, const std::string&) {}
std::size_t memory_budget() { return std::numeric_limits<std::size_t>::max(); }
MemoryUse memory_in_use() { return {}; }
std::string memory_problem() { return "the system has no more memory"; }

#endif

}  // namespace rowanroot
