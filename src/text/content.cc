#include "text/content.h"

#include <algorithm>
#include <array>
#include <cstring>

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

bool has_binary(std::span<const std::uint8_t> bytes) {
  return std::any_of(bytes.begin(), bytes.end(), [](auto byte) { return kBinary[byte]; });
}

constexpr std::uint64_t kOnes = 0x0101010101010101;
constexpr std::uint64_t kHighBits = kOnes << 7;

// Whether one of eight bytes is below 32, or 127; it may be one that is fine.
bool has_control(std::uint64_t eight) {
  const auto below_32 = (eight - kOnes * 32) & ~eight & kHighBits;
  const auto without_127 = eight ^ (kOnes * 127);
  const auto is_127 = (without_127 - kOnes) & ~without_127 & kHighBits;
  return (below_32 | is_127) != 0;
}

}  // namespace

void ContentTeller::update(std::span<const std::uint8_t> bytes) {
  std::uint64_t eight = 0;
  // Byte by byte this would cost half of what SHA-256 does.
  for (; text_ && bytes.size() >= sizeof eight; bytes = bytes.subspan(sizeof eight)) {
    std::memcpy(&eight, bytes.data(), sizeof eight);
    if (has_control(eight)) text_ = !has_binary(bytes.first(sizeof eight));
  }
  if (text_) text_ = !has_binary(bytes);
}

}  // namespace vantro::text
