// A number of things, in words: "1 file", "2 files".
#pragma once

#include <cstdint>
#include <fmt/format.h>
#include <string>
#include <string_view>

namespace vantro::base {

// `what`: the word for one of them, whose plural ends in s.
inline std::string counted(std::uint64_t count, std::string_view what) {
  return fmt::format("{} {}{}", count, what, count == 1 ? "" : "s");
}

}  // namespace vantro::base
