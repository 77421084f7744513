// TYPE A (RFC 959, 3.1.1.1): lines end with CR LF on the wire and with LF where they are
// stored.
#pragma once

#include "base/bytes.h"

namespace vantro::wire::ftp {

// Appends to `out`: every LF as CR LF, everything else as it is.
void to_network_lines(base::ByteView stored, base::ByteBuffer& out);

// The other way, for any split of the input.
class FromNetworkLines {
 public:
  // `out` must have room for one byte more than came. Gives how many were put there.
  std::size_t take(base::ByteView came, std::span<std::uint8_t> out);
  // At the end: a CR that nothing followed. 0 or 1 byte.
  std::size_t finish(std::span<std::uint8_t> out);

 private:
  bool cr_held_ = false;  // a CR has come, and not yet what follows it
};

}  // namespace vantro::wire::ftp
