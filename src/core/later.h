#pragma once
// Work that goes on while something else is done.

#include <future>
#include <system_error>

namespace rowanroot {

// Work of a thread of its own, or, where the system has no more, of whoever asks for what it gives.
template <class... Arguments>
auto work_later(Arguments&&... arguments) {
  try {
    return std::async(std::launch::async, arguments...);
  } catch (const std::system_error&) {
    return std::async(std::launch::deferred, arguments...);
  }
}

}  // namespace rowanroot
