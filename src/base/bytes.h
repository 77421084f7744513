// Bytes, their hexadecimal spelling and network byte order.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

namespace vantro::base {

using ByteView = std::span<const std::uint8_t>;
using ByteBuffer = std::vector<std::uint8_t>;

// Lower-case, two digits for a byte.
std::string to_hex(ByteView bytes);

// Either case; nothing for an odd length or any other character.
std::optional<ByteBuffer> from_hex(std::string_view text);

inline std::uint16_t read_u16(ByteView bytes, std::size_t at) {
  return static_cast<std::uint16_t>(bytes[at] << 8 | bytes[at + 1]);
}

inline void append_u16(ByteBuffer& to, std::uint16_t value) {
  to.push_back(static_cast<std::uint8_t>(value >> 8));
  to.push_back(static_cast<std::uint8_t>(value & 0xff));
}

inline ByteView as_bytes(std::string_view text) {
  return {reinterpret_cast<const std::uint8_t*>(text.data()), text.size()};
}

inline std::string_view as_text(ByteView bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

}  // namespace vantro::base
