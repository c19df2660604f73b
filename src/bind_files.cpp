// What R can't ask of files.

#include <Rcpp.h>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <future>
#include <string>

#include "available.h"
#include "later.h"
#include "memory.h"

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
  return Rcpp::XPtr<Flush>(new Flush(rowanroot::work_later(flush, path)), true);
}

// Waits until it is done. Gives what the system said if it can't, or an empty text.
// [[Rcpp::export]]
std::string end_flush_cpp(SEXP flush) { return Rcpp::XPtr<Flush>(flush)->get(); }

// Large pieces of memory beyond so many bytes are files in this folder; 0 stands for half of what is free.
// [[Rcpp::export]]
void limit_memory_cpp(double bytes, std::string folder) {
  rowanroot::limit_memory(static_cast<std::size_t>(bytes), folder);
}

// How many bytes the process may use, and how many of large pieces it uses as memory and as files.
// [[Rcpp::export]]
Rcpp::List memory_use_cpp() {
  const rowanroot::MemoryUse use = rowanroot::memory_in_use();
  return Rcpp::List::create(Rcpp::Named("budget") = static_cast<double>(rowanroot::memory_budget()),
                            Rcpp::Named("memory") = static_cast<double>(use.memory),
                            Rcpp::Named("files") = static_cast<double>(use.files));
}

// How many bytes of files in this folder the system could hold in memory.
// [[Rcpp::export]]
double memory_for_files_cpp(std::string folder) { return rowanroot::available_for_files(folder); }

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
