#include "base/base64.h"

#include <cstdint>

namespace vantro::base {
namespace {

constexpr std::string_view kAlphabet =
    "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";

}  // namespace

std::string base64(ByteView bytes) {
  std::string text;
  for (std::size_t i = 0; i < bytes.size(); i += 3) {
    const auto left = bytes.size() - i;
    const std::uint32_t group = static_cast<std::uint32_t>(bytes[i]) << 16 |
                                (left > 1 ? bytes[i + 1] << 8 : 0) |
                                (left > 2 ? bytes[i + 2] : 0);
    text += kAlphabet[group >> 18];
    text += kAlphabet[group >> 12 & 63];
    text += left > 1 ? kAlphabet[group >> 6 & 63] : '=';
    text += left > 2 ? kAlphabet[group & 63] : '=';
  }
  return text;
}

std::optional<ByteBuffer> parse_base64(std::string_view text) {
  if (text.size() % 4 != 0) return std::nullopt;
  ByteBuffer bytes;
  for (std::size_t i = 0; i < text.size(); i += 4) {
    std::uint32_t group = 0;
    std::size_t padding = 0;
    for (std::size_t j = 0; j < 4; ++j) {
      const char c = text[i + j];
      const auto value = kAlphabet.find(c);
      const bool last = i + 4 == text.size();
      if (c == '=' && last && j >= 2) {
        ++padding;
      } else if (value == std::string_view::npos || padding > 0) {
        return std::nullopt;
      }
      group = group << 6 | (c == '=' ? 0 : static_cast<std::uint32_t>(value));
    }
    for (std::size_t j = 0; j < 3 - padding; ++j) {
      bytes.push_back(static_cast<std::uint8_t>(group >> (16 - 8 * j)));
    }
  }
  return bytes;
}

}  // namespace vantro::base
