#include "available.h"

#include <algorithm>
#include <cstdlib>
#include <fstream>
#include <limits>
#include <sstream>

#ifndef _WIN32
#include <sys/resource.h>
#include <sys/statvfs.h>
#include <unistd.h>
#endif

namespace rowanroot {
namespace {

constexpr double infinity = std::numeric_limits<double>::infinity();

// Where the system tells of a group's memory: there are two ways, of which a system may have both.
struct GroupKind {
  const char *folder, *limit, *used, *prefix;
};
constexpr GroupKind of_controllers{"sys/fs/cgroup/memory", "memory.limit_in_bytes", "memory.usage_in_bytes", "total_"};
constexpr GroupKind of_all{"sys/fs/cgroup", "memory.max", "memory.current", ""};

// The number in a file; infinite if there is none, as where it says "max".
double number_in(const std::string& path) {
  double number = 0;
  return std::ifstream(path) >> number ? number : infinity;
}

// Copies of files, which the system gives up when memory is needed.
double copies_of_files(const std::string& group, const std::string& prefix) {
  std::ifstream file(group + "/memory.stat");
  std::string name;
  double bytes = 0;
  for (double value; file >> name >> value;)
    if (name == prefix + "inactive_file" || name == prefix + "active_file") bytes += value;
  return bytes;
}

double left_in_group(const std::string& group, const GroupKind& kind) {
  const double limit = number_in(group + "/" + kind.limit), used = number_in(group + "/" + kind.used);
  if (limit == infinity || used == infinity) return infinity;
  return std::max(0.0, limit - std::max(0.0, used - copies_of_files(group, kind.prefix)));
}

// Of a group and those that it is in.
double left_in_groups(const std::string& root, std::string path, const GroupKind& kind) {
  double left = infinity;
  for (;;) {
    left = std::min(left, left_in_group(root + kind.folder + path, kind));
    const std::size_t end = path.rfind('/');
    if (end == std::string::npos) return left;
    path.resize(end);
  }
}

#ifndef _WIN32

// All pages of the process, and those of data that are its own.
struct Pages {
  double all = 0, data = 0;
};

Pages pages_in_use() {
  double all = 0, resident = 0, shared = 0, code = 0, libraries = 0, data = 0;
  if (!(std::ifstream("/proc/self/statm") >> all >> resident >> shared >> code >> libraries >> data)) return {};
  return {all, data};
}

template <class Limit>
double left_of(Limit what, double pages) {
  struct rlimit limit;
  if (::getrlimit(what, &limit) != 0 || limit.rlim_cur == RLIM_INFINITY) return infinity;
  return std::max(0.0, static_cast<double>(limit.rlim_cur) - pages * static_cast<double>(::sysconf(_SC_PAGESIZE)));
}

#endif

}  // namespace

double memory_of_groups(const std::string& root) {
  std::ifstream groups(root + "proc/self/cgroup");
  double left = infinity;
  // A number, the controllers and the path: of the group of all controllers they are not named.
  for (std::string line; std::getline(groups, line);) {
    std::istringstream parts(line);
    std::string number, controllers, path;
    std::getline(parts, number, ':');
    std::getline(parts, controllers, ':');
    std::getline(parts, path);
    if (controllers.empty()) left = std::min(left, left_in_groups(root, path, of_all));
    else if (("," + controllers + ",").find(",memory,") != std::string::npos)
      left = std::min(left, left_in_groups(root, path, of_controllers));
  }
  return left;
}

namespace {

double available_to_process() {
  double available = infinity;
#ifndef _WIN32
  std::ifstream of_system("/proc/meminfo");
  for (std::string line; std::getline(of_system, line);)
    if (line.compare(0, 13, "MemAvailable:") == 0) available = 1024 * std::atof(line.c_str() + 13);
  available = std::min({available, memory_of_groups("/"), left_of(RLIMIT_AS, pages_in_use().all)});
#endif
  return available;
}

}  // namespace

double available_for_files(const std::string& folder) {
  double available = available_to_process();
#ifndef _WIN32
  struct statvfs room;
  if (::statvfs(folder.c_str(), &room) == 0)
    available = std::min(available, static_cast<double>(room.f_bavail) * static_cast<double>(room.f_frsize));
#endif
  return available;
}

bool limits_own_data() {
#ifndef _WIN32
  return left_of(RLIMIT_DATA, 0) < infinity;
#else
  return false;
#endif
}

double available_memory() {
  double available = available_to_process();
#ifndef _WIN32
  available = std::min(available, left_of(RLIMIT_DATA, pages_in_use().data));
#endif
  return available;
}

}  // namespace rowanroot
