// What the mode and the options of a request come to (RFC 2347, 2348, 2349, 7440).
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>

#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {

// What the server agrees to at most, whatever is asked for.
struct Ceiling {
  std::size_t block_size = 65464;  // 8 to 65464 (RFC 2348)
  std::size_t window_size = 64;    // 1 to 65535 blocks (RFC 7440)
  // Bytes of a window: what a transfer holds in memory, to send it again, and what a
  // socket's buffer takes at once on either side.
  std::size_t window_bytes = 256 * 1024;
};

struct Terms {
  bool netascii = false;
  std::size_t block_size = 512;                 // bytes of a full DATA packet
  std::size_t window_size = 1;                  // blocks for one ACK
  std::optional<std::chrono::seconds> timeout;  // resend interval the device asked for
  std::optional<std::uint64_t> announced;       // writes: the size the device gives
  Options answer;  // for the OACK; empty: there is none, begin as in RFC 1350
};

// `size` is the file's, for a read. Options that are not known, and values that make no
// sense, are left out of the answer, which tells the device that they do not hold
// (RFC 2347). Block and window sizes above the ceiling are answered with the ceiling
// (RFC 2348 and 7440 let a server answer with less). tsize is left out for an empty
// file, as a much-used client takes "tsize 0" for an error, and for a read in netascii,
// as the size on the wire is not known before it was sent.
Terms negotiate(const Request& request, std::optional<std::uint64_t> size,
                const Ceiling& ceiling = {});

}  // namespace vantro::wire::tftp
