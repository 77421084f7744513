#include "text/content.h"

#include <algorithm>
#include <array>

namespace vantro::text {
namespace {

constexpr std::array<bool, 256> kBinary = [] {
  std::array<bool, 256> table{};
  for (std::size_t i = 0; i < 32; ++i) table[i] = true;
  table[127] = true;
  // BEL, BS, TAB, LF, VT, FF, CR, SUB (the end of old text files), ESC
  for (const auto fine : {7, 8, 9, 10, 11, 12, 13, 26, 27}) {
    table[static_cast<std::size_t>(fine)] = false;
  }
  return table;
}();

}  // namespace

void ContentTeller::update(std::span<const std::uint8_t> bytes) {
  if (!text_) return;
  text_ =
      std::none_of(bytes.begin(), bytes.end(), [](auto byte) { return kBinary[byte]; });
}

}  // namespace vantro::text
