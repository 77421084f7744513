// Bytes in base64 (RFC 4648, 4), padded.
#pragma once

#include <optional>
#include <string>
#include <string_view>

#include "base/bytes.h"

namespace vantro::base {

std::string base64(ByteView bytes);
// Nothing for text that is not base64, is not padded, or has bits that no byte needs.
std::optional<ByteBuffer> parse_base64(std::string_view text);

}  // namespace vantro::base
