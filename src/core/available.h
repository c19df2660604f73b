#pragma once
// How much memory the process can still have.

#include <string>

namespace rowanroot {

// As many bytes as the system has, the control groups that the process is in leave it, and its own limits allow.
// Infinite where that is not known.
double available_memory();

// The same of memory that is a file in a folder, which needs room there: a limit of the process's own data does not
// count.
double available_for_files(const std::string& folder);

// Whether the process has a limit of its own data, of which pages of files that it may write to are a part.
bool limits_own_data();

// What the control groups leave, of which `root` has the folders proc and sys.
double memory_of_groups(const std::string& root);

}  // namespace rowanroot
