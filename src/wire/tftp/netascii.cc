#include "wire/tftp/netascii.h"

namespace vantro::wire::tftp {

void append_netascii(base::ByteBuffer& to, base::ByteView bytes) {
  to.reserve(to.size() + bytes.size() + bytes.size() / 8);
  for (const auto byte : bytes) {
    if (byte == '\n') to.push_back('\r');
    to.push_back(byte);
    if (byte == '\r') to.push_back('\0');
  }
}

void NetasciiDecoder::append(base::ByteBuffer& to, base::ByteView wire) {
  to.reserve(to.size() + wire.size() + 1);
  for (const auto byte : wire) {
    if (after_return_) {
      after_return_ = false;
      if (byte == '\n' || byte == '\0') {
        to.push_back(byte == '\n' ? '\n' : '\r');
        continue;
      }
      to.push_back('\r');
    }
    if (byte == '\r') {
      after_return_ = true;
    } else {
      to.push_back(byte);
    }
  }
}

void NetasciiDecoder::finish(base::ByteBuffer& to) {
  if (after_return_) to.push_back('\r');
  after_return_ = false;
}

}  // namespace vantro::wire::tftp
