#include "wire/ftp/line_ends.h"

#include <utility>

namespace vantro::wire::ftp {

void to_network_lines(base::ByteView stored, base::ByteBuffer& out) {
  for (const auto byte : stored) {
    if (byte == '\n') out.push_back('\r');
    out.push_back(byte);
  }
}

std::size_t FromNetworkLines::take(base::ByteView came, std::span<std::uint8_t> out) {
  std::size_t put = 0;
  for (const auto byte : came) {
    if (std::exchange(cr_held_, false) && byte != '\n') out[put++] = '\r';
    if (byte == '\r') {
      cr_held_ = true;
    } else {
      out[put++] = byte;
    }
  }
  return put;
}

std::size_t FromNetworkLines::finish(std::span<std::uint8_t> out) {
  if (!std::exchange(cr_held_, false)) return 0;
  out[0] = '\r';
  return 1;
}

}  // namespace vantro::wire::ftp
