// TYPE A (RFC 959, 3.1.1.1): lines end with CR LF on the wire and with LF in storage.
#pragma once

#include "base/bytes.h"

namespace vantro::wire::ftp {

// Appends to `out`: every LF as CR LF, everything else unchanged.
void to_network_lines(base::ByteView stored, base::ByteBuffer& out);

// The reverse, for any split of the input.
class FromNetworkLines {
 public:
  // `out` must have space for one byte more than arrived. Returns how many were put
  // there.
  std::size_t take(base::ByteView came, std::span<std::uint8_t> out);
  // At the end: a CR without a following byte. 0 or 1 byte.
  std::size_t finish(std::span<std::uint8_t> out);

 private:
  bool cr_held_ = false;  // a CR has arrived, and not yet its next byte
};

}  // namespace vantro::wire::ftp
