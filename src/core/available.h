#pragma once
// How much memory the process can still have.

#include <string>

namespace rowanroot {

// As many bytes as the system has, the control groups that the process is in leave it, and its own limits allow.
// Infinite where that is not known.
double available_memory();

// What the control groups leave, of which `root` has the folders proc and sys.
double memory_of_groups(const std::string& root);

}  // namespace rowanroot
