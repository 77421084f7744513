// The result of the mode and the options of a request (RFC 2347, 2348, 2349, 7440).
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>

#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {

// The server's maxima, whatever is asked for.
struct Ceiling {
  std::size_t block_size = 65464;  // 8 to 65464 (RFC 2348)
  std::size_t window_size = 64;    // 1 to 65535 blocks (RFC 7440)
  // Bytes of a window: the memory of a transfer, for resending, and the load of a
  // socket's buffer on either side.
  std::size_t window_bytes = 256 * 1024;
};

struct Terms {
  bool netascii = false;
  std::size_t block_size = 512;                 // bytes of a full DATA packet
  std::size_t window_size = 1;                  // blocks for one ACK
  std::optional<std::chrono::seconds> timeout;  // resend interval the device asked for
  std::optional<std::uint64_t> announced;       // writes: the size the device gives
  Options answer;  // for the OACK; empty: none, begin as in RFC 1350
};

// `size` is the file's, for a read. Unknown options, and invalid values, are left out of
// the answer, which tells the device that they are not in effect (RFC 2347). Block and
// window sizes above the ceiling are answered with the ceiling (RFC 2348 and 7440 let a
// server answer with less). tsize is left out for an empty file, as a common client takes
// "tsize 0" for an error, and for a read in netascii, as the size on the wire is not
// known before it was sent.
Terms negotiate(const Request& request, std::optional<std::uint64_t> size,
                const Ceiling& ceiling = {});

}  // namespace vantro::wire::tftp
