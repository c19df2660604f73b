// What R can't ask of files.

#include <Rcpp.h>

#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdio>
#include <cstring>
#include <fstream>
#include <future>
#include <string>

namespace {

// Makes the system write the file to the disk. Gives what it said if it can't, or an empty text.
std::string flush(const std::string& path) {
  const int file = ::open(path.c_str(), O_RDONLY);
  if (file < 0) return std::strerror(errno);
  const bool flushed = ::fsync(file) == 0;
  const std::string reason = std::strerror(errno);
  ::close(file);
  return flushed ? "" : reason;
}

using Flush = std::future<std::string>;

}  // namespace

// Begins to write the file to the disk, while R does other things.
// [[Rcpp::export]]
SEXP begin_flush_cpp(std::string path) {
  return Rcpp::XPtr<Flush>(new Flush(std::async(std::launch::async, flush, path)), true);
}

// Waits until it is done. Gives what the system said if it can't, or an empty text.
// [[Rcpp::export]]
std::string end_flush_cpp(SEXP flush) { return Rcpp::XPtr<Flush>(flush)->get(); }

// How many bytes of memory the process can still have: as many as the system has, or its limits allow. Infinite where
// that is not known.
// [[Rcpp::export]]
double available_memory_cpp() {
  double available = R_PosInf;
  std::ifstream of_system("/proc/meminfo");
  for (std::string line; std::getline(of_system, line);)
    if (line.compare(0, 13, "MemAvailable:") == 0) available = 1024 * std::stod(line.substr(13));
  struct rlimit limit;
  double pages = 0;
  if (::getrlimit(RLIMIT_AS, &limit) == 0 && limit.rlim_cur != RLIM_INFINITY &&
      std::ifstream("/proc/self/statm") >> pages)
    available = std::min(available, std::max(0.0, static_cast<double>(limit.rlim_cur) -
                                                      pages * static_cast<double>(::sysconf(_SC_PAGESIZE))));
  return available;
}

// For each file a text that is another one whenever the file is written to or replaced: its size, its number in the
// file system, and when it and its attributes were changed, in nanoseconds. Missing where there is no file.
// [[Rcpp::export]]
Rcpp::CharacterVector file_states_cpp(std::vector<std::string> paths) {
  Rcpp::CharacterVector states(paths.size());
  for (std::size_t k = 0; k < paths.size(); ++k) {
    struct stat about;
    if (::stat(paths[k].c_str(), &about) != 0) {
      states[static_cast<R_xlen_t>(k)] = NA_STRING;
      continue;
    }
#ifdef __APPLE__
    const struct timespec &changed = about.st_mtimespec, &told = about.st_ctimespec;
#else
    const struct timespec &changed = about.st_mtim, &told = about.st_ctim;
#endif
    const auto time = [](const struct timespec& at) {
      return std::to_string(at.tv_sec) + "." + std::to_string(at.tv_nsec);
    };
    states[static_cast<R_xlen_t>(k)] =
        std::to_string(about.st_size) + " " + std::to_string(about.st_ino) + " " + time(changed) + " " + time(told);
  }
  return states;
}

// For each file a text that every name of it has, links too. Missing where there is no file.
// [[Rcpp::export]]
Rcpp::CharacterVector file_identities_cpp(std::vector<std::string> paths) {
  Rcpp::CharacterVector identities(paths.size());
  for (std::size_t k = 0; k < paths.size(); ++k) {
    struct stat about;
    const bool is_there = ::stat(paths[k].c_str(), &about) == 0;
    identities[static_cast<R_xlen_t>(k)] =
        is_there ? Rcpp::String(std::to_string(about.st_dev) + ":" + std::to_string(about.st_ino))
                 : Rcpp::String(NA_STRING);
  }
  return identities;
}

// From now on what is written to the standard output goes where errors go, whoever writes it. Gives what
// restore_output_cpp() takes.
// [[Rcpp::export]]
int divert_output_cpp() {
  std::fflush(nullptr);
  const int kept = ::dup(STDOUT_FILENO);
  if (kept >= 0) ::dup2(STDERR_FILENO, STDOUT_FILENO);
  return kept;
}

// [[Rcpp::export]]
void restore_output_cpp(int kept) {
  std::fflush(nullptr);
  if (kept < 0) return;
  ::dup2(kept, STDOUT_FILENO);
  ::close(kept);
}
