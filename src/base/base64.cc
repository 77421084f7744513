#include "base/base64.h"

#include <sodium.h>

namespace vantro::base {
namespace {

constexpr int kPadded = sodium_base64_VARIANT_ORIGINAL;

}  // namespace

std::string base64(ByteView bytes) {
  std::string text(sodium_base64_encoded_len(bytes.size(), kPadded), '\0');
  sodium_bin2base64(text.data(), text.size(), bytes.data(), bytes.size(), kPadded);
  text.pop_back();  // its zero byte
  return text;
}

std::optional<ByteBuffer> parse_base64(std::string_view text) {
  ByteBuffer bytes(text.size() / 4 * 3 + 3);
  std::size_t size = 0;
  const char* end = nullptr;
  if (sodium_base642bin(bytes.data(), bytes.size(), text.data(), text.size(), nullptr,
                        &size, &end, kPadded) != 0 ||
      end != text.data() + text.size()) {
    return std::nullopt;
  }
  bytes.resize(size);
  return bytes;
}

}  // namespace vantro::base
