#pragma once
// Kinds of work by the names that callers have for them.

#include <cstddef>
#include <stdexcept>
#include <string>

namespace rowanroot {

// The kind whose name has this position among all of them.
template <class Kind, std::size_t count>
Kind kind_of_name(const char* const (&names)[count], const std::string& name) {
  for (std::size_t k = 0; k < count; ++k)
    if (name == names[k]) return static_cast<Kind>(k);
  throw std::invalid_argument("there is no " + name);
}

}  // namespace rowanroot
