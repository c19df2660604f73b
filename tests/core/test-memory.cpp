#include <cerrno>
#include <csignal>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <limits>
#include <string>

#ifdef __linux__
#include <sys/resource.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>
#endif

#include "available.h"
#include "check.h"
#include "memory.h"

using namespace rowanroot;

TEST("a large piece given back is the next one of its size, and no more than a bound is kept") {
  const std::size_t mega = std::size_t(1) << 20;
  // Without what other tests gave back.
  limit_memory(1, "");
  limit_memory(0, "");
  void* first = get_memory(40 * mega);
  std::memset(first, 1, 40 * mega);
  give_memory_back(first, 40 * mega);
#ifdef __linux__
  CHECK(memory_kept() == 40 * mega);
  void* small = get_memory(20 * mega);
  CHECK(small != first);
  void* other = get_memory(41 * mega);
  CHECK(other != first);
  void* same = get_memory(39 * mega);
  CHECK(same == first);
  CHECK(memory_kept() == 0);
  std::memset(same, 2, 39 * mega);
  give_counted_back(small);
  give_counted_back(other);
  give_counted_back(same);
#endif
  for (int i = 0; i < 3; ++i) {
    std::vector<Buffer<double>> many;
    for (int k = 0; k < 20; ++k) many.emplace_back(6 * mega);
    CHECK(memory_kept() <= most_kept);
  }
  CHECK(memory_kept() <= most_kept);
  // Larger than all that is kept: straight back to the system.
  const std::size_t before = memory_kept();
  give_memory_back(get_memory(most_kept + mega), most_kept + mega);
  CHECK(memory_kept() == before);
}

TEST("a small piece is the C library's") {
  void* piece = get_memory(100);
  const std::size_t before = memory_kept();
  give_memory_back(piece, 100);
  CHECK(memory_kept() == before);
}

#ifdef __linux__
TEST("a file that can't be large enough is an error, and no memory") {
  const pid_t child = ::fork();
  if (child == 0) {
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit most = {1 << 20, 1 << 20};
    ::setrlimit(RLIMIT_FSIZE, &most);
    const std::size_t mega = std::size_t(1) << 20;
    limit_memory(64 * mega, "/tmp");
    const bool told = throws<OutOfMemory>([&] { Buffer<char> large(80 * mega); });
    ::_exit(told ? 0 : 1);
  }
  int status = 1;
  ::waitpid(child, &status, 0);
  CHECK(status == 0);
}

TEST("beyond the budget regions are files without a name, which are there to be written to and given back") {
  const std::string folder = "/tmp/rowanroot-scratch-" + std::to_string(::getpid());
  ::mkdir(folder.c_str(), 0700);
  const std::size_t mega = std::size_t(1) << 20;
  limit_memory(64 * mega, folder);
  CHECK(memory_budget() == 64 * mega);
  {
    Buffer<std::uint64_t> within(5 * mega), beyond(5 * mega), more(4 * mega);
    CHECK(memory_in_use().memory <= 64 * mega && memory_in_use().files >= 72 * mega);
    bool right = true;
    for (std::size_t i = 0; i < 4 * mega; ++i) beyond[i] = i, more[i] = ~i;
    for (std::size_t i = 0; i < 4 * mega; ++i) right = right && beyond[i] == i && more[i] == ~i;
    CHECK(right);
    CHECK(::rmdir(folder.c_str()) == 0);
    ::mkdir(folder.c_str(), 0700);
    // What another process writes is its own.
    const pid_t child = ::fork();
    if (child == 0) {
      const bool as_it_was = beyond[7] == 7;
      beyond[7] = 0;
      Buffer<std::uint64_t> own(9 * mega);
      own[0] = 1;
      { Buffer<std::uint64_t> gone(std::move(more)); }
      ::_exit(as_it_was ? 0 : 1);
    }
    int status = 1;
    ::waitpid(child, &status, 0);
    CHECK(status == 0 && beyond[7] == 7 && more[4] == ~std::uint64_t(4));
  }
  CHECK(memory_in_use().files == 0);
  limit_memory(64 * mega, folder + "/no/ne");
  const auto is_told = [](const OutOfMemory& error) { return error.what() == std::string(std::strerror(ENOENT)); };
  CHECK(throws<OutOfMemory>([&] { Buffer<char> large(65 * mega); }, is_told));
  limit_memory(0, "");
  ::rmdir(folder.c_str());
}
#endif

namespace {

// A folder with the files in which a system tells what memory a process may use.
struct System {
  const std::filesystem::path root = std::filesystem::temp_directory_path() / ("rowanroot-" + std::to_string(getpid()));
  ~System() { std::filesystem::remove_all(root); }

  void write(const std::string& name, const std::string& content) const {
    std::filesystem::create_directories((root / name).parent_path());
    std::ofstream(root / name) << content;
  }
  double left() const { return memory_of_groups(root.string() + "/"); }
};

}  // namespace

TEST("the memory that control groups leave is the least of a group and those that it is in, copies of files apart") {
  const double none = std::numeric_limits<double>::infinity();
  System system;
  CHECK(system.left() == none);
  system.write("proc/self/cgroup", "0::/hives/one\n");
  CHECK(system.left() == none);
  const std::string folder = "sys/fs/cgroup/";
  system.write(folder + "hives/one/memory.max", "max\n");
  system.write(folder + "hives/one/memory.current", "500\n");
  CHECK(system.left() == none);
  system.write(folder + "hives/memory.max", "10000\n");
  system.write(folder + "hives/memory.current", "4000\n");
  CHECK(system.left() == 6000);
  system.write(folder + "hives/memory.stat", "anon 3000\ninactive_file 200\nactive_file 300\n");
  CHECK(system.left() == 6500);
  system.write(folder + "hives/one/memory.max", "600\n");
  CHECK(system.left() == 100);
  system.write(folder + "hives/one/memory.current", "700\n");
  CHECK(system.left() == 0);

  // The older way; the path is that of another system, as within a container.
  system.write("proc/self/cgroup", "5:cpu:/\n4:cpuset,memory:/elsewhere/7f\n0::/\n");
  CHECK(system.left() == none);
  system.write(folder + "memory/memory.limit_in_bytes", "9000\n");
  system.write(folder + "memory/memory.usage_in_bytes", "5000\n");
  CHECK(system.left() == 4000);
  system.write(folder + "memory/memory.stat", "inactive_file 1\ntotal_inactive_file 1000\ntotal_active_file 500\n");
  CHECK(system.left() == 5500);
  system.write(folder + "memory/memory.limit_in_bytes", "9223372036854771712\n");
  CHECK(system.left() > 9e18);
}
