// What the options of a request come to (RFC 2347, 2348, 2349).
#pragma once

#include <chrono>
#include <cstdint>
#include <optional>

#include "wire/tftp/packet.h"

namespace vantro::wire::tftp {

struct Terms {
  std::size_t block_size = 512;                 // bytes of file in a full DATA packet
  std::optional<std::chrono::seconds> timeout;  // resend interval the device asked for
  std::optional<std::uint64_t> announced;       // writes: the size the device gives
  Options answer;  // for the OACK; empty: there is none, begin as in RFC 1350
};

// `size` is the file's, for a read. Options that are not known, and values that make no
// sense, are left out of the answer, which tells the device that they do not hold
// (RFC 2347). A block size above 65464 is answered with 65464 (RFC 2348 lets a server
// answer with less). tsize is left out for an empty file, as a much-used client takes
// "tsize 0" for an error.
Terms negotiate(const Request& request, std::optional<std::uint64_t> size);

}  // namespace vantro::wire::tftp
